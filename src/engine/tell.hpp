// What a person is told at the moment at which it happens.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

/// A number is another one now.
void tell_number(EngineParts& e, NumberId number) noexcept;
/// Whether some axis of a zone runs at this override.
bool concerns(const EngineParts& e, OverrideId override, ZoneId zone) noexcept;
/// Overrides and increments in force, and reduced speed: told before anyone wonders why so little moves.
void tell_numbers(EngineParts& e, ZoneId zone) noexcept;
/// Something that would move an axis does not.
void tell_no_move(EngineParts& e, AxisId axis, SlotId by, const Obstacle& why) noexcept;
/// Whether an axis is homed now.
void tell_homed(EngineParts& e, AxisId axis) noexcept;
/// Steps and counts that gave way to something else, or to a stop.
void tell_dropped(EngineParts& e) noexcept;

}  // namespace gyrax::detail
