// Readings, and what follows from them at once: the part of the tick where order matters.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

void take_readings(EngineParts& e, std::span<const Reading> readings) noexcept;
/// Exact distances, taken whole or refused.
void take_step(EngineParts& e, const Ask& ask) noexcept;
void take_counts(EngineParts& e, const Ask& ask) noexcept;
/// Tells that counts do nothing from now on; false where that was told a moment ago: a wheel brings hundreds a second.
bool begin_quiet(Axis& axis, Time now) noexcept;
/// The share of speed in force of every axis.
void keep_overrides(EngineParts& e) noexcept;

}  // namespace gyrax::detail
