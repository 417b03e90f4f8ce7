// The person's own zero of an axis: set where it stands, and counted from by places that say so.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

/// Somebody sets it.
void take_zero(EngineParts& e, const Ask& ask) noexcept;
void refuse_zero(EngineParts& e, AxisId axis, const Obstacle& why) noexcept;
/// What was asked for anew, counted from the machine's zero.
void count_from_zero(EngineParts& e) noexcept;
/// A place that this group is asked to go to and that is beyond an axis's travel.
Obstacle beyond_travel(const EngineParts& e, std::size_t group) noexcept;

}  // namespace gyrax::detail
