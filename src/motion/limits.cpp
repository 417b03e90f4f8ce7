#include <gyrax/base/nano.hpp>
#include <gyrax/motion/limits.hpp>

namespace gyrax {

std::optional<AxisLimits> AxisLimits::make(double low, double high, const MotionLimits& full) noexcept {
  if (!(is_position(low) && is_position(high) && low < high)) return std::nullopt;
  for (const double rate : {full.speed, full.accel, full.decel})
    if (!(rate >= min && rate <= max)) return std::nullopt;
  for (const double jerk : {full.jerk, full.decel_jerk})
    if (!(jerk >= min && jerk <= max_jerk)) return std::nullopt;
  AxisLimits limits;
  limits.low_ = low;
  limits.high_ = high;
  limits.full_ = full;
  return limits;
}

}  // namespace gyrax
