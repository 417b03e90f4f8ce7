/// What an axis may do: its travel, and how fast, how hard and how suddenly it may move.
///
/// An axis gains speed with `accel` and loses it with `decel`, always; `jerk` bounds the change of acceleration
/// while it gains speed, `decel_jerk` while it loses it. Gaining is acceleration and velocity of the same sign.
///
///     auto x = AxisLimits::make(0, 420, {.speed = 180, .accel = 900, .jerk = 9000, .decel = 1400, .decel_jerk =
///     20000});
#pragma once

#include <gyrax/base/nano.hpp>

#include <optional>

namespace gyrax {

/// Position, velocity and acceleration in the axis's unit (mm or deg), per s and s².
struct AxisState {
  double p = 0, v = 0, a = 0;
};

/// What a move may use, in the axis's unit per s, s² and s³. Each greater than 0.
struct MotionLimits {
  double speed = 0, accel = 0, jerk = 0, decel = 0, decel_jerk = 0;
};

/// Travel and full limits of one axis. Always valid: only make() builds one.
class AxisLimits {
 public:
  /// Greatest speed and accelerations (unit/s, unit/s²), greatest jerks (unit/s³), and the least of them all.
  static constexpr double max = 1e6, max_jerk = 1e9, min = 1e-6;
  /// low < high, both countable (is_position); each number of `full` in [min, max] or, jerks, [min, max_jerk].
  /// Error: nullopt. NaN is one.
  static std::optional<AxisLimits> make(double low, double high, const MotionLimits& full) noexcept;
  /// The jerks of an axis that names none: full acceleration after a tenth of a second, full braking after a twentieth.
  static constexpr double usual_jerk(double accel) noexcept { return accel * 10; }
  static constexpr double usual_decel_jerk(double decel) noexcept { return decel * 20; }

  double low() const noexcept { return low_; }
  double high() const noexcept { return high_; }
  const MotionLimits& full() const noexcept { return full_; }
  /// The first and the last counted position inside the travel.
  Nano low_nano() const noexcept { return nano_above(low_); }
  Nano high_nano() const noexcept { return nano_below(high_); }
  double speed() const noexcept { return full_.speed; }

 private:
  AxisLimits() = default;
  double low_ = 0, high_ = 0;
  MotionLimits full_;
};

}  // namespace gyrax
