#include <gyrax/sim/controller.hpp>

#include <algorithm>
#include <cmath>

namespace gyrax::sim {
namespace {

constexpr std::uint64_t step_us = 250;
constexpr double nothing = 1e-12;

}  // namespace

Controller::Controller(const ControllerSetup& setup) : setup_(setup) {
  for (const ControllerAxisSetup& axis : setup.axes) positions_.push_back(axis.start);
  ends_ = positions_;
}

ControllerState Controller::state() const noexcept {
  return has_alarm_                        ? ControllerState::alarm
         : paused_ && !(speed_ > 0)        ? ControllerState::paused
         : queue_.empty() && !(speed_ > 0) ? ControllerState::idle
                                           : ControllerState::moving;
}

double Controller::speed(std::size_t axis) const noexcept {
  return queue_.empty() ? 0 : speed_ * queue_.front().along[axis];
}

double Controller::way_left() const noexcept {
  double way = 0;
  for (const Block& block : queue_) way += block.length - block.done;
  return way;
}

bool Controller::move(std::span<const double> to, double speed) {
  if (has_alarm_ || stops_ || !has_room() || !(speed > 0)) return false;
  Block block;
  block.from = ends_;
  for (std::size_t a = 0; a < positions_.size(); ++a) {
    if (to[a] < setup_.axes[a].low || to[a] > setup_.axes[a].high) return false;
    block.along.push_back(to[a] - ends_[a]);
    block.length += block.along[a] * block.along[a];
  }
  block.length = std::sqrt(block.length);
  if (!(block.length > nothing)) return true;
  block.speed = speed;
  block.accel = 1e12;
  for (std::size_t a = 0; a < positions_.size(); ++a) {
    block.along[a] /= block.length;
    const double share = std::abs(block.along[a]);
    if (!(share > nothing)) continue;
    block.speed = std::min(block.speed, setup_.axes[a].speed / share);
    block.accel = std::min(block.accel, setup_.axes[a].accel / share);
  }
  if (!queue_.empty()) {
    block.corner = std::min(block.speed, queue_.back().speed);
    for (std::size_t a = 0; a < positions_.size(); ++a) {
      const double turn = std::abs(block.along[a] - queue_.back().along[a]);
      if (turn > nothing) block.corner = std::min(block.corner, setup_.axes[a].corner / turn);
    }
  }
  ends_.assign(to.begin(), to.end());
  queue_.push_back(std::move(block));
  plan();
  return true;
}

/// From the last back: what each may still have at its end, so that all after it can be done.
void Controller::plan() noexcept {
  double exit = 0;
  for (auto block = queue_.rbegin(); block != queue_.rend(); ++block) {
    block->exit = exit;
    exit = std::min(block->corner, std::sqrt(exit * exit + 2 * block->accel * (block->length - block->done)));
  }
}

void Controller::stand() noexcept {
  queue_.clear();
  ends_ = positions_;
  speed_ = 0;
  stops_ = false;
}

void Controller::stop() noexcept {
  paused_ = false;
  if (queue_.empty()) return;
  stops_ = true;
}
void Controller::abort() noexcept {
  stand();
  has_alarm_ = true;
  paused_ = false;
}
void Controller::pause(bool paused) noexcept { paused_ = paused && !has_alarm_; }
void Controller::alarm() noexcept { abort(); }
void Controller::clear() noexcept { has_alarm_ = false; }
void Controller::restart() noexcept {
  stand();
  has_alarm_ = paused_ = false;
}

void Controller::step(double dt_s) noexcept {
  if (queue_.empty()) return;
  Block& block = queue_.front();
  const double rest = block.length - block.done, most = block.accel * dt_s;
  // The speed from which it comes down to the exit over what is left, a step from now: v·dt + (v² − exit²)/2a = rest.
  const double down = -most + std::sqrt(most * most + block.exit * block.exit + 2 * block.accel * rest);
  double wanted = std::min(block.speed * share_, down);
  if (stops_ || paused_) wanted = 0;
  speed_ = std::max(0.0, speed_ + std::clamp(wanted - speed_, -most, most));
  if (stops_ && !(speed_ > 0)) return stand();
  // What is nearly there arrives.
  const double least = 1e-7;
  block.done += speed_ * dt_s;
  if (!paused_ && !stops_ && block.length - block.done < least && block.exit == 0) block.done = block.length;
  for (std::size_t a = 0; a < positions_.size(); ++a)
    positions_[a] = block.from[a] + block.along[a] * std::min(block.done, block.length);
  if (block.done < block.length) return;
  const double over = block.done - block.length;
  const bool is_last = queue_.size() == 1;
  if (is_last) {
    positions_ = ends_;
    speed_ = 0;
    stops_ = false;
    queue_.pop_front();
    return;
  }
  queue_.pop_front();
  queue_.front().done = std::min(over, queue_.front().length / 2);
  for (std::size_t a = 0; a < positions_.size(); ++a)
    positions_[a] = queue_.front().from[a] + queue_.front().along[a] * queue_.front().done;
}

void Controller::advance(std::uint64_t now_us) {
  while (now_us_ < now_us) {
    const std::uint64_t next = std::min(now_us, now_us_ + step_us);
    step(static_cast<double>(next - now_us_) / 1e6);
    now_us_ = next;
  }
}

}  // namespace gyrax::sim
