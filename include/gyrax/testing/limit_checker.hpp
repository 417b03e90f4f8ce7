/// Holds recorded commands of one axis against its limits, from the numbers alone.
///
/// In: position, speed and acceleration after each tick, with the tick's length. Out: how far each limit was ever
/// passed, beyond stated rounding, and how often the axis came near it. Checked from differences, not from what the
/// code says of itself: speed against the limit; acceleration against accel (gaining speed) and decel (losing it);
/// differences of acceleration against the jerk; differences of speed and position against what those ends and the jerk
/// leave open inside the tick; travel, and room for the shortest of stops before its end.
///
///     testing::LimitChecker x(limits);
///     x.tick(command.p, command.v, command.a, dt_s);
///     CHECK(x.worst() == 0);
#pragma once

#include <gyrax/motion/axis.hpp>

#include <cstddef>

namespace gyrax::testing {

class LimitChecker {
 public:
  explicit LimitChecker(const AxisLimits& limits)
      : limits_(limits), in_force_(limits.full()), top_(limits.full().speed), hardest_(limits.full().accel) {}

  /// Takes up the axis at a place, at rest or not, without a check: at the start, and where power comes back.
  void start(double p, double v = 0, double a = 0);
  /// Another speed and acceleration from the next tick on. What is above them then may only come down: never above what
  /// the state at the change made unavoidable, and never up again. The deceleration limits and jerks stay the axis's
  /// own.
  void in_force(const MotionLimits& limits);
  /// The next command. `dt_s` ≥ 0.
  void tick(double p, double v, double a, double dt_s);

  /// Greatest violation beyond rounding: unit/s, unit/s², unit/s³, unit (both). 0 where the limit held.
  double speed() const { return speed_; }
  double accel() const { return accel_; }
  double jerk() const { return jerk_; }
  double leap() const { return leap_; }
  double travel() const { return travel_; }
  /// Whether anything at all was passed: the greatest of them.
  double worst() const;

  std::size_t ticks() const { return ticks_; }
  /// Ticks within 0.1 % of a limit.
  std::size_t near_speed() const { return near_speed_; }
  std::size_t near_accel() const { return near_accel_; }
  std::size_t near_decel() const { return near_decel_; }
  std::size_t near_jerk() const { return near_jerk_; }
  std::size_t near_decel_jerk() const { return near_decel_jerk_; }
  /// Ticks at rest exactly on an end of travel.
  std::size_t at_end() const { return at_end_; }

  /// Rounding that is allowed for: a share of each limit, and units (nano-units, and of a position 2e-15 of itself).
  /// What is told from differences over a short tick has its rounding divided by the tick.
  static constexpr double share = 1e-6, slack = 1e-9;

 private:
  void check_overrides(double v, double a, double dt_s);
  void check_way(double p, double v, double a, double dt_s);
  void check_travel(double p, double v);
  double unavoidable_speed() const;

  AxisLimits limits_;
  MotionLimits in_force_;
  double p_ = 0, v_ = 0, a_ = 0;
  double top_, hardest_;  // the speed and the gaining acceleration that are allowed now
  double speed_ = 0, accel_ = 0, jerk_ = 0, leap_ = 0, travel_ = 0;
  std::size_t ticks_ = 0, near_speed_ = 0, near_accel_ = 0, near_decel_ = 0, near_jerk_ = 0, near_decel_jerk_ = 0,
              at_end_ = 0;
};

}  // namespace gyrax::testing
