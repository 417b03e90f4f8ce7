// What one would write by hand: calibrate, dead zone, cube, scale, integrate, clamp. No permit, no watchdog, no reason
// why nothing moves; a leap whenever a stick leaps.
#pragma once

#include <cstdint>
#include <span>

namespace plain {

struct Axis {
  std::int32_t minimum = -32768, centre = 0, maximum = 32767;
  double dead_zone = 0.1, speed = 100, low = 0, high = 1000, p = 500;
};

/// One tick: a raw number an axis in, a position an axis out.
void tick(std::span<Axis> axes, std::span<const std::int32_t> raw, double dt_s, std::span<double> out);

}  // namespace plain
