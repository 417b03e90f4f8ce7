// Switches: who turned them, what they become when a zone trips, and what needs them.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

/// What a person asked of a switch, or what was lost.
void take_switch(EngineParts& e, const Ask& ask) noexcept;
/// What the switches of a zone become as it trips.
void trip_switches(EngineParts& e, ZoneId zone) noexcept;
/// A switch that an axis of the group needs and that is off. They move together: what one needs, all need.
Obstacle lacking(const EngineParts& e, std::size_t group) noexcept;

}  // namespace gyrax::detail
