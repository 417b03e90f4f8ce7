#include "zones.hpp"

#include "switches.hpp"
#include "tell.hpp"

namespace gyrax::detail {
namespace {

/// So long after a change of state the one key for ready and stow makes nothing ready: whoever presses it twice in a
/// fright has stowed.
constexpr Span only_stows_for = std::chrono::milliseconds(500);

/// So often in so long, and a short press does not reset it any more.
constexpr std::size_t max_same_trips = 2;
constexpr Span trips_count_for = std::chrono::seconds(60);

void note_trip(EngineParts& e, Zone& zone) noexcept {
  const Cause cause = zone.permit.cause();
  zone.trips[zone.next_trip] = {cause, e.now};
  zone.next_trip = (zone.next_trip + 1) % zone.trips.size();
  std::size_t same = 0;
  for (const Trip& trip : zone.trips)
    if (trip.cause == cause && e.now - trip.at <= trips_count_for) ++same;
  zone.tripped_again = same > max_same_trips;
}

/// What would be in the way if this handset made the zone ready.
Obstacle in_the_way_of(const EngineParts& e, ZoneId zone, HandsetId handset) noexcept {
  const HandsetBits station = station_of(e, handset);
  return first_obstacle(e.zone(zone).setup, station, station, e.measured_by, e.signal, e.links, e.now);
}

/// What would be in the way if a zone that is hold to run became live: what it is held with is none of it.
Obstacle in_the_way_of_running(const EngineParts& e, ZoneId id) noexcept {
  const Zone& zone = e.zone(id);
  const Obstacle lack =
      first_lack(zone.setup, zone.counted_on(), zone.in_charge, e.measured_by, e.signal, e.links, e.now);
  if (lack.what != Interlock::none) return lack;
  return first_not_neutral(zone.setup, zone.in_charge, e.signal,
                           [&](SlotId slot) { return e.bind.runs(slot, id, e.signal); });
}

/// Takes up every axis of a zone where it stands: at the measured position where there is one, else where its far end
/// says that it told it to be last. What was measured before `measured_after`, when it came to rest, tells where it was
/// on its way.
void take_up(EngineParts& e, ZoneId zone, Time measured_after) noexcept {
  for (const AxisId id : e.zone(zone).setup.axes) {
    Axis& axis = e.axis(id);
    const AxisMotion& motion = e.motion.axis(id);
    const bool first = !axis.taken_up;
    if (!axis.is_place) {
      if (motion.at_rest()) e.motion.restart(id, 0);
    } else if (const AxisReport& report = e.links.measured(id);
               axis.position == PositionKind::measured || report.told) {
      const double off = report.position - motion.state().p;
      // Where the report agrees with the counted rest point, that point is kept: steps stay exact across a pause.
      const bool outdated = e.links.measured_at(axis.link) < measured_after;
      if (first || (!outdated && (off > axis.in_position || off < -axis.in_position)))
        e.motion.restart(id, report.position);
    } else if (first) {
      e.motion.restart(id, axis.start, !axis.homing.any());
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

/// What is void once a zone has come into its state.
void begin_state(EngineParts& e, ZoneId id) noexcept {
  Zone& zone = e.zone(id);
  const State state = zone.permit.state();
  if (!zone.setup.hold_to_run || (state != State::live && state != State::ready)) return end_begun(e, id);
  // What is held is what makes it live, and what was pressed anew on the way to rest does so once it is there.
  zone.changed = true;
  e.held_back = true;
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
  begin_state(e, id);
  if (state == State::live)
    for (const SlotId slot : zone.setup.controls) e.signal.drop_part(slot);
  tell(e, id, {.kind = Event::Kind::state, .state = state});
  if (state == State::stowed) relieve(e, id);
  if (state == State::tripped) note_trip(e, zone);
  if (state == State::ready) zone.faults = 0;
  if (cause != Cause::none) stop_switches(e, id, cause);
}

void fault(EngineParts& e, ZoneId zone, Cause cause, const Obstacle& why, std::int64_t number) noexcept {
  const Permit& permit = e.zone(zone).permit;
  if (permit.after(PermitEvent::fault) != permit.phase())
    e.tell({.kind = Event::Kind::fault, .zone = zone, .cause = cause, .obstacle = why, .number = number});
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
  if (readies) tell_numbers(e, id);
  apply(e, id, event, Cause::none);
  if (wanted != State::stowed) take_up(e, id, measured_after);
}

void offer_ready_or_stow(EngineParts& e, ZoneId id, HandsetId by) noexcept {
  const Zone& zone = e.zone(id);
  const State state = zone.permit.state();
  if (state != State::stowed && state != State::tripped) return apply(e, id, PermitEvent::stow, Cause::stow);
  const State wanted = state == State::stowed ? State::ready : State::stowed;
  if (e.now - zone.since < only_stows_for) {
    apply(e, id, PermitEvent::stow, Cause::stow);
    return refuse(e, id, wanted, {.what = Interlock::too_soon});
  }
  if (state == State::tripped) return offer_reset(e, id, by);
  offer(e, id, PermitEvent::make_ready, wanted, by);
}

void offer_reset(EngineParts& e, ZoneId id, HandsetId by) noexcept {
  const Zone& zone = e.zone(id);
  const bool too_short = zone.permit.state() == State::tripped && zone.tripped_again;
  if (too_short) return refuse(e, id, State::stowed, {.what = Interlock::tripped_again});
  offer(e, id, PermitEvent::reset, State::stowed, by);
}

void setting_changed(EngineParts& e, ZoneId id) noexcept {
  const State state = e.zone(id).permit.state();
  if (state != State::stowed && state != State::tripped) apply(e, id, PermitEvent::stow, Cause::setting_changed);
}

void run_while_held(EngineParts& e, ZoneId id) noexcept {
  const Zone& zone = e.zone(id);
  const bool held = e.bind.enabling(id, e.signal);
  if (zone.permit.live() && !held) return apply(e, id, PermitEvent::release, Cause::let_go);
  if (zone.permit.state() != State::ready || !held) return;
  offer(e, id, PermitEvent::enable, State::live, name_in_charge(e, id));
  // What was refused has to be let go first.
  if (!zone.permit.live()) e.bind.end_moves(zone.setup.axes, e.signal);
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
    case State::ready: return {.what = e.zone(zone).setup.hold_to_run ? Interlock::not_held : Interlock::not_enabled};
    case State::stopping: return {.what = Interlock::stopping};
    case State::tripped: return {.what = e.zone(zone).tripped_again ? Interlock::tripped_again : Interlock::tripped};
    case State::live: break;
  }
  return {};
}

Obstacle in_the_way(const EngineParts& e, ZoneId id) noexcept {
  const Zone& zone = e.zone(id);
  if (zone.setup.hold_to_run && zone.permit.state() == State::ready) return in_the_way_of_running(e, id);
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
