// What inputs keep from moving: the switches at an axis's ends, and what a zone stands on.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

/// The switch of an end that an axis would run on to.
Obstacle end_in_the_way(const EngineParts& e, AxisId axis) noexcept;
/// The same, were it to move this way.
Obstacle end_towards(const EngineParts& e, AxisId axis, double way) noexcept;
/// Remembers on which side it is held, for as long as it is asked to go there.
void note_end(EngineParts& e, AxisId axis) noexcept;
/// Stops a zone whose inputs are not what they have to be.
void watch_inputs(EngineParts& e, ZoneId zone) noexcept;

}  // namespace gyrax::detail
