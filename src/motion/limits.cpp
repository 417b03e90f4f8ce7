#include <gyrax/base/nano.hpp>
#include <gyrax/motion/limits.hpp>

namespace gyrax {

std::optional<AxisLimits> AxisLimits::make(double low, double high, const Pace& full) noexcept {
  if (!(is_position(low) && is_position(high) && low < high)) return std::nullopt;
  for (const double rate : {full.speed, full.accel, full.brake_accel})
    if (!(rate >= least && rate <= greatest)) return std::nullopt;
  for (const double jerk : {full.jerk, full.brake_jerk})
    if (!(jerk >= least && jerk <= greatest_jerk)) return std::nullopt;
  AxisLimits limits;
  limits.low_ = low;
  limits.high_ = high;
  limits.full_ = full;
  return limits;
}

}  // namespace gyrax
