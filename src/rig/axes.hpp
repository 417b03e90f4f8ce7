// What `check` says of an axis besides its limits. Private to the rig room.
#pragma once

#include <gyrax/rig/rig.hpp>

#include <string>

namespace gyrax {

/// "mm/s²" for a unit of ours and the second power of time; "unit/s²" where the axis's own is not known. A literal.
const char* unit_words(const std::string& unit, std::size_t per_s = 0);

/// "measured, within 2 mm of the command; pulse 900 … 2100 µs over the travel".
std::string position_words(const Rig& rig, std::size_t axis);
/// "wrong_way 150 ms, overspeed not watched": how long each sign of a runaway may last.
std::string runaway_words(const RunawayTimes& times);
/// "; moves only while on: pump; runs for 20 s …"; empty where it needs no switch and may run for ever.
std::string needs_words(const Rig& rig, std::size_t axis);

}  // namespace gyrax
