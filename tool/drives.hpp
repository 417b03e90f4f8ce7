// What `gyrax links` says of drives.
#pragma once

#include <gyrax/rig/rig.hpp>

namespace gyrax::tool {

/// Reads a drive's registers once and tells them. Whether it answered within so long.
bool ask_drive(const Rig& rig, LinkId link, double wait_s, bool as_json);

}  // namespace gyrax::tool
