#include <gyrax/sim/drive.hpp>

#include <algorithm>
#include <array>
#include <cmath>

namespace gyrax::sim {
namespace {

// Bits of the control word.
constexpr unsigned switch_on = 1, enable_voltage = 2, no_quick_stop = 4, enable_operation = 8, fault_reset = 0x80;
constexpr std::uint64_t step_us = 1000;

}  // namespace

const char* name_of(DrivePhase phase) noexcept {
  constexpr std::array<const char*, 7> names{
      "switch on disabled", "ready to switch on",    "switched on", "operation enabled",
      "quick stop active",  "fault reaction active", "fault"};
  return names[static_cast<std::size_t>(phase)];
}

Drive::Drive(const DriveSetup& setup) : setup_(setup) {
  for (const DriveAxisSetup& axis : setup.axes) {
    axes_.push_back({});
    axes_.back().setup = axis;
    axes_.back().position = axes_.back().wanted = axes_.back().told.position = axis.start;
  }
}

std::uint16_t Drive::status() const noexcept {
  constexpr std::array<std::uint16_t, 7> words{0x0040, 0x0021, 0x0023, 0x0027, 0x0007, 0x000f, 0x0008};
  return words[static_cast<std::size_t>(phase_)];
}

bool Drive::at_rest() const noexcept {
  return std::ranges::all_of(axes_, [](const Axis& axis) { return axis.speed == 0; });
}

void Drive::fail() noexcept {
  if (phase_ != DrivePhase::fault) phase_ = DrivePhase::fault_reaction_active;
}

void Drive::restart() noexcept {
  phase_ = DrivePhase::switch_on_disabled;
  control_ = 0;
  for (Axis& axis : axes_) axis.speed = 0;
}

void Drive::take_control(std::uint16_t control) noexcept {
  using enum DrivePhase;
  const bool resets = (control & fault_reset) != 0 && (control_ & fault_reset) == 0;
  control_ = control;
  const bool voltage = (control & enable_voltage) != 0, quick = (control & no_quick_stop) == 0;
  const bool on = (control & switch_on) != 0, operation = (control & enable_operation) != 0;
  switch (phase_) {
    case fault_reaction_active: return;
    case fault:
      if (resets) phase_ = switch_on_disabled;
      return;
    case switch_on_disabled:
      if (voltage && !quick && !on) phase_ = ready_to_switch_on;
      return;
    case quick_stop_active:
      if (!voltage) phase_ = switch_on_disabled;
      return;
    default: break;
  }
  if (!voltage) {
    phase_ = switch_on_disabled;
  } else if (quick) {
    phase_ = phase_ == operation_enabled ? quick_stop_active : switch_on_disabled;
  } else if (!on) {
    phase_ = ready_to_switch_on;
  } else if (phase_ == ready_to_switch_on) {
    phase_ = switched_on;
  } else {
    phase_ = operation ? operation_enabled : switched_on;
  }
}

void Drive::tell(std::uint16_t control, std::uint16_t heartbeat, std::span<const DriveSetPoint> set_points,
                 std::uint64_t now_us) {
  advance(now_us);
  if (heartbeat != heartbeat_) beat_us_ = now_us;
  heartbeat_ = heartbeat;
  const DrivePhase before = phase_;
  take_control(control);
  for (std::size_t a = 0; a < axes_.size() && a < set_points.size(); ++a) {
    axes_[a].told = set_points[a];
    if (before != phase_ && phase_ == DrivePhase::operation_enabled) axes_[a].wanted = axes_[a].position;
  }
}

void Drive::move(Axis& axis, double dt_s) noexcept {
  const DriveAxisSetup& s = axis.setup;
  double target = 0;
  if (phase_ == DrivePhase::operation_enabled) {
    if (s.by_speed) {
      target = axis.told.speed;
    } else {
      // Between two set points, and as long as it hears none, it goes on with the speed that it was told.
      axis.told.position += axis.told.speed * dt_s;
      const double lag = s.lag_s > 0 ? 1 - std::exp(-dt_s / s.lag_s) : 1;
      axis.wanted += (std::clamp(axis.told.position, s.low, s.high) - axis.wanted) * lag;
      // No faster than it can brake from.
      const double way = axis.wanted - axis.position, most = std::sqrt(2 * s.accel * std::abs(way));
      target = std::clamp(way / dt_s, -most, most);
    }
  }
  target = std::clamp(target, -s.speed, s.speed);
  const double most = (phase_ == DrivePhase::operation_enabled ? s.accel : s.decel) * dt_s;
  axis.speed += std::clamp(target - axis.speed, -most, most);
  axis.position += axis.speed * dt_s;
}

void Drive::advance(std::uint64_t now_us) {
  while (now_us_ < now_us) {
    const std::uint64_t next = std::min(now_us, now_us_ + step_us);
    const double dt_s = static_cast<double>(next - now_us_) / 1e6;
    now_us_ = next;
    if (phase_ == DrivePhase::operation_enabled && now_us_ - beat_us_ > setup_.watchdog_us && now_us_ > beat_us_) {
      ++watchdog_trips_;
      fail();
    }
    for (Axis& axis : axes_) move(axis, dt_s);
    if (phase_ == DrivePhase::fault_reaction_active && at_rest()) phase_ = DrivePhase::fault;
    if (phase_ == DrivePhase::quick_stop_active && at_rest()) phase_ = DrivePhase::switch_on_disabled;
  }
}

}  // namespace gyrax::sim
