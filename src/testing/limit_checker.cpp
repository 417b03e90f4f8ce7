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

void LimitChecker::start(double p, double v) {
  p_ = p;
  v_ = v;
}

void LimitChecker::tick(double p, double v, double dt_s) {
  const double accel = limits_.accel(), brake = limits_.brake(), hardest = std::max(accel, brake);
  note(speed_, std::abs(v) - limits_.speed() * (1 + share));

  const double change = std::abs(v - v_);
  const bool turned = v * v_ < 0, gains = !turned && std::abs(v) > std::abs(v_);
  const double allowed = gains ? accel : turned ? hardest : brake;
  if (dt_s > 0) note(accel_, (change - slack) / dt_s - allowed * (1 + share));
  if (dt_s == 0) note(accel_, change);

  note(leap_, std::abs(p - p_ - (v + v_) / 2 * dt_s) - hardest * dt_s * dt_s / 4 * (1 + share) - slack);

  // Room to stop in; from outside the travel, back in only.
  const double stop = v * v / (2 * brake) * (1 - share);
  const double high = p + (v > 0 ? stop : 0), low = p - (v < 0 ? stop : 0);
  if (p > p_ || v > 0) note(travel_, high - limits_.high() - slack);
  if (p < p_ || v < 0) note(travel_, limits_.low() - low - slack);

  ++ticks_;
  near_speed_ += std::abs(v) > limits_.speed() * 0.999 ? 1 : 0;
  near_accel_ += gains && change > accel * dt_s * 0.999 ? 1 : 0;
  near_brake_ += !gains && change > 0 && change > brake * dt_s * 0.999 ? 1 : 0;
  at_end_ += v == 0 && (p == limits_.low() || p == limits_.high()) ? 1 : 0;
  start(p, v);
}

double LimitChecker::worst() const { return std::max({speed_, accel_, leap_, travel_}); }

}  // namespace gyrax::testing
