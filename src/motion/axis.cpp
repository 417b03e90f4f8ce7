#include <gyrax/motion/axis.hpp>

#include "speed_change.hpp"

#include <cmath>

namespace gyrax {
namespace {

double within(double value, double low, double high) noexcept {
  return value < low ? low : value > high ? high : value;
}

double share_of(double share) noexcept {
  return share > AxisMotion::min_share ? lesser(share, 1) : AxisMotion::min_share;
}

}  // namespace

AxisMotion::AxisMotion(const AxisLimits& limits, Recompute recompute) noexcept
    : recompute_(recompute),
      limits_(limits),
      in_force_(limits.full()),
      per_jerk_(1 / in_force_.jerk),
      per_decel_(1 / in_force_.decel),
      decel_ramp_s_(in_force_.decel / in_force_.decel_jerk),
      accel_settles_(in_force_.accel * in_force_.accel / (2 * in_force_.jerk)),
      decel_settles_(in_force_.decel * decel_ramp_s_ / 2) {}

void AxisMotion::ask(Wish wish, double number) noexcept {
  planned_ = planned_ && wish == wish_ && number == number_;
  wish_ = wish;
  number_ = number;
}

void AxisMotion::restart(double position, bool unsure) noexcept {
  if (!is_position(position)) return;
  state_ = {position, 0, 0};
  stop();
  counted_ = false;
  unsure_ = unsure;
  set_in_force();
}

void AxisMotion::set_travel(double low, double high) noexcept {
  if (const auto limits = AxisLimits::make(low, high, limits_.full())) limits_ = *limits;
  planned_ = false;
  asks_again_ = true;
}

void AxisMotion::keep() noexcept {
  state_.v = state_.a = 0;
  planned_ = false;
  stop();
}

void AxisMotion::carry(const AxisState& state) noexcept {
  const bool moved = !at_rest();
  stop();
  state_ = state;
  counted_ = planned_ = false;
  grow_sure(moved);
}

/// A move is over, or has met what it follows: what follows a trembling control comes to no rest.
void AxisMotion::grow_sure(bool moved) noexcept {
  if (!unsure_ || !moved || !(at_rest() || met())) return;
  unsure_ = false;
  asks_again_ = true;
  set_in_force();
}

void AxisMotion::put_down(Nano goal) noexcept {
  carry({from_nano(goal), 0, 0});
  goal_ = goal;
  counted_ = true;
}

void AxisMotion::scale(double speed_share, double accel_share) noexcept {
  const double speed = share_of(speed_share), accel = share_of(accel_share);
  if (speed == speed_share_ && accel == accel_share_) return;
  speed_share_ = speed;
  accel_share_ = accel;
  set_in_force();
}

void AxisMotion::set_in_force() noexcept {
  in_force_.speed = speed_share_ * limits_.full().speed * (unsure_ ? unsure_share : 1);
  in_force_.accel = accel_share_ * limits_.full().accel;
  accel_settles_ = in_force_.accel * in_force_.accel * per_jerk_ / 2;
  planned_ = false;
}

void AxisMotion::drop_pending() noexcept {
  if (!pending_) return;
  pending_ = false;
  dropped_ += goal_ - rest_point();
}

void AxisMotion::jog(double velocity) noexcept {
  drop_pending();
  if (velocity > 0 || velocity < 0) {
    ask(Wish::jog, velocity);
  } else {
    ask(Wish::rest, 0);
  }
}

void AxisMotion::follow(double position, double catch_up, std::uint32_t whose) noexcept {
  drop_pending();
  if (!std::isfinite(position)) {
    ask(Wish::rest, 0);
    return;
  }
  if (wish_ != Wish::follow || whose != whose_) planned_ = met_ = false;
  whose_ = whose;
  catch_up_ = catch_up > 0 ? catch_up : min_share * limits_.speed();
  ask(Wish::follow, within(position, limits_.low(), limits_.high()));
}

void AxisMotion::settle() noexcept {
  if (pending_) {
    ask(Wish::goal, 0);
  } else {
    ask(Wish::rest, 0);
  }
}

void AxisMotion::stop() noexcept {
  asks_again_ = true;
  drop_pending();
  ask(Wish::rest, 0);
}

bool AxisMotion::inside(Nano goal) const noexcept {
  return from_nano(goal) >= limits_.low() && from_nano(goal) <= limits_.high();
}

Nano AxisMotion::rest_point() const noexcept {
  if (pending_ || counted_) return goal_;
  return to_nano(state_.p + stop_reach({0, state_.v, state_.a}, in_force_).distance);
}

void AxisMotion::aim(Nano goal) noexcept {
  if (goal != goal_) planned_ = false;
  if (!(counted_ && goal == goal_)) counted_ = false;
  goal_ = goal;
}

bool AxisMotion::go(Nano goal) noexcept {
  if (!inside(goal)) return false;
  if (pending_ && goal != goal_) drop_pending();
  pending_ = false;
  aim(goal);
  ask(Wish::goal, 0);
  return true;
}

AxisMotion::Step AxisMotion::step(Nano by) noexcept {
  const Nano from = rest_point();
  Nano goal = 0;
  if (__builtin_add_overflow(from, by, &goal)) return Step::beyond_travel;
  // From outside the travel a step may lead back in, even if it does not get there yet.
  const bool leads_back = by > 0 ? from_nano(goal) <= limits_.high() && from_nano(from) < limits_.low()
                                 : from_nano(goal) >= limits_.low() && from_nano(from) > limits_.high();
  if (!inside(goal) && !leads_back) return Step::beyond_travel;
  const double owed = from_nano(goal) - state_.p;
  if ((by > 0) == (owed > 0) && size(owed) > static_cast<double>(most_pending) * size(from_nano(by)))
    return Step::too_many;
  pending_ = asks_again_ = true;
  aim(goal);
  counted_ = false;
  return Step::taken;
}

std::int64_t AxisMotion::wheel(std::int64_t counts, Nano by, Nano most) noexcept {
  if (counts == 0 || by == 0) return 0;
  const Nano from = rest_point();
  const bool upward = (counts > 0) == (by > 0);
  const Nano here = to_nano(state_.p);
  const Nano low = limits_.low_nano(), high = limits_.high_nano();
  // The furthest that it may owe; what it cannot help any more stays.
  Nano end = upward ? high : low;
  if (most > 0) end = upward ? (here + most < end ? here + most : end) : (here - most > end ? here - most : end);
  const Nano room = upward ? end - from : from - end, click = by < 0 ? -by : by;
  const std::int64_t possible = room > 0 ? room / click : 0, wanted = counts < 0 ? -counts : counts;
  const std::int64_t taken = wanted < possible ? wanted : possible;
  if (taken > 0 || pending_) {
    pending_ = asks_again_ = true;
    aim(from + (upward ? taken : -taken) * click);
    counted_ = false;
  }
  return counts < 0 ? taken - wanted : wanted - taken;
}

void AxisMotion::plan_to(double target, double speed) noexcept {
  plan_.begin(state_, target);
  plan_speed_ = lesser(speed, in_force_.speed);
  plan_time_ = 0;
  planned_ = true;
  written_ = false;
}

/// Many a plan lives for one tick, because the next one brings another target: it is written down for a second one.
void AxisMotion::follow_plan(double dt_s) noexcept {
  const bool begins = plan_time_ == 0;
  plan_time_ += dt_s;
  if (!written_) {
    MotionLimits limits = in_force_;
    limits.speed = plan_speed_;
    if (begins && recompute_ == Recompute::changed) {
      if (const auto state = begin_move(plan_.start(), plan_.end().p, limits, dt_s)) {
        state_ = *state;
        return;
      }
    }
    move_to(plan_.start(), plan_.end().p, limits, plan_);
    written_ = true;
  }
  state_ = plan_.at(plan_time_);
}

/// A tick that lies inside one stretch of the change of speed, as most do: no root, no division. False for any other.
bool AxisMotion::one_stretch(double velocity, double dt_s) noexcept {
  const double way = state_.v < 0 || (state_.v == 0 && velocity < 0) ? -1 : 1;
  const double v = way * state_.v, to = way * velocity, change = to > v ? to - v : v - to;
  const bool gains = to > v;
  const double along = way * state_.a, a = gains ? along : -along;  // a: towards the new speed
  const double jerk = along > 0 || (along == 0 && gains) ? in_force_.jerk : in_force_.decel_jerk;
  if (to < 0 || (along < 0 && along * along > 2 * jerk * v)) return false;
  const double most = gains ? in_force_.accel : in_force_.decel;
  const double more = a + jerk * dt_s, passes = 2 * jerk * change - a * a;
  double used = 0;
  if (a < 0 || passes < -1e-12 * a * a) {
    // It leads the other way, or beyond: the acceleration goes first.
    if (size(a) <= jerk * dt_s) return false;
    used = a < 0 ? jerk : -jerk;
  } else if (more <= most && 2 * more * more <= a * a + 2 * jerk * change) {
    used = jerk;
  } else if (a == most && change >= most * dt_s + (gains ? accel_settles_ : decel_settles_)) {
    used = 0;
  } else if (a > jerk * dt_s && size(passes) <= 1e-12 * a * a) {
    used = -jerk;
  } else {
    return false;
  }
  const double sign = gains ? way : -way;
  const double told = sign * used;
  state_.p += dt_s * (state_.v + dt_s * (state_.a / 2 + dt_s * told / 6));
  state_.v += dt_s * (state_.a + dt_s * told / 2);
  state_.a += dt_s * told;
  return true;
}

void AxisMotion::change_speed_for(double velocity, double dt_s) noexcept {
  if (state_.v == velocity && state_.a == 0) {
    state_.p += dt_s * velocity;
    return;
  }
  if (one_stretch(velocity, dt_s)) return;
  OneSpan span{state_, dt_s};
  tell_speed_change(state_.v, state_.a, velocity, in_force_, span);
  state_ = span.state;
  state_.p += span.left * state_.v;
}

/// Whether a stop from `state` ends before `end`, which lies to the right for sign 1 and to the left for -1.
bool AxisMotion::could_stop(const AxisState& state, double end, double sign) const noexcept {
  const double v = sign * state.v, a = sign * state.a, room = sign * (end - state.p);
  // Without a root first: the mean of two numbers is above their geometric mean, which is what a short stop takes.
  const double fall = a > 0 ? a * per_jerk_ : 0, top = v + a * fall / 2;
  const double reach = top > 0 ? fall * top + top * (top * per_decel_ + decel_ramp_s_) / 2 : 0;
  if (reach <= room) return true;
  return stop_reach({0, v, a}, in_force_).distance <= room;
}

/// Goes on at the speed that was asked for, with room to stop in left. False where that is not all that there is to it.
bool AxisMotion::cruise(double dt_s) noexcept {
  const double v = state_.v;
  if (wish_ != Wish::jog || planned_ || state_.a != 0 || v != number_ || recompute_ == Recompute::everything)
    return false;
  const double speed = size(v), p = state_.p + dt_s * v, room = v < 0 ? p - limits_.low() : limits_.high() - p;
  if (speed > in_force_.speed || !(speed * (speed * per_decel_ + decel_ramp_s_) / 2 <= room)) return false;
  state_.p = p;
  counted_ = false;
  return true;
}

void AxisMotion::advance_jog(double dt_s) noexcept {
  const double sign = number_ < 0 ? -1 : 1, end = number_ < 0 ? limits_.low() : limits_.high();
  if (sign * (end - state_.p) <= 0) {
    change_speed_for(0, dt_s);
    return;
  }
  if (!planned_) {
    const double velocity = within(number_, -in_force_.speed, in_force_.speed);
    const AxisState before = state_;
    change_speed_for(velocity, dt_s);
    if (could_stop(state_, end, sign)) return;
    state_ = before;
    plan_to(end, size(velocity));
  }
  follow_plan(dt_s);
}

void AxisMotion::advance_follow(double dt_s) noexcept {
  const double before = number_ - state_.p;
  // Met when the control is within reach of the next hundredth of a second, or has been passed.
  met_ = met_ || size(before) <= catch_up_ * 0.01;
  if (!planned_) plan_to(number_, met_ ? in_force_.speed : catch_up_);
  follow_plan(dt_s);
  if (!met_ && before * (number_ - state_.p) < 0) {
    met_ = true;
    planned_ = false;
  }
}

void AxisMotion::advance(double dt_s) noexcept {
  if (!(dt_s > 0) || cruise(dt_s)) return;
  const bool moved = !at_rest(), in_travel = state_.p >= limits_.low() && state_.p <= limits_.high();
  switch (wish_) {
    case Wish::rest:
      if (at_rest()) return;
      change_speed_for(0, dt_s);
      break;
    case Wish::jog: advance_jog(dt_s); break;
    case Wish::follow: advance_follow(dt_s); break;
    case Wish::goal:
      if (counted_) return;
      if (!planned_) plan_to(from_nano(goal_), in_force_.speed);
      follow_plan(dt_s);
      break;
  }
  // A stop that just fits can, told from a rounded state, end a last digit beyond.
  if (in_travel) state_.p = within(state_.p, limits_.low(), limits_.high());
  counted_ = wish_ == Wish::goal && written_ && plan_time_ >= plan_.duration();
  if (counted_) {
    pending_ = false;
    asks_again_ = true;
  }
  grow_sure(moved);
}

}  // namespace gyrax
