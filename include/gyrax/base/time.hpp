/// Time as the core sees it: nanoseconds since the engine's start, on one clock that somebody else reads.
///
///     gyrax::Time t{gyrax::from_seconds(0.002)};      // the second tick at 500 Hz
///     double dt_s = gyrax::to_seconds(t - gyrax::Time{});
#pragma once

#include <chrono>
#include <cstdint>

namespace gyrax {

/// A clock without now(): the core is told the time and never asks for it.
struct EngineClock {
  using rep = std::int64_t;
  using period = std::nano;
  using duration = std::chrono::nanoseconds;
  using time_point = std::chrono::time_point<EngineClock>;
  static constexpr bool is_steady = true;
};

using Span = std::chrono::nanoseconds;
using Time = EngineClock::time_point;

/// A span in seconds. Exact below 2^53 ns (104 days).
double to_seconds(Span span) noexcept;
/// A point of time in seconds since the engine's start.
double to_seconds(Time time) noexcept;
/// The span nearest to `seconds`, which must be finite and within ±292 years; otherwise zero.
Span from_seconds(double seconds) noexcept;

}  // namespace gyrax
