#include <gyrax/motion/axis.hpp>

namespace gyrax {
namespace {

bool usable(double value) noexcept { return value > 0 && value <= AxisLimits::greatest; }

double within(double value, double low, double high) noexcept { return value < low ? low : value > high ? high : value; }

}  // namespace

std::optional<AxisLimits> AxisLimits::make(double low, double high, double speed, double accel, double brake) noexcept {
  if (!(is_position(low) && is_position(high) && low < high)) return std::nullopt;
  if (!(usable(speed) && usable(accel) && usable(brake))) return std::nullopt;
  AxisLimits limits;
  limits.low_ = low;
  limits.high_ = high;
  limits.speed_ = speed;
  limits.accel_ = accel;
  limits.brake_ = brake;
  return limits;
}

void AxisMotion::restart(double position, bool unsure) noexcept {
  if (!is_position(position)) return;
  state_ = {position, 0, 0};
  stop();
  counted_ = false;
  unsure_ = unsure;
}

void AxisMotion::keep() noexcept {
  state_.v = state_.a = 0;
  stop();
}

Nano AxisMotion::rest_point() const noexcept {
  if (counted_) return goal_;
  const double sign = state_.v < 0 ? -1 : 1;
  return to_nano(state_.p + sign * stop_distance(state_.v, limits_.brake()));
}

void AxisMotion::jog(double share, double rate) noexcept {
  const double velocity = within(share, -1, 1) * within(rate, 0, 1) * limits_.speed();
  pending_ = false;
  if (!(velocity > 0 || velocity < 0)) {
    wish_ = Wish::rest;
    return;
  }
  wish_ = Wish::jog;
  velocity_ = velocity;
}

bool AxisMotion::below(Nano goal) const noexcept { return from_nano(goal) < limits_.low(); }

bool AxisMotion::above(Nano goal) const noexcept { return from_nano(goal) > limits_.high(); }

bool AxisMotion::go(Nano goal, double rate) noexcept {
  if (below(goal) || above(goal)) return false;
  if (!(goal_ == goal && counted_)) counted_ = false;
  goal_ = goal;
  wish_ = Wish::goal;
  pending_ = false;
  rate_ = rate;
  return true;
}

bool AxisMotion::step(Nano by) noexcept {
  const Nano base = pending_ ? goal_ : rest_point();
  Nano goal = 0;
  if (__builtin_add_overflow(base, by, &goal)) return false;
  // From outside the travel a step may lead back in, even if it does not get there yet.
  const bool from_below = below(base) && by > 0, from_above = above(base) && by < 0;
  if ((below(goal) && !from_below) || (above(goal) && !from_above)) return false;
  goal_ = goal;
  pending_ = true;
  counted_ = false;
  return true;
}

void AxisMotion::settle(double rate) noexcept {
  wish_ = pending_ ? Wish::goal : Wish::rest;
  rate_ = rate;
}

void AxisMotion::stop() noexcept {
  wish_ = Wish::rest;
  pending_ = false;
}

bool AxisMotion::blocked_low() const noexcept { return wish_ == Wish::jog && velocity_ < 0 && state_.v == 0 && state_.p <= limits_.low(); }

bool AxisMotion::blocked_high() const noexcept {
  return wish_ == Wish::jog && velocity_ > 0 && state_.v == 0 && state_.p >= limits_.high();
}

Ramp AxisMotion::plan() const noexcept {
  const double brake = limits_.brake();
  const double share = unsure_ ? unsure_share : 1;
  if (wish_ == Wish::goal) return ramp_to(state_, from_nano(goal_), {share * rate_ * limits_.speed(), limits_.accel(), brake});
  if (wish_ == Wish::rest) return ramp_to_rest(state_, brake);
  const double end = velocity_ < 0 ? limits_.low() : limits_.high();
  const bool outward = velocity_ < 0 ? state_.p <= end : state_.p >= end;
  if (outward) return ramp_to_rest(state_, brake);
  return ramp_to(state_, end, {share * (velocity_ < 0 ? -velocity_ : velocity_), limits_.accel(), brake});
}

void AxisMotion::advance(double dt_s) noexcept {
  if (!(dt_s > 0)) return;
  if (wish_ != Wish::goal && state_.v == 0 && (wish_ == Wish::rest || blocked_low() || blocked_high())) {
    state_.a = 0;
    return;
  }
  const Ramp ramp = plan();
  const bool inside = state_.p >= limits_.low() && state_.p <= limits_.high();
  state_ = ramp.at(dt_s);
  // A stop that just fits can, told from a rounded state, end a last digit beyond.
  if (inside) state_.p = within(state_.p, limits_.low(), limits_.high());
  counted_ = wish_ == Wish::goal && dt_s >= ramp.duration();
  if (counted_) pending_ = false;
  if (state_.v == 0) unsure_ = false;
}

}  // namespace gyrax
