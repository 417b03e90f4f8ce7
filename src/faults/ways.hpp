// The ways in which a rig's hands can move an axis, and what has to be done before. Private to the faults room.
#pragma once

#include <gyrax/rig/rig.hpp>

#include <optional>
#include <string>
#include <vector>

namespace gyrax {

/// One binding that moves an axis, and where to.
struct Way {
  BindingId binding{};
  int direction = 1;
};

/// Each binding of the rig that moves the axis.
std::vector<Way> ways_of(const Rig& rig, AxisId axis);

/// Who makes ready, enables, stops, resets beside a handset: one binding each, if any; the plainest.
std::optional<BindingId> word_for(const Rig& rig, ZoneId zone, HandsetId beside, bool (*is_it)(const Effect&));

/// Where an axis stands best before it is moved that way: with as much room in front of it as can be.
double start_for(const Rig& rig, AxisId axis, const Way& way);

/// The same machine once Gyrax has homed it, for good.
Rig homed(Rig rig);

/// "stick.left.x jogs x": the binding's own sentence.
const std::string& sentence(const Rig& rig, const Way& way);

}  // namespace gyrax
