// What `gyrax links` says of controllers, and a dialogue with one, line by line.
#pragma once

#include <gyrax/rig/rig.hpp>

namespace gyrax::tool {

/// Asks a controller where it is, and tells that; nothing else is sent. Whether it answered within so long.
bool ask_controller(const Rig& rig, LinkId link, double wait_s, bool as_json);

/// Sends each line that somebody types as it stands, and shows what is answered and how the dialect reads it; until
/// standard input ends, `for_s` is over (0: never), or a signal comes. An exit code.
int talk_to_controller(const Rig& rig, LinkId link, double for_s);

}  // namespace gyrax::tool
