#include <gyrax/motion/path.hpp>

#include "speed_change.hpp"

namespace gyrax {

void Path::begin(std::span<const double> from, std::span<const Nano> goals, std::span<const std::uint8_t> moves,
                 std::span<const MotionLimits> limits, double path_speed) noexcept {
  length_ = 0;
  for (std::size_t i = 0; i < share_.size(); ++i) {
    from_[i] = from[i];
    goals_[i] = goals[i];
    moves_[i] = moves[i];
    share_[i] = moves[i] != 0 ? from_nano(goals[i]) - from[i] : 0;
    length_ = greater(length_, size(share_[i]));
  }
  for (double& share : share_) share = length_ > 0 ? share / length_ : 0;
  state_ = {};
  to_end_ = planned_ = false;
  change(limits, path_speed);
}

void Path::change(std::span<const MotionLimits> limits, double path_speed) noexcept {
  double squares = 0;
  for (const double share : share_) squares += share * share;
  constexpr double any = 1e12;
  MotionLimits along{squares > 0 ? path_speed / std::sqrt(squares) : path_speed, any, any, any, any};
  for (std::size_t i = 0; i < share_.size(); ++i) {
    const double share = size(share_[i]);
    if (!(share > 0)) continue;
    along.speed = lesser(along.speed, limits[i].speed / share);
    along.accel = lesser(along.accel, limits[i].accel / share);
    along.jerk = lesser(along.jerk, limits[i].jerk / share);
    along.decel = lesser(along.decel, limits[i].decel / share);
    along.decel_jerk = lesser(along.decel_jerk, limits[i].decel_jerk / share);
  }
  if (along.speed == in_force_.speed && along.accel == in_force_.accel && planned_) return;
  in_force_ = along;
  planned_ = false;
}

void Path::aim(bool to_end) noexcept {
  if (to_end != to_end_) planned_ = false;
  to_end_ = to_end;
}

void Path::advance(double dt_s) noexcept {
  if (!(dt_s > 0) || (at_rest() && (!to_end_ || state_.p == length_))) return;
  if (!planned_) {
    if (to_end_)
      move_to(state_, length_, in_force_, plan_);
    else
      plan_ = stop(state_, in_force_);
    plan_time_ = 0;
    planned_ = true;
  }
  plan_time_ += dt_s;
  state_ = plan_.at(plan_time_);
}

AxisState Path::state(std::size_t axis) const noexcept {
  if (moves_[axis] == 0) return {from_[axis], 0, 0};
  if (arrived()) return {from_nano(goals_[axis]), 0, 0};
  return {from_[axis] + share_[axis] * state_.p, share_[axis] * state_.v, share_[axis] * state_.a};
}

}  // namespace gyrax
