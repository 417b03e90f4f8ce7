// What `check` says of an axis besides its limits. Private to the rig room.
#pragma once

#include <gyrax/rig/rig.hpp>

#include <string>

namespace gyrax {

/// "measured, within 2 mm of the command; pulse 900 … 2100 µs over the travel".
std::string position_words(const Rig& rig, std::size_t axis);
/// "; moves only while on: pump"; empty where it needs no switch.
std::string needs_words(const Rig& rig, std::size_t axis);

}  // namespace gyrax
