// Homing by Gyrax itself: an axis learns where it is, and what makes it lose that.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

/// Nobody knows where it is any more: its travel does not hold. Nothing where that is so already, or where Gyrax does
/// not home it.
void lose_place(EngineParts& e, AxisId axis) noexcept;
/// Those whose link may have lost where they are, and those that lost their power.
void watch_places(EngineParts& e) noexcept;

/// From the first of an action's axes.
void begin_homing(EngineParts& e, Action& action) noexcept;
/// Leads the axis whose turn it is. What makes it end before it is done, or nothing.
Obstacle work_homing(EngineParts& e, Action& action) noexcept;
/// Its groups are the hands' again.
void end_homing(EngineParts& e, const Action& action) noexcept;
/// Asks motion for what a homing wants of a group, in place of the hands.
void ask_homing(EngineParts& e, std::size_t group) noexcept;

}  // namespace gyrax::detail
