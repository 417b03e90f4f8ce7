// What a review tells in text and in JSON alike. Private to the rig room.
#pragma once

#include <gyrax/rig/rig.hpp>

#include <string>
#include <vector>

namespace gyrax {

/// Of an axis: its stop from full speed, through its travel, one increment.
struct AxisTimes {
  double stop_s = 0, stop_distance = 0, travel_s = 0, increment_s = 0, increment = 0;
};
AxisTimes times_of(const Rig& rig, std::size_t axis);

/// "trigger.right less trigger.left"; empty for a control of the handset itself.
std::string virtual_words(const Rig& rig, const ControlSetup& control);
/// What a plain press waits for where its key has other gestures.
std::string delay_of(const Rig& rig, std::size_t row);
/// "override", "layer", "calibration": after what a zone is stowed.
std::vector<const char*> stowed_after(const ZoneSetup& zone);

}  // namespace gyrax
