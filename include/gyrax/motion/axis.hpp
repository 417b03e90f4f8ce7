/// One axis's motion: what it was last asked for, and where that takes it.
///
/// In: jog, go, steps or rest, each as often as you like, then advance(dt). Out: position, velocity, acceleration at the
/// end of that span. Never: beyond the travel, above the limits, or off a counted goal by one digit.
///
///     AxisMotion x(*AxisLimits::make(0, 420, 180, 900, 1400));
///     x.jog(1.0, 1.0);                 // full speed towards the high end
///     x.advance(0.002);                // x.state().p
#pragma once

#include <gyrax/base/nano.hpp>
#include <gyrax/motion/ramp.hpp>

#include <cstdint>
#include <optional>

namespace gyrax {

/// Travel and limits of one axis. Always valid: only make() builds one.
class AxisLimits {
 public:
  /// Greatest speed, accel or brake that make() takes, in unit/s or unit/s².
  static constexpr double greatest = 1e6;
  /// low < high, both countable (is_position); speed, accel and brake in (0, greatest]. Error: nullopt. NaN is one.
  static std::optional<AxisLimits> make(double low, double high, double speed, double accel, double brake) noexcept;

  double low() const noexcept { return low_; }
  double high() const noexcept { return high_; }
  double speed() const noexcept { return speed_; }
  double accel() const noexcept { return accel_; }
  double brake() const noexcept { return brake_; }

 private:
  AxisLimits() = default;
  double low_ = 0, high_ = 0, speed_ = 0, accel_ = 0, brake_ = 0;
};

class AxisMotion {
 public:
  explicit AxisMotion(const AxisLimits& limits) noexcept : limits_(limits) {}

  /// Takes up motion at rest at a position, which may be outside the travel. One that is not countable is ignored.
  /// Where nothing vouches for the position (`unsure`), the first move runs at `unsure_share` of its speed.
  void restart(double position, bool unsure = false) noexcept;
  static constexpr double unsure_share = 0.1;
  /// As restart where it stands, but the counted goal is kept: a report agrees with it.
  void keep() noexcept;

  /// Runs at `share` (-1..1) of the speed limit times `rate` (0..1] until told otherwise. Drops pending steps.
  /// NaN or 0: rest; beyond ±1 counts as ±1.
  void jog(double share, double rate) noexcept;
  /// To a counted position. Outside the travel: ignored, false.
  bool go(Nano goal, double rate) noexcept;
  /// One exact increment from where the axis is to come to rest. Beyond the travel, unless it leads back towards it:
  /// refused whole, false.
  bool step(Nano by) noexcept;
  /// Towards the pending steps' goal if there are any, otherwise to rest.
  void settle(double rate) noexcept;
  /// To rest at the brake limit; pending goals are dropped.
  void stop() noexcept;

  /// Moves on by `dt_s`; 0, negative and NaN change nothing, and any length is exact.
  void advance(double dt_s) noexcept;

  const AxisState& state() const noexcept { return state_; }
  bool at_rest() const noexcept { return state_.v == 0; }
  bool has_goal() const noexcept { return wish_ == Wish::goal || pending_; }
  /// The counted position it is going to or standing on.
  Nano goal() const noexcept { return goal_; }
  /// Whether the last jog points out of the travel while the axis stands at (or beyond) that end.
  bool blocked_low() const noexcept;
  bool blocked_high() const noexcept;
  const AxisLimits& limits() const noexcept { return limits_; }

 private:
  enum class Wish : std::uint8_t { rest, jog, goal };
  Ramp plan() const noexcept;
  Nano rest_point() const noexcept;
  bool below(Nano goal) const noexcept;
  bool above(Nano goal) const noexcept;

  AxisLimits limits_;
  AxisState state_{};
  Wish wish_ = Wish::rest;
  bool pending_ = false;  // goal_ holds steps that are still to be made
  bool counted_ = false;  // the axis stands exactly on goal_
  Nano goal_ = 0;
  double velocity_ = 0;  // of a jog
  double rate_ = 1;
  bool unsure_ = false;
};

}  // namespace gyrax
