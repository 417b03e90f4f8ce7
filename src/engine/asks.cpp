// How readings become events of the permits: the part of the tick where order matters.
#include <gyrax/engine/engine.hpp>

namespace gyrax {
namespace {

template <class Id>
bool contains(const std::vector<Id>& list, Id id) noexcept {
  for (const Id one : list)
    if (one == id) return true;
  return false;
}

ZoneId zone_at(std::size_t row) { return ZoneId{static_cast<std::uint16_t>(row)}; }

SwitchSetup::OnTrip after_trip(const SwitchSetup& s, Cause cause) noexcept {
  switch (cause) {
    case Cause::handset_gone:
    case Cause::handset_silent:
    case Cause::handset_gap: return s.on_handset_lost;
    case Cause::link_silent: return s.on_link_lost;
    default: return s.on_trip;
  }
}

Cause cause_of(ReadingFault fault) noexcept { return fault == ReadingFault::clock ? Cause::reading_clock : Cause::reading_implausible; }

}  // namespace

bool Engine::depends(ZoneId zone, HandsetId handset) const noexcept {
  return contains(setup_.zones[index(zone)].handsets, handset) && has(counted_on(zone), handset);
}

bool Engine::depends(ZoneId zone, LinkId link) const noexcept { return contains(setup_.zones[index(zone)].links, link); }

void Engine::take_readings(const TickInput& in, EventRing& events) noexcept {
  for (const Reading& reading : in.readings) {
    // By its own stamp, but for one from the future, which is refused.
    take_asks(bind_.pass(reading.event < now_ ? reading.event : now_, signal_), events);
    const Change change = signal_.accept(reading, now_);
    if (change.lost > 0)
      events.write({.at = now_, .kind = Event::Kind::gap, .obstacle = {.handset = reading.handset}, .number = change.lost});
    for (std::size_t z = 0; z < permits_.size(); ++z) {
      if (!depends(zone_at(z), reading.handset)) continue;
      if (change.fault != ReadingFault::none) fault(zone_at(z), cause_of(change.fault), events);
      if (change.kind == Change::Kind::absent) fault(zone_at(z), Cause::handset_gone, events);
      if (change.lost > 0 && permits_[z].live()) fault(zone_at(z), Cause::handset_gap, events);
    }
    take_asks(bind_.changed(change, signal_), events);
    for (const Change& made : signal_.made()) take_asks(bind_.changed(made, signal_), events);
  }
  signal_.advance(now_);
  for (const Change& change : signal_.made()) {
    for (std::size_t z = 0; z < permits_.size(); ++z)
      if (change.fault != ReadingFault::none && depends(zone_at(z), signal_.setup(change.slot).handset))
        fault(zone_at(z), cause_of(change.fault), events);
    take_asks(bind_.changed(change, signal_), events);
  }
  take_asks(bind_.pass(now_, signal_), events);
}

void Engine::take_end(EventRing& events) noexcept {
  for (std::size_t z = 0; z < permits_.size(); ++z) {
    stopped_[z] = 1;
    apply(zone_at(z), PermitEvent::stop, Cause::program_ends, events);
  }
}

void Engine::take_asks(std::span<const Ask> asks, EventRing& events) noexcept {
  for (const Ask& ask : asks) {
    switch (ask.kind) {
      case Ask::Kind::step: take_step(ask, events); break;
      case Ask::Kind::wheel: take_wheel(ask, events); break;
      case Ask::Kind::reduced: events.write({.at = now_, .kind = Event::Kind::reduced, .number = bind_.reduced() ? 1 : 0}); break;
      case Ask::Kind::set: take_switch(ask, events); break;
      case Ask::Kind::number: take_number(ask, events); break;
      case Ask::Kind::chosen: events.write({.at = now_, .kind = Event::Kind::chosen, .which = ask.number}); break;
      case Ask::Kind::layer: {
        const LayerId layer = bind_.binding(ask.binding).to_layer;
        events.write({.at = now_, .kind = Event::Kind::layer, .layer = layer, .number = bind_.on(layer, signal_) ? 1 : 0});
        break;
      }
      case Ask::Kind::touched: take_touch(ask, events); break;
      default:
        for (std::size_t z = 0; z < permits_.size(); ++z)
          if ((ask.zones >> z & 1u) != 0) take_ask(ask, zone_at(z), events);
    }
  }
}

void Engine::take_ask(const Ask& ask, ZoneId zone, EventRing& events) noexcept {
  const HandsetId by = signal_.setup(bind_.binding(ask.binding).slot).handset;
  switch (ask.kind) {
    case Ask::Kind::ready: offer(zone, PermitEvent::make_ready, State::ready, by, events); break;
    case Ask::Kind::enable: offer(zone, PermitEvent::enable, State::live, by, events); break;
    case Ask::Kind::reset: offer(zone, PermitEvent::reset, State::stowed, by, events); break;
    case Ask::Kind::release:
      if (commands(zone, by)) apply(zone, PermitEvent::release, Cause::enable_released, events);
      break;
    case Ask::Kind::squeeze:
      if (commands(zone, by)) apply(zone, PermitEvent::squeeze, Cause::enable_squeezed, events);
      break;
    case Ask::Kind::stow: apply(zone, PermitEvent::stow, Cause::stow, events); break;
    case Ask::Kind::stop:
      stopped_[index(zone)] = 1;
      apply(zone, PermitEvent::stop, Cause::stop_key, events);
      break;
    default: break;
  }
}

void Engine::refuse(ZoneId zone, State wanted, const Obstacle& why, EventRing& events) noexcept {
  events.write({.at = now_, .kind = Event::Kind::refused, .zone = zone, .state = wanted, .cause = tripped_of(zone), .obstacle = why});
}

/// Offers an event that starts something: only from the state that it belongs to, with nothing in the way, and never
/// in a tick that has seen a stop.
void Engine::offer(ZoneId zone, PermitEvent event, State wanted, HandsetId by, EventRing& events) noexcept {
  const State from = permits_[index(zone)].state();
  const bool readies = event == PermitEvent::make_ready, takes_over = readies && from != State::stowed && !commands(zone, by);
  const State needed = takes_over || event == PermitEvent::enable ? State::ready : readies ? State::stowed : State::tripped;
  if (stopped_[index(zone)] != 0 || (from == wanted && !takes_over)) return;
  if (event == PermitEvent::enable && in_charge(zone) != 0 && !commands(zone, by)) {
    refuse(zone, wanted, {.what = Interlock::another_in_charge, .handset = in_charge_name(zone)}, events);
    return;
  }
  if (from != needed) {
    // Ready or reset while it is ready or live asks for nothing new.
    if (event == PermitEvent::reset || (from == State::live && !takes_over)) return;
    const bool busy = takes_over && from != State::tripped;
    refuse(zone, wanted, busy ? Obstacle{.what = Interlock::another_in_charge, .handset = in_charge_name(zone)} : holding(zone), events);
    return;
  }
  const Obstacle in_the_way = readies ? obstacle(zone, by) : obstacle(zone);
  if (in_the_way.what != Interlock::none) {
    refuse(zone, wanted, in_the_way, events);
    return;
  }
  if (readies) put_in_charge(zone, by, events);
  if (takes_over) return;
  apply(zone, event, Cause::none, events);
  if (wanted != State::stowed) take_up(zone);
  if (readies) announce(zone, events);
}

/// A rate that is not full is told before anyone wonders why so little moves.
void Engine::announce(ZoneId zone, EventRing& events) noexcept {
  const std::span<const NotchSetup::Number> numbers = bind_.numbers().moved();
  for (std::size_t n = 0; n < numbers.size(); ++n) {
    if (numbers[n].rate == no<RateId> || bind_.numbers().percent(numbers[n].rate) >= 100) continue;
    bool here = false;
    for (const AxisId axis : setup_.zones[index(zone)].axes)
      here = here || bind_.numbers().rate_of(CoordinateId{static_cast<std::uint16_t>(index(axis))}) == numbers[n].rate;
    if (here) tell_rate(NumberId{static_cast<std::uint16_t>(n)}, events);
  }
  if (bind_.reduced()) events.write({.at = now_, .kind = Event::Kind::reduced, .number = 1});
}

void Engine::tell_rate(NumberId number, EventRing& events) noexcept {
  const double percent = bind_.numbers().percent(bind_.numbers().moved()[index(number)].rate);
  events.write({.at = now_, .kind = Event::Kind::rate, .which = number, .number = to_nano(percent) / 1'000'000});
}

void Engine::take_number(const Ask& ask, EventRing& events) noexcept {
  const NotchSetup::Number& number = bind_.numbers().moved()[index(ask.number)];
  if (number.rate != no<RateId>) {
    tell_rate(ask.number, events);
    return;
  }
  const CoordinateId first = number.coordinates.front();
  events.write({.at = now_,
                .kind = Event::Kind::increment,
                .axis = AxisId{static_cast<std::uint16_t>(index(first))},
                .which = ask.number,
                .number = bind_.numbers().increment(first)});
}

void Engine::take_touch(const Ask& ask, EventRing& events) noexcept {
  const AxisId axis{static_cast<std::uint16_t>(index(ask.coordinate))};
  const BindingSetup& binding = bind_.binding(ask.binding);
  if (binding.effect == Effect::handwheel && !may_tell(axis)) return;
  refuse_move(axis, binding.slot, {.what = Interlock::another_in_charge, .handset = in_charge_name(setup_.axes[index(axis)].zone)}, events);
}

void Engine::apply(ZoneId zone, PermitEvent event, Cause cause, EventRing& events) noexcept {
  Permit& permit = permits_[index(zone)];
  if (!permit.apply(event, cause)) return;
  const State state = permit.state();
  const bool caused = state == State::stopping || state == State::tripped;
  events.write({.at = now_, .kind = Event::Kind::state, .zone = zone, .state = state, .cause = caused ? permit.cause() : Cause::none});
  if (state == State::stowed) relieve(zone);
  if (permit.phase() != Phase::stopping_to_tripped) return;
  for (std::size_t i = 0; i < switches_.size(); ++i) {
    const SwitchSetup& s = setup_.switches[i];
    const SwitchSetup::OnTrip then = after_trip(s, permit.cause());
    if (s.zone == zone && then != SwitchSetup::OnTrip::keep)
      turn(SwitchId{static_cast<std::uint16_t>(i)}, then == SwitchSetup::OnTrip::on, events);
  }
}

void Engine::fault(ZoneId zone, Cause cause, EventRing& events) noexcept {
  const Phase before = permits_[index(zone)].phase();
  const Phase after = next(before, PermitEvent::fault);
  if (after != before) events.write({.at = now_, .kind = Event::Kind::fault, .zone = zone, .cause = cause});
  apply(zone, PermitEvent::fault, cause, events);
}

/// Takes up every axis of a zone where it stands: at the measured position where there is one.
void Engine::take_up(ZoneId zone) noexcept {
  for (const AxisId axis : setup_.zones[index(zone)].axes) {
    const AxisSetup& setup = setup_.axes[index(axis)];
    AxisMotion& motion = motion_.axis(axis);
    const bool first = taken_up_[index(axis)] == 0;
    const double stands = motion.state().p;
    if (setup.motor) {
      if (motion.at_rest()) motion.restart(0);
    } else if (setup.position == PositionKind::measured) {
      const double measured = links_.measured(axis).position;
      // Where the report agrees with the counted rest point, that point is kept: steps stay exact across a pause.
      const double off = measured - stands;
      if (first || off > setup.settled || off < -setup.settled) motion.restart(measured);
    } else if (first) {
      motion.restart(setup.start, true);
    }
    taken_up_[index(axis)] = 1;
    motion.keep();
    envelope_.restart(axis, motion.state().p);
  }
}

/// What keeps steps and counts from an axis; none if nothing does.
Obstacle Engine::holding_steps(AxisId axis) const noexcept {
  const Obstacle held = holding(setup_.axes[index(axis)].zone);
  const Request& request = requests_[index(axis)];
  if (held.what == Interlock::none && holds_[index(axis)].why.what == Interlock::switch_off) return holds_[index(axis)].why;
  if (held.what != Interlock::none || !request.moving()) return held;
  return {.what = Interlock::not_neutral, .handset = signal_.setup(request.by).handset, .slot = request.by};
}

void Engine::take_step(const Ask& ask, EventRing& events) noexcept {
  const AxisId axis{static_cast<std::uint16_t>(index(ask.coordinate))};
  Obstacle held = holding_steps(axis);
  if (held.what == Interlock::none) {
    const AxisMotion::Step step = motion_.axis(axis).step(ask.by);
    if (step == AxisMotion::Step::beyond_travel) held = {.what = ask.by < 0 ? Interlock::end_of_travel_low : Interlock::end_of_travel_high};
    if (step == AxisMotion::Step::too_many) held = {.what = Interlock::too_many_steps};
  }
  if (held.what != Interlock::none) bind_.refused(ask.binding);
  const auto kind = held.what == Interlock::none ? Event::Kind::step : Event::Kind::step_refused;
  const ZoneId zone = setup_.axes[index(axis)].zone;
  events.write({.at = now_, .kind = kind, .zone = zone, .cause = tripped_of(zone), .obstacle = held, .axis = axis, .number = ask.by});
}

/// A wheel brings hundreds of counts a second; to be told once is enough.
bool Engine::may_tell(AxisId axis) noexcept {
  constexpr Span quiet = std::chrono::seconds(1);
  if (now_ - wheel_told_[index(axis)] < quiet) return false;
  wheel_told_[index(axis)] = now_;
  return true;
}

void Engine::take_wheel(const Ask& ask, EventRing& events) noexcept {
  const AxisId axis{static_cast<std::uint16_t>(index(ask.coordinate))};
  const BindingSetup& binding = bind_.binding(ask.binding);
  Obstacle held = holding_steps(axis);
  std::int64_t dropped = ask.counts;
  if (held.what == Interlock::none) {
    dropped = motion_.axis(axis).wheel(ask.counts, ask.by, binding.behind);
    // What a wheel that may not run ahead drops is meant to be dropped.
    if (dropped == 0 || binding.behind > 0) return;
    held = {.what = (dropped < 0) == (ask.by > 0) ? Interlock::end_of_travel_low : Interlock::end_of_travel_high};
  }
  if (!may_tell(axis)) return;
  const ZoneId zone = setup_.axes[index(axis)].zone;
  events.write({.at = now_,
                .kind = Event::Kind::wheel_refused,
                .zone = zone,
                .cause = tripped_of(zone),
                .obstacle = held,
                .axis = axis,
                .number = dropped});
}

void Engine::take_switch(const Ask& ask, EventRing& events) noexcept {
  const ZoneId zone = setup_.switches[index(ask.target)].zone;
  const State state = permits_[index(zone)].state();
  // What was on while it was held goes off when it is let go, whatever became of the zone meanwhile.
  const bool let_go = bind_.binding(ask.binding).to == SwitchTo::while_held && ask.to == SwitchTo::off;
  if (let_go || state == State::ready || state == State::live) {
    const bool is_on = switches_[index(ask.target)] != 0;
    turn(ask.target, ask.to == SwitchTo::toggle ? !is_on : ask.to == SwitchTo::on, events);
    return;
  }
  events.write({.at = now_,
                .kind = Event::Kind::switch_refused,
                .zone = zone,
                .cause = tripped_of(zone),
                .obstacle = holding(zone),
                .target = ask.target});
}

void Engine::turn(SwitchId target, bool on, EventRing& events) noexcept {
  auto& state = switches_[index(target)];
  const std::uint8_t wanted = on ? 1 : 0;
  if (state == wanted) return;
  state = wanted;
  events.write({.at = now_, .kind = Event::Kind::switched, .target = target, .number = wanted});
}

}  // namespace gyrax
