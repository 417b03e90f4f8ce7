#include "brakes.hpp"

namespace gyrax::detail {
namespace {

/// A machine comes to rest later than its command. One that does not is braked all the same.
constexpr Span patience = std::chrono::milliseconds(500);

bool at_rest(const EngineParts& e, AxisId axis) noexcept {
  return e.commands[index(axis)].v == 0 && e.commands[index(axis)].a == 0 && e.motion.axis(axis).at_rest();
}

bool reported_still(const EngineParts& e, const Braked& one) noexcept {
  const AxisReport& report = e.links.measured(one.axis);
  return !report.measured || (report.speed <= one.slow && report.speed >= -one.slow);
}

/// The stop under way ends with the brakes closed.
bool has_to_close(const Permit& permit) noexcept {
  return permit.stopping() && (permit.category() != Category::two || permit.phase() != Phase::stopping_to_ready);
}

bool zone_rests(const EngineParts& e, ZoneId zone) noexcept {
  for (const AxisId axis : e.zone(zone).setup.axes)
    if (!at_rest(e, axis)) return false;
  return true;
}

}  // namespace

void work_power(EngineParts& e) noexcept {
  for (Staggered& one : e.staggered) {
    const ZoneId zone = e.axis(one.axis).zone;
    const bool zone_has = e.zone(zone).permit.powered();
    if (zone_has && !one.zone_had) one.since = e.now;
    one.zone_had = zone_has;
    const bool has = zone_has && e.now - one.since >= one.after;
    if (has == one.has) continue;
    one.has = has;
    e.still &= ~bit(zone);
    e.held_back = true;
  }
}

bool has_power(const EngineParts& e, AxisId axis) noexcept {
  if (!e.zone(e.axis(axis).zone).permit.powered()) return false;
  for (const Staggered& one : e.staggered)
    if (one.axis == axis) return one.has;
  return true;
}

void work_brakes(EngineParts& e) noexcept {
  for (Braked& one : e.brakes) {
    const Axis& axis = e.axis(one.axis);
    const Permit& permit = e.zone(axis.zone).permit;
    const State state = permit.state();
    const bool rests = at_rest(e, one.axis), still = reported_still(e, one);
    if (!rests) one.moved = e.now;
    const bool may_close = zone_rests(e, axis.zone) && (still || e.now - one.moved >= patience);
    const bool wanted = state == State::ready || state == State::live ||
                        (state == State::stopping && !(has_to_close(permit) && may_close));
    const bool changed = one.brake.pass(e.now, {has_power(e, one.axis), wanted, rests && still});
    if (!changed) continue;
    e.still &= ~bit(axis.zone);
    e.held_back = true;
  }
}

bool is_braked(const EngineParts& e, AxisId axis) noexcept {
  for (const Braked& one : e.brakes)
    if (one.axis == axis) return !one.brake.told_open();
  return false;
}

bool brakes_hold(const EngineParts& e, ZoneId zone) noexcept {
  if (!has_to_close(e.zone(zone).permit)) return true;
  for (const Braked& one : e.brakes)
    if (e.axis(one.axis).zone == zone && !one.brake.holds()) return false;
  return true;
}

}  // namespace gyrax::detail
