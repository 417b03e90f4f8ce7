/// One axis's motion: what it was last asked for, and where that takes it.
///
/// In: jog, go, step, wheel, follow or rest, each as often as you like, then advance(dt). Out: position, velocity,
/// acceleration at the end of that span. Never: beyond the travel, above the limits at any instant of the span, or off
/// a counted goal by one digit.
///
///     AxisMotion x(limits);
///     x.jog(180);                      // mm/s, towards the high end
///     x.advance(0.002);                // x.state().p
#pragma once

#include <gyrax/base/nano.hpp>
#include <gyrax/base/recompute.hpp>
#include <gyrax/motion/profile.hpp>

#include <cstdint>

namespace gyrax {

class AxisMotion {
 public:
  explicit AxisMotion(const AxisLimits& limits, Recompute recompute = Recompute::changed) noexcept;

  /// Takes up motion at rest at a position, which may be outside the travel. One that is not countable is ignored.
  /// Where nothing vouches for the position (`unsure`), the first move, also one along a path, runs at `unsure_share`
  /// of its speed.
  void restart(double position, bool unsure = false) noexcept;
  static constexpr double unsure_share = 0.1;
  /// As restart where it stands, but the counted goal is kept: a report agrees with it.
  void keep() noexcept;

  /// Another travel: where the axis is has become known, or is not known any more. A narrower one only at rest.
  void set_travel(double low, double high) noexcept;

  /// Shares (0, 1] of the limits' speed and acceleration that count from now on; what cannot be one counts as the least
  /// (`min_share`). An axis that is faster comes down to it as fast as its limits allow. Deceleration and the jerks
  /// stay.
  void scale(double speed_share, double accel_share) noexcept;
  static constexpr double min_share = 1e-6;

  /// Runs at `velocity` (unit/s; at most the speed in force) until told otherwise. Drops pending steps. NaN or 0: rest.
  void jog(double velocity) noexcept;
  /// To a counted position. Outside the travel: ignored, false.
  bool go(Nano goal) noexcept;
  /// One exact increment from where the axis is to come to rest.
  enum class Step : std::uint8_t { taken, beyond_travel, too_many };
  /// Refused whole: one that ends beyond the travel, unless it leads back towards it; and one that makes the axis owe
  /// more than `most_pending` increments of its size.
  Step step(Nano by) noexcept;
  static constexpr Nano most_pending = 1000;
  /// `counts` clicks of a handwheel, `by` each, from where the axis is to come to rest. With `most` > 0 the axis never
  /// owes more than that distance. Returns the counts that were dropped, for that or for the end of travel; signed.
  std::int64_t wheel(std::int64_t counts, Nano by, Nano most) noexcept;
  /// The axis goes where the control is. Taking hold (the first call after anything else) it comes at `catch_up`,
  /// unit/s, until it has met the control; so it does when another control is followed (`whose` changes). A position
  /// beyond the travel counts as its end; NaN: rest.
  void follow(double position, double catch_up, std::uint32_t whose = 0) noexcept;
  bool met() const noexcept { return wish_ == Wish::follow && met_; }
  /// Towards the pending steps' goal if there are any, otherwise to rest.
  void settle() noexcept;
  /// To rest for now; pending goals are kept.
  void pause() noexcept { ask(Wish::rest, 0); }
  /// To rest at the deceleration limits; pending goals are dropped.
  void stop() noexcept;
  /// What of taken steps and counts was dropped since the last call: the goal that they led to, less where the axis
  /// comes to rest. Everything that ends them but their being made drops them.
  Nano take_dropped() noexcept {
    const Nano dropped = dropped_;
    dropped_ = 0;
    return dropped;
  }

  /// Whether what was asked last has to be asked once more, because the axis has changed by itself meanwhile: it was
  /// stopped, took steps, has come to its goal, or is sure of its position now. Everything else stands until then.
  bool asks_again() const noexcept { return asks_again_; }
  void asked() noexcept { asks_again_ = recompute_ == Recompute::everything; }

  /// Moves on by `dt_s`; 0, negative and NaN change nothing, and any length is exact.
  void advance(double dt_s) noexcept;
  /// Is taken along by the move of a group, which answers for the limits, and at the end put down on a counted goal.
  void carry(const AxisState& state) noexcept;
  void put_down(Nano goal) noexcept;

  const AxisState& state() const noexcept { return state_; }
  bool at_rest() const noexcept { return state_.v == 0 && state_.a == 0; }
  /// Whether it is still on its way to a counted position.
  bool has_goal() const noexcept { return pending_ || (wish_ == Wish::goal && !counted_); }
  /// The counted position it is going to or standing on.
  Nano goal() const noexcept { return goal_; }
  /// Whether what was asked last points out of the travel while the axis stands at (or beyond) that end.
  bool blocked_low() const noexcept { return at_rest() && velocity_asked() < 0 && state_.p <= limits_.low(); }
  bool blocked_high() const noexcept { return at_rest() && velocity_asked() > 0 && state_.p >= limits_.high(); }
  /// Where steps count from: the goal that is pending, or where the axis comes to rest, rounded once.
  Nano rest_point() const noexcept;
  const AxisLimits& limits() const noexcept { return limits_; }
  /// The limits in force: as shares, reduced speed and first moves leave them.
  const MotionLimits& in_force() const noexcept { return in_force_; }

 private:
  enum class Wish : std::uint8_t { rest, jog, goal, follow };
  void ask(Wish wish, double number) noexcept;
  void drop_pending() noexcept;
  void grow_sure(bool moved) noexcept;
  void set_in_force() noexcept;
  double velocity_asked() const noexcept { return wish_ == Wish::jog ? number_ : 0; }
  void plan_to(double target, double speed) noexcept;
  void follow_plan(double dt_s) noexcept;
  void change_speed_for(double velocity, double dt_s) noexcept;
  bool one_stretch(double velocity, double dt_s) noexcept;
  bool cruise(double dt_s) noexcept;
  void advance_jog(double dt_s) noexcept;
  void advance_follow(double dt_s) noexcept;
  bool could_stop(const AxisState& state, double end, double sign) const noexcept;
  bool inside(Nano goal) const noexcept;
  void aim(Nano goal) noexcept;

  // What steady motion needs stands together.
  AxisState state_{};
  double number_ = 0;  // of a jog: velocity; of follow: position
  Nano dropped_ = 0;
  Wish wish_ = Wish::rest;
  bool pending_ = false;  // goal_ holds steps that are still to be made
  bool counted_ = false;  // the axis stands exactly on goal_
  bool planned_ = false;  // there is a plan for what is asked, and the axis is plan_time_ along it
  bool unsure_ = false;
  bool met_ = false;  // of follow
  bool asks_again_ = true;
  bool written_ = false;  // plan_ is the whole plan
  Recompute recompute_;
  AxisLimits limits_;
  MotionLimits in_force_;
  // Quotients that every tick needs.
  double per_jerk_, per_decel_, decel_ramp_s_;
  // The speed that passes while the full acceleration, the full deceleration, is let go.
  double accel_settles_, decel_settles_;
  double speed_share_ = 1, accel_share_ = 1;
  std::uint32_t whose_ = 0;  // of follow
  double catch_up_ = 0;
  Nano goal_ = 0;
  double plan_speed_ = 0, plan_time_ = 0;
  Profile plan_;
};

}  // namespace gyrax
