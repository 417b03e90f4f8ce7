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

Cause cause_of(ReadingFault fault) noexcept { return fault == ReadingFault::clock ? Cause::reading_clock : Cause::reading_implausible; }

}  // namespace

bool Engine::depends(ZoneId zone, HandsetId handset) const noexcept { return contains(setup_.zones[index(zone)].handsets, handset); }

bool Engine::depends(ZoneId zone, LinkId link) const noexcept { return contains(setup_.zones[index(zone)].links, link); }

void Engine::take_readings(const TickInput& in, EventRing& events) noexcept {
  for (const Reading& reading : in.readings) {
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
  }
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
      case Ask::Kind::rate: {
        const auto thousandths = to_nano(bind_.rate() * 100) / 1'000'000;
        events.write({.at = now_, .kind = Event::Kind::rate, .number = thousandths});
        break;
      }
      case Ask::Kind::increment:
        events.write({.at = now_, .kind = Event::Kind::increment, .number = bind_.binding(ask.binding).count});
        break;
      default:
        for (std::size_t z = 0; z < permits_.size(); ++z)
          if ((ask.zones >> z & 1u) != 0) take_ask(ask, zone_at(z), events);
    }
  }
}

void Engine::take_ask(const Ask& ask, ZoneId zone, EventRing& events) noexcept {
  switch (ask.kind) {
    case Ask::Kind::ready: offer(zone, PermitEvent::make_ready, State::ready, events); break;
    case Ask::Kind::enable: offer(zone, PermitEvent::enable, State::live, events); break;
    case Ask::Kind::reset: offer(zone, PermitEvent::reset, State::stowed, events); break;
    case Ask::Kind::release: apply(zone, PermitEvent::release, Cause::enable_released, events); break;
    case Ask::Kind::squeeze: apply(zone, PermitEvent::squeeze, Cause::enable_squeezed, events); break;
    case Ask::Kind::stow: apply(zone, PermitEvent::stow, Cause::stow, events); break;
    case Ask::Kind::stop:
      stopped_[index(zone)] = 1;
      apply(zone, PermitEvent::stop, Cause::stop_key, events);
      break;
    default: break;
  }
}

/// Offers an event that starts something: only from the state that it belongs to, with nothing in the way, and never
/// in a tick that has seen a stop.
void Engine::offer(ZoneId zone, PermitEvent event, State wanted, EventRing& events) noexcept {
  const State from = permits_[index(zone)].state();
  const State needed = event == PermitEvent::make_ready ? State::stowed : event == PermitEvent::enable ? State::ready : State::tripped;
  if (stopped_[index(zone)] != 0 || from == wanted) return;
  if (from != needed) {
    // Ready or reset while it is ready or live asks for nothing new.
    if (event == PermitEvent::reset || from == State::live) return;
    events.write(
        {.at = now_, .kind = Event::Kind::refused, .zone = zone, .state = wanted, .cause = tripped_of(zone), .obstacle = holding(zone)});
    return;
  }
  if (const Obstacle in_the_way = obstacle(zone); in_the_way.what != Interlock::none) {
    events.write(
        {.at = now_, .kind = Event::Kind::refused, .zone = zone, .state = wanted, .cause = tripped_of(zone), .obstacle = in_the_way});
    return;
  }
  apply(zone, event, Cause::none, events);
  if (wanted != State::stowed) take_up(zone);
}

void Engine::apply(ZoneId zone, PermitEvent event, Cause cause, EventRing& events) noexcept {
  Permit& permit = permits_[index(zone)];
  if (!permit.apply(event, cause)) return;
  const State state = permit.state();
  const bool caused = state == State::stopping || state == State::tripped;
  events.write({.at = now_, .kind = Event::Kind::state, .zone = zone, .state = state, .cause = caused ? permit.cause() : Cause::none});
  if (permit.phase() != Phase::stopping_to_tripped) return;
  for (std::size_t i = 0; i < switches_.size(); ++i) {
    const SwitchSetup& s = setup_.switches[i];
    if (s.zone == zone && s.on_trip != SwitchSetup::OnTrip::keep)
      turn(SwitchId{static_cast<std::uint16_t>(i)}, s.on_trip == SwitchSetup::OnTrip::on, events);
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
    if (setup.position == PositionKind::measured) {
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
  const auto kind = held.what == Interlock::none ? Event::Kind::step : Event::Kind::step_refused;
  const ZoneId zone = setup_.axes[index(axis)].zone;
  events.write({.at = now_, .kind = kind, .zone = zone, .cause = tripped_of(zone), .obstacle = held, .axis = axis, .number = ask.by});
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
  // A wheel brings hundreds of counts a second; once is enough to be told.
  constexpr Span quiet = std::chrono::seconds(1);
  if (now_ - wheel_told_[index(axis)] < quiet) return;
  wheel_told_[index(axis)] = now_;
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
  if (state == State::ready || state == State::live) {
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
