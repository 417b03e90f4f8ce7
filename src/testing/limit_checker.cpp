#include <gyrax/testing/limit_checker.hpp>

#include <algorithm>
#include <cmath>

namespace gyrax::testing {
namespace {

/// NaN is the greatest violation of all.
void note(double& worst, double beyond) {
  if (!(beyond <= 0)) worst = std::isnan(beyond) ? HUGE_VAL : std::max(worst, beyond);
}

}  // namespace

void LimitChecker::start(double p, double v, double a) {
  p_ = p;
  v_ = v;
  a_ = a;
}

/// The greatest speed, either way, that the state leads to if its acceleration is taken off at once.
double LimitChecker::unavoidable_speed() const {
  const MotionLimits& full = limits_.full();
  const double v = std::abs(v_), squares = a_ * a_;
  if (v_ * a_ >= 0) return v + squares / (2 * full.jerk);
  const double turns = squares - 2 * full.decel_jerk * v;
  return turns > 0 ? std::max(v, turns / (2 * full.jerk)) : v;
}

void LimitChecker::in_force(const MotionLimits& limits) {
  in_force_ = limits;
  top_ = std::max(limits.speed, std::min(top_, unavoidable_speed()));
  hardest_ = std::max(limits.accel, std::min(hardest_, std::abs(a_)));
}

void LimitChecker::check_overrides(double v, double a, double dt_s) {
  const MotionLimits& full = limits_.full();
  const double hardest = std::max(full.accel, full.decel);
  // There and back again inside the tick is a turn as well.
  const double gains = v * a, gained = v_ * a_;
  const bool turned = v * v_ <= 0 || std::abs(v) + std::abs(v_) <= hardest * dt_s;
  note(speed_, std::abs(v) - top_ * (1 + share));
  const double most = gains > 0 ? hardest_ : v == 0 ? hardest : full.decel;
  note(accel_, std::abs(a) - most * (1 + share) - slack * hardest);

  const double sharpest = std::max(full.jerk, full.decel_jerk);
  const bool mixed = turned || gains * gained < 0;
  const double jerk = mixed ? sharpest : gains + gained > 0 ? full.jerk : full.decel_jerk;
  const double change = std::abs(a - a_);
  // Under a jerk within ±j the speed strays from the mean acceleration's by (j·dt² − change²/j)/4 at most.
  const double stray = std::abs(v - v_ - (a + a_) / 2 * dt_s);
  const double open = std::max(0.0, sharpest * dt_s * dt_s - change * change / sharpest) / 4;
  if (dt_s > 0) {
    note(jerk_, (change - slack * hardest) / dt_s - jerk * (1 + share));
    note(accel_, (stray - open - slack * (full.speed + hardest * dt_s)) / dt_s - share * hardest);
  } else {
    note(jerk_, change);
    note(accel_, std::abs(v - v_));
  }
  if (mixed || dt_s == 0) return;
  near_accel_ += gains > 0 && std::abs(a) > most * 0.999 ? 1 : 0;
  near_decel_ += gains < 0 && std::abs(a) > most * 0.999 ? 1 : 0;
  near_jerk_ += gains + gained > 0 && change > jerk * dt_s * 0.999 ? 1 : 0;
  near_decel_jerk_ += gains + gained < 0 && change > jerk * dt_s * 0.999 ? 1 : 0;
}

void LimitChecker::check_way(double p, double v, double a, double dt_s) {
  const double sharpest = std::max(limits_.full().jerk, limits_.full().decel_jerk);
  const double expected = (v + v_) / 2 * dt_s - (a - a_) * dt_s * dt_s / 12;
  note(leap_, std::abs(p - p_ - expected) - 0.0321 * sharpest * dt_s * dt_s * dt_s * (1 + share) - slack -
                  2e-15 * std::abs(p));
}

/// Room for a stop that is shorter than any that the jerks allow; from outside the travel, back in only.
void LimitChecker::check_travel(double p, double v) {
  const double stop = v * v / (2 * limits_.full().decel) * (1 - share), rounding = slack + 2e-15 * std::abs(p);
  if (p > p_ || v > 0) note(travel_, p + (v > 0 ? stop : 0) - limits_.high() - rounding);
  if (p < p_ || v < 0) note(travel_, limits_.low() - p + (v < 0 ? stop : 0) - rounding);
}

void LimitChecker::tick(double p, double v, double a, double dt_s) {
  check_overrides(v, a, dt_s);
  check_way(p, v, a, dt_s);
  check_travel(p, v);
  ++ticks_;
  near_speed_ += std::abs(v) > in_force_.speed * 0.999 && std::abs(v) < in_force_.speed * 1.001 ? 1 : 0;
  at_end_ += v == 0 && (p == limits_.low() || p == limits_.high()) ? 1 : 0;
  start(p, v, a);
  top_ = std::max(in_force_.speed, std::min(top_, unavoidable_speed()));
  hardest_ = std::max(in_force_.accel, std::min(hardest_, std::abs(a)));
}

double LimitChecker::worst() const { return std::max({speed_, accel_, jerk_, leap_, travel_}); }

}  // namespace gyrax::testing
