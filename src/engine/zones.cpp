#include "zones.hpp"

#include "switches.hpp"
#include "tell.hpp"

namespace gyrax::detail {
namespace {

/// What would be in the way if this handset made the zone ready.
Obstacle in_the_way_of(const EngineParts& e, ZoneId zone, HandsetId handset) noexcept {
  const HandsetBits station = station_of(e, handset);
  return first_obstacle(e.zone(zone).setup, station, station, e.measured_by, e.signal, e.links, e.now);
}

/// Takes up every axis of a zone where it stands: at the measured position where there is one. What was measured before
/// `measured_after`, when it came to rest, tells where it was on its way.
void take_up(EngineParts& e, ZoneId zone, Time measured_after) noexcept {
  for (const AxisId id : e.zone(zone).setup.axes) {
    Axis& axis = e.axis(id);
    const AxisMotion& motion = e.motion.axis(id);
    const bool first = !axis.taken_up;
    if (!axis.is_place) {
      if (motion.at_rest()) e.motion.restart(id, 0);
    } else if (axis.position == PositionKind::measured) {
      const double measured = e.links.measured(id).position, off = measured - motion.state().p;
      // Where the report agrees with the counted rest point, that point is kept: steps stay exact across a pause.
      const bool outdated = e.links.measured_at(axis.link) < measured_after;
      if (first || (!outdated && (off > axis.in_position || off < -axis.in_position))) e.motion.restart(id, measured);
    } else if (first) {
      e.motion.restart(id, axis.start, true);
    }
    axis.taken_up = true;
    e.motion.keep(id);
    e.envelope.restart(id, motion.state().p);
  }
}

}  // namespace

void tell(EngineParts& e, ZoneId zone, Event event) noexcept {
  event.zone = zone;
  event.cause = cause_of(e, zone);
  e.tell(event);
}

void refuse(EngineParts& e, ZoneId zone, State wanted, const Obstacle& why) noexcept {
  // Whoever let go has to know how far from rest the control is.
  const bool deflected = why.what == Interlock::not_neutral && why.slot != no<SlotId>;
  const std::int64_t at = deflected ? to_nano(e.signal.deflection(why.slot)) / 10'000 : 0;
  tell(e, zone, {.kind = Event::Kind::refused, .state = wanted, .obstacle = why, .number = at});
}

void end_begun(EngineParts& e, ZoneId zone) noexcept {
  e.zone(zone).changed = true;
  e.bind.end(zone, e.zone(zone).permit.live(), e.signal);
}

void end_program(EngineParts& e) noexcept {
  for (std::size_t z = 0; z < e.zones.size(); ++z) {
    e.zones[z].stopped = true;
    end_begun(e, id_at<ZoneId>(z));
    apply(e, id_at<ZoneId>(z), PermitEvent::stop, Cause::program_ends);
  }
}

void apply(EngineParts& e, ZoneId id, PermitEvent event, Cause cause) noexcept {
  Zone& zone = e.zone(id);
  // Power and cause can change where the state does not.
  e.still &= ~bit(id);
  const bool changed = zone.permit.apply(event, cause);
  const bool pressed = event == PermitEvent::stow || event == PermitEvent::stop;
  const bool faulty = event == PermitEvent::fault && zone.permit.state() != State::stowed;
  if (!changed) {
    // Another press of stop, and another fault, are heeded on the way to rest and afterwards, too.
    if (pressed || faulty) stop_switches(e, id, cause);
    return;
  }
  const State state = zone.permit.state();
  zone.since = e.now;
  end_begun(e, id);
  if (state == State::live)
    for (const SlotId slot : zone.setup.controls) e.signal.drop_part(slot);
  tell(e, id, {.kind = Event::Kind::state, .state = state});
  if (state == State::stowed) relieve(e, id);
  if (state == State::ready) zone.faults = 0;
  if (cause != Cause::none) stop_switches(e, id, cause);
}

void fault(EngineParts& e, ZoneId zone, Cause cause) noexcept {
  const Permit& permit = e.zone(zone).permit;
  if (permit.after(PermitEvent::fault) != permit.phase())
    e.tell({.kind = Event::Kind::fault, .zone = zone, .cause = cause});
  apply(e, zone, PermitEvent::fault, cause);
}

void offer(EngineParts& e, ZoneId id, PermitEvent event, State wanted, HandsetId by) noexcept {
  Zone& zone = e.zone(id);
  const State from = zone.permit.state();
  const bool commands = has(zone.in_charge, by);
  const bool readies = event == PermitEvent::make_ready, takes_over = readies && from != State::stowed && !commands;
  const State needed = takes_over || event == PermitEvent::enable ? State::ready
                       : readies                                  ? State::stowed
                                                                  : State::tripped;
  if (zone.stopped || (from == wanted && !takes_over)) return;
  // One press is one word: what it asks for beside what has just changed was begun before that.
  if (zone.changed) return refuse(e, id, wanted, {.what = Interlock::begun_before});
  const Obstacle another{.what = Interlock::another_in_charge, .handset = name_in_charge(e, id)};
  if (event == PermitEvent::enable && zone.in_charge != 0 && !commands) return refuse(e, id, wanted, another);
  if (from != needed) {
    // Ready or reset while it is ready or live asks for nothing new.
    if (event == PermitEvent::reset || (from == State::live && !takes_over)) return;
    return refuse(e, id, wanted, takes_over && from != State::tripped ? another : blocking(e, id));
  }
  const Obstacle first = readies ? in_the_way_of(e, id, by) : in_the_way(e, id);
  if (first.what != Interlock::none) return refuse(e, id, wanted, first);
  if (readies) put_in_charge(e, id, by);
  if (takes_over) return;
  const Time measured_after = zone.since;
  apply(e, id, event, Cause::none);
  if (wanted != State::stowed) take_up(e, id, measured_after);
  if (readies) tell_speeds(e, id);
}

void offer_long_reset(EngineParts& e, ZoneId id, HandsetId by) noexcept {
  Zone& zone = e.zone(id);
  if (zone.permit.state() != State::tripped || zone.stopped) return;
  HandsetBits there = 0;
  for (const HandsetId handset : zone.setup.handsets)
    if (e.signal.health(handset, e.now) == HandsetHealth::present) there |= bit(handset);
  const HandsetBits in_charge = zone.in_charge, also_there = zone.also_there, counted_on = zone.counted_on();
  if ((counted_on & ~there) != 0) {
    zone.in_charge = station_of(e, by);
    zone.also_there = counted_on & there;
  }
  offer(e, id, PermitEvent::reset, State::stowed, by);
  if (zone.permit.state() != State::tripped) return;
  zone.in_charge = in_charge;
  zone.also_there = also_there;
}

Obstacle blocking(const EngineParts& e, ZoneId zone) noexcept {
  switch (e.zone(zone).permit.state()) {
    case State::stowed: return {.what = Interlock::stowed};
    case State::ready: return {.what = Interlock::not_enabled};
    case State::stopping: return {.what = Interlock::stopping};
    case State::tripped: return {.what = Interlock::tripped};
    case State::live: break;
  }
  return {};
}

Obstacle in_the_way(const EngineParts& e, ZoneId id) noexcept {
  const Zone& zone = e.zone(id);
  if (zone.in_charge != 0)
    return first_obstacle(zone.setup, zone.counted_on(), zone.in_charge, e.measured_by, e.signal, e.links, e.now);
  // Nobody is in charge: anybody who could be will do.
  Obstacle first;
  for (const HandsetId handset : zone.setup.handsets) {
    const Obstacle one = in_the_way_of(e, id, handset);
    if (one.what == Interlock::none) return one;
    if (first.what == Interlock::none) first = one;
  }
  return first;
}

Cause cause_of(const EngineParts& e, ZoneId zone) noexcept {
  const Permit& permit = e.zone(zone).permit;
  return permit.stopping() || permit.state() == State::tripped ? permit.cause() : Cause::none;
}

}  // namespace gyrax::detail
