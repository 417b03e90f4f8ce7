#include <gyrax/output/motor.hpp>

#include "../base/size.hpp"

#include <cmath>

namespace gyrax {

std::int32_t MotorMap::power(double share) const noexcept {
  const double power = size(share);
  // What rounds to no power is none: a dead band is not skipped for the rounding of a speed.
  if (!(power * full >= 0.5)) return 0;
  const double skipped = power >= 1 ? 1 : dead_band + (1 - dead_band) * power;
  const auto out = static_cast<std::int32_t>(std::floor(skipped * full + 0.5));
  return (share < 0) != reversed ? -out : out;
}

AxisWord MotorMap::word(const AxisCommand& command) const noexcept {
  return {command.mode, command.mode == Mode::off ? 0 : power(command.v / 100), 0};
}

WordMeaning MotorMap::meaning() const noexcept { return {(reversed ? -100.0 : 100.0) / full, 0, dead_band}; }

}  // namespace gyrax
