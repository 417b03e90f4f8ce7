/// Holds recorded commands of one axis against its limits, from the numbers alone.
///
/// In: position and speed after each tick, with the tick's length. Out: how far each limit was ever passed, beyond stated
/// rounding, and how often the axis came near it. Checked from differences, not from what the code says of itself:
/// speed against the limit; speed differences against accel (gaining) and brake (losing); position differences against the
/// mean speed, within what the limits allow inside the tick (hardest·dt²/4); room to stop before the end of travel.
///
///     testing::LimitChecker x(limits);
///     x.tick(command.p, command.v, dt_s);
///     CHECK(x.worst() == 0);
#pragma once

#include <gyrax/motion/axis.hpp>

#include <cstddef>

namespace gyrax::testing {

class LimitChecker {
 public:
  explicit LimitChecker(const AxisLimits& limits) : limits_(limits) {}

  /// Takes up the axis at a place, at rest or not, without a check: at the start, and where power comes back.
  void start(double p, double v = 0);
  /// The next command. `dt_s` ≥ 0.
  void tick(double p, double v, double dt_s);

  /// Greatest violation beyond rounding: unit/s, unit/s², unit, unit. 0 where the limit held.
  double speed() const { return speed_; }
  double accel() const { return accel_; }
  double leap() const { return leap_; }
  double travel() const { return travel_; }
  /// Whether anything at all was passed: the greatest of them.
  double worst() const;

  std::size_t ticks() const { return ticks_; }
  /// Ticks within 0.1 % of a limit.
  std::size_t near_speed() const { return near_speed_; }
  std::size_t near_accel() const { return near_accel_; }
  std::size_t near_brake() const { return near_brake_; }
  /// Ticks at rest exactly on an end of travel.
  std::size_t at_end() const { return at_end_; }

  /// Rounding that is allowed for: a share of each limit, and units.
  static constexpr double share = 1e-6, slack = 1e-7;

 private:
  AxisLimits limits_;
  double p_ = 0, v_ = 0;
  double speed_ = 0, accel_ = 0, leap_ = 0, travel_ = 0;
  std::size_t ticks_ = 0, near_speed_ = 0, near_accel_ = 0, near_brake_ = 0, at_end_ = 0;
};

}  // namespace gyrax::testing
