#include "homing.hpp"

#include "brakes.hpp"
#include "holds.hpp"
#include "inputs.hpp"
#include "tell.hpp"

#include "../base/size.hpp"

#include <gyrax/base/nano.hpp>

namespace gyrax::detail {
namespace {

void wake(EngineParts& e, ZoneId zone) noexcept {
  e.still &= ~bit(zone);
  e.held_back = true;
}

void set_travel(EngineParts& e, AxisId id, double low, double high) noexcept {
  e.motion.set_travel(id, low, high);
  e.envelope.set_travel(id, low, high);
}

/// What is asked of the axis from now on: to run, at this signed speed; 0: to rest.
void lead(EngineParts& e, AxisId id, double velocity) noexcept {
  Request& request = e.homing_requests[index(id)];
  request = {};
  request.jogging = velocity != 0;
  request.jog = velocity < 0 ? -1 : velocity > 0 ? 1 : 0;
  if (velocity != 0) e.axis(id).homing_speed = size(velocity);
}

/// What a phase asks of it.
void lead(EngineParts& e, AxisId id, HomingPhase phase) noexcept {
  Axis& axis = e.axis(id);
  const HomingSetup& setup = axis.homing;
  const double towards = setup.up ? 1 : -1;
  switch (phase) {
    case HomingPhase::search: return lead(e, id, towards * setup.speed);
    case HomingPhase::leave:
    case HomingPhase::back_off: return lead(e, id, -towards * setup.slow);
    case HomingPhase::approach: return lead(e, id, towards * setup.slow);
    case HomingPhase::begin:
    case HomingPhase::settle: return lead(e, id, 0.0);
    case HomingPhase::go: break;
  }
  lead(e, id, 0.0);
  e.homing_requests[index(id)].going = true;
  e.homing_requests[index(id)].goal = to_nano(setup.then);
  axis.homing_speed = setup.speed;
}

void enter(EngineParts& e, HomingRun& run, AxisId id, HomingPhase phase) noexcept {
  run.phase = phase;
  run.from = e.motion.axis(id).state().p;
}

/// Where the axis was when its switch was seen on first. Its speed stands on this approach, so that reports which come
/// late, or together, or from two links, tell the same.
double place_of_switch(const EngineParts& e, AxisId id, const HomingSetup& homing) noexcept {
  const Time since = e.links.input_since(homing.home);
  const AxisReport& report = e.links.measured(id);
  const AxisState& told = e.motion.axis(id).state();
  if (!report.measured) return told.p - told.v * to_seconds(e.before - since);
  return report.position - told.v * to_seconds(e.links.measured_at(e.axis(id).link) - since);
}

/// Its switch is where the rig says: everything is told in the machine's own places from now on. At rest.
void set_place(EngineParts& e, AxisId id, double met) noexcept {
  Axis& axis = e.axis(id);
  const double here = e.motion.axis(id).state().p, shift = axis.homing.at - met;
  axis.link_zero += to_nano(shift);
  e.links.place_zero(id, from_nano(axis.link_zero));
  e.output.place_zero(id, axis.link_zero);
  e.motion.restart(id, here + from_nano(to_nano(shift)));
  e.envelope.restart(id, e.motion.axis(id).state().p);
  set_travel(e, id, axis.low, axis.high);
  // Whoever compares reports would see it leap.
  for (Measured& one : e.measured)
    if (one.axis == id) one.runaway.forget();
  axis.is_homed = true;
  tell_homed(e, id);
}

/// The other end's switch, or what the axis's group needs. What only takes a moment is waited for.
Obstacle lacking_for(const EngineParts& e, AxisId id, double way) noexcept {
  const Axis& axis = e.axis(id);
  const Obstacle end = end_towards(e, id, way);
  if (end.what != Interlock::none && end.input != axis.homing.home) return end;
  const Obstacle lack = lacking_but_ends(e, axis.group);
  return lack.what == Interlock::waits_for_power || lack.what == Interlock::brake_holds ? Obstacle{} : lack;
}

}  // namespace

void lose_place(EngineParts& e, AxisId id) noexcept {
  Axis& axis = e.axis(id);
  if (!axis.homing.any() || !axis.is_homed) return;
  axis.is_homed = false;
  set_travel(e, id, -max_position, max_position);
  wake(e, axis.zone);
  tell_homed(e, id);
}

void watch_places(EngineParts& e) noexcept {
  for (const AxisId id : e.homed_here) {
    Axis& axis = e.axis(id);
    const std::uint32_t losses = e.links.losses(axis.link);
    const bool free = !axis.homing.keeps && !has_power(e, id);
    if (losses != axis.losses || !e.links.fresh(axis.link, e.now) || free) lose_place(e, id);
    axis.losses = losses;
  }
}

void begin_homing(EngineParts& e, Action& action) noexcept {
  action.homing = {};
  for (const AxisId id : action.setup.homes) {
    lead(e, id, 0.0);
    e.groups[e.axis(id).group].homing = true;
  }
}

void end_homing(EngineParts& e, const Action& action) noexcept {
  for (const AxisId id : action.setup.homes) {
    lead(e, id, 0.0);
    e.axis(id).homing_speed = 0;
    e.groups[e.axis(id).group].homing = false;
  }
}

void ask_homing(EngineParts& e, std::size_t group) noexcept {
  double share = 0;
  for (const AxisId id : e.motion.groups()[group].axes) {
    const double own = e.axis(id).homing_speed / e.motion.axis(id).limits().speed();
    if (own > share) share = own;
  }
  if (lacking_but_ends(e, group).what != Interlock::none) return e.motion.stop(group);
  e.motion.ask(group, e.homing_requests, {.speed = share > 0 ? share : 1});
}

Obstacle work_homing(EngineParts& e, Action& action) noexcept {
  HomingRun& now = action.homing;
  if (now.row == action.setup.homes.size()) return {};
  const AxisId id = action.setup.homes[now.row];
  Axis& axis = e.axis(id);
  const HomingSetup& setup = axis.homing;
  const double towards = setup.up ? 1 : -1;
  const AxisMotion& motion = e.motion.axis(id);
  const double p = motion.state().p, gone = size(p - now.from);
  const InputState home = e.links.input(setup.home, e.now);
  const bool on = home == InputState::on;
  e.still &= ~bit(axis.zone);
  if (home == InputState::unknown) return {.what = Interlock::input_unknown, .input = setup.home};
  const bool away = now.phase == HomingPhase::leave || now.phase == HomingPhase::back_off;
  if (now.phase != HomingPhase::settle && now.phase != HomingPhase::go) {
    if (const Obstacle lack = lacking_for(e, id, away ? -towards : towards); lack.what != Interlock::none) return lack;
    if (now.phase != HomingPhase::begin && gone > setup.way)
      return {.what = Interlock::switch_not_met, .input = setup.home};
  }
  switch (now.phase) {
    case HomingPhase::begin:
      lose_place(e, id);
      enter(e, now, id, on ? HomingPhase::leave : HomingPhase::search);
      break;
    case HomingPhase::search:
      if (on) enter(e, now, id, HomingPhase::leave);
      break;
    case HomingPhase::leave:
      if (!on) enter(e, now, id, HomingPhase::back_off);
      break;
    case HomingPhase::back_off:
      if (on) enter(e, now, id, HomingPhase::leave);
      if (!on && (p - now.from) * towards <= -setup.back_off) enter(e, now, id, HomingPhase::approach);
      break;
    case HomingPhase::approach:
      if (!on) break;
      now.met = place_of_switch(e, id, setup);
      enter(e, now, id, HomingPhase::settle);
      break;
    case HomingPhase::settle:
      if (!motion.at_rest()) break;
      set_place(e, id, now.met);
      enter(e, now, id, HomingPhase::go);
      break;
    case HomingPhase::go:
      if (!motion.at_rest() || motion.has_goal() || to_nano(p) != to_nano(setup.then)) break;
      lead(e, id, 0.0);
      axis.homing_speed = 0;
      ++now.row;
      now.phase = HomingPhase::begin;
      return {};
  }
  lead(e, id, now.phase);
  return {};
}

}  // namespace gyrax::detail
