#include "holds.hpp"

#include "actions.hpp"
#include "inputs.hpp"
#include "tell.hpp"
#include "zero.hpp"

#include <gyrax/base/nano.hpp>

namespace gyrax::detail {
namespace {

/// Follows on which side of its axis a control is that has to be met. Whether it is where the axis stands now, or has
/// passed it.
bool approach(EngineParts& e, AxisId id) noexcept {
  const Request& request = e.request(id);
  const double off = request.position - e.motion.axis(id).state().p, near = request.catch_up * 0.01;
  int& side = e.axis(id).side;
  const int now = off > near ? 1 : off < -near ? -1 : 0;
  const bool met = now == 0 || (side != 0 && now != side);
  side = met ? 0 : now;
  return met;
}

/// What is not homed is only jogged and stepped.
Obstacle goes_unhomed(const EngineParts& e, std::size_t group) noexcept {
  const std::vector<AxisId>& axes = e.motion.groups()[group].axes;
  bool goes = false;
  for (const AxisId id : axes) {
    const Request& request = e.request(id);
    goes = goes || request.going || request.posing || request.following;
  }
  for (const AxisId id : axes)
    if (goes && !e.axis(id).is_homed) return not_homed(e.axis(id));
  return {};
}

void hold_back(EngineParts& e, AxisId id, const Obstacle& lack, bool live) noexcept {
  Axis& axis = e.axis(id);
  Request& request = e.requests[index(id)];
  const bool lacks = lack.what != Interlock::none, told = request.following && axis.lapsed;
  if (live && lacks && request.moving() && !told) tell_no_move(e, id, request.by, lack);
  axis.lapsed = live && request.following && (lacks || (axis.lapsed && !approach(e, id)));
  axis.held_by = lack;
  if (lacks || axis.lapsed) e.held_back = true;
  if (!axis.lapsed) axis.side = 0;
  if (axis.lapsed && !lacks)
    axis.held_by = {.what = Interlock::not_met, .handset = e.signal.setup(request.by).handset, .slot = request.by};
  if (axis.lapsed) request.following = false;
  if (lacks) request.jogging = request.going = request.posing = false;
  if ((axis.lapsed || lacks) && request.by != no<SlotId> && !request.moving()) request.waiting_for = request.by;
}

}  // namespace

Obstacle not_homed(const Axis& axis) noexcept {
  if (axis.homing.any()) return {.what = Interlock::place_unknown};
  return {.what = Interlock::not_homed, .input = axis.homed};
}

namespace {

Obstacle lacking_inputs(const EngineParts& e, std::size_t group) noexcept {
  for (const InputId input : e.needs_inputs[group])
    if (const Obstacle lack = lacking_input(e.links, input, e.now); lack.what != Interlock::none) return lack;
  return {};
}

Obstacle lacking_power(const EngineParts& e, std::size_t group) noexcept {
  for (const SwitchId target : e.needs[group])
    if (!e.switches[index(target)].on) return {.what = Interlock::switch_off, .target = target};
  for (const Staggered& one : e.staggered)
    if (!one.has && e.axis(one.axis).group == group) return {.what = Interlock::waits_for_power};
  for (const Braked& one : e.brakes)
    if (!one.brake.let_go() && e.axis(one.axis).group == group) return {.what = Interlock::brake_holds};
  for (const Worked& one : e.worked)
    if (one.duty.rests() && e.axis(one.axis).group == group) return {.what = Interlock::has_run};
  return {};
}

}  // namespace

Obstacle lacking_but_ends(const EngineParts& e, std::size_t group) noexcept {
  const Obstacle input = lacking_inputs(e, group);
  return input.what != Interlock::none ? input : lacking_power(e, group);
}

Obstacle lacking(const EngineParts& e, std::size_t group) noexcept {
  if (e.groups[group].acted_on)
    if (const Obstacle carried = carried_by(e, group); carried.what != Interlock::none) return carried;
  if (const Obstacle input = lacking_inputs(e, group); input.what != Interlock::none) return input;
  for (const AxisId axis : e.motion.groups()[group].axes)
    if (const Obstacle end = end_in_the_way(e, axis); end.what != Interlock::none) return end;
  if (const Obstacle power = lacking_power(e, group); power.what != Interlock::none) return power;
  if (e.groups[group].homes)
    if (const Obstacle homed = goes_unhomed(e, group); homed.what != Interlock::none) return homed;
  return e.groups[group].from_zero ? beyond_travel(e, group) : Obstacle{};
}

bool watch_homed(EngineParts& e, std::size_t group) noexcept {
  bool changed = false;
  for (const AxisId id : e.motion.groups()[group].axes) {
    Axis& axis = e.axis(id);
    if (axis.homed == no<InputId>) continue;  // those that Gyrax homes say so themselves
    const bool now = e.links.input(axis.homed, e.now) == InputState::on;
    if (now == axis.is_homed) continue;
    axis.is_homed = now;
    changed = true;
    tell_homed(e, id);
  }
  return changed;
}

bool is_homed(const EngineParts& e, const GroupSetup& group) noexcept {
  for (const AxisId id : group.axes)
    if (!e.axis(id).is_homed) return false;
  return true;
}

void watch_duty(EngineParts& e) noexcept {
  for (Worked& one : e.worked) {
    const AxisMotion& motion = e.motion.axis(one.axis);
    const double v = motion.state().v;
    one.duty.pass(e.now, motion.at_rest() ? 0 : v < 0 ? -1 : 1);
  }
}

bool hold_back(EngineParts& e, std::size_t group, bool live) noexcept {
  const Obstacle lack = lacking(e, group);
  const bool lacks = lack.what != Interlock::none;
  const std::vector<AxisId>& axes = e.motion.groups()[group].axes;
  for (const AxisId axis : axes) note_end(e, axis);
  if (live && lacks) e.bind.end_moves(axes, e.signal);
  for (const AxisId axis : axes) hold_back(e, axis, lack, live);
  return lacks;
}

void turn_round(EngineParts& e, AxisId id) noexcept {
  Axis& axis = e.axis(id);
  if (axis.is_place) return;
  Request& request = e.requests[index(id)];
  const AxisMotion& motion = e.motion.axis(id);
  if (axis.held_by.what == Interlock::turning_round) axis.held_by = {};
  // It has no place to go to.
  e.held_back = e.held_back || request.going || request.following;
  request.going = request.following = request.posing = false;
  if (!motion.at_rest()) {
    axis.rests_since = e.now;
    axis.direction = motion.state().v < 0 ? -1 : motion.state().v > 0 ? 1 : axis.direction;
  }
  const int asked = request.jog > 0 ? 1 : request.jog < 0 ? -1 : 0;
  if (asked == 0 || axis.direction == 0 || asked == axis.direction) return;
  if (motion.at_rest() && e.now - axis.rests_since >= axis.rest) return;
  request.jog = 0;
  e.held_back = true;
  axis.held_by = {.what = Interlock::turning_round};
}

}  // namespace gyrax::detail
