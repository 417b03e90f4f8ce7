/// What an axis is told in one tick.
///
///     AxisCommand c{Mode::follow, 12.5, 180, 0, now + valid};
#pragma once

#include <gyrax/base/link_types.hpp>

namespace gyrax {

/// Position, velocity and acceleration in the axis's unit (mm or deg) and per s, s²; the receiver may act on it until
/// `valid_until` and must stop by itself afterwards.
struct AxisCommand {
  Mode mode = Mode::off;
  double p = 0, v = 0, a = 0;
  Time valid_until{};
};

}  // namespace gyrax
