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

void Engine::take_readings(const TickInput& in) noexcept {
  for (const Reading& reading : in.readings) {
    // By its own stamp, but for one from the future, which is refused.
    changed_ = 0;
    take_asks(bind_.pass(reading.event < now_ ? reading.event : now_, signal_));
    const Change change = signal_.accept(reading, now_);
    changed_ = 0;
    if (change.lost > 0)
      events_->write({.at = now_, .kind = Event::Kind::gap, .obstacle = {.handset = reading.handset}, .number = change.lost});
    for (std::size_t z = 0; z < permits_.size(); ++z) {
      if (!depends(id_at<ZoneId>(z), reading.handset)) continue;
      if (change.fault != ReadingFault::none) fault(id_at<ZoneId>(z), cause_of(change.fault));
      if (change.kind == Change::Kind::absent) fault(id_at<ZoneId>(z), Cause::handset_gone);
      if (change.lost > 0 && permits_[z].live()) fault(id_at<ZoneId>(z), Cause::handset_gap);
    }
    if (change.kind == Change::Kind::present) count_on(reading.handset);
    if (!signal_.forgotten().empty()) take_asks(bind_.lose(signal_.forgotten()));
    take_asks(bind_.changed(change, signal_));
    for (const Change& made : signal_.also_changed()) take_asks(bind_.changed(made, signal_));
  }
  signal_.advance(now_);
  changed_ = 0;
  for (const Change& change : signal_.also_changed()) {
    for (std::size_t z = 0; z < permits_.size(); ++z)
      if (change.fault != ReadingFault::none && depends(id_at<ZoneId>(z), signal_.setup(change.slot).handset))
        fault(id_at<ZoneId>(z), cause_of(change.fault));
    take_asks(bind_.changed(change, signal_));
  }
  take_asks(bind_.pass(now_, signal_));
}

void Engine::take_end() noexcept {
  for (std::size_t z = 0; z < permits_.size(); ++z) {
    stopped_[z] = 1;
    end(id_at<ZoneId>(z));
    apply(id_at<ZoneId>(z), PermitEvent::stop, Cause::program_ends);
  }
}

void Engine::take_asks(std::span<const Ask> asks) noexcept {
  for (const Ask& ask : asks) {
    switch (ask.kind) {
      case Ask::Kind::step: take_step(ask); break;
      case Ask::Kind::wheel: take_wheel(ask); break;
      case Ask::Kind::reduced: events_->write({.at = now_, .kind = Event::Kind::reduced, .number = bind_.reduced() ? 1 : 0}); break;
      case Ask::Kind::set: take_switch(ask); break;
      case Ask::Kind::number: take_number(ask); break;
      case Ask::Kind::chosen: events_->write({.at = now_, .kind = Event::Kind::chosen, .which = ask.number}); break;
      case Ask::Kind::layer: {
        const LayerId layer = bind_.binding(ask.binding).to_layer;
        events_->write({.at = now_, .kind = Event::Kind::layer, .layer = layer, .number = bind_.on(layer, signal_) ? 1 : 0});
        break;
      }
      case Ask::Kind::touched: take_touch(ask); break;
      case Ask::Kind::raise: take_raise(ask); break;
      case Ask::Kind::stale: refuse_stale(ask); break;
      default:
        for (std::size_t z = 0; z < permits_.size(); ++z)
          if ((ask.zones >> z & 1u) != 0) take_ask(ask, id_at<ZoneId>(z));
    }
  }
}

void Engine::take_ask(const Ask& ask, ZoneId zone) noexcept {
  const HandsetId by = signal_.setup(bind_.binding(ask.binding).slot).handset;
  switch (ask.kind) {
    case Ask::Kind::ready: offer(zone, PermitEvent::make_ready, State::ready, by); break;
    case Ask::Kind::enable: offer(zone, PermitEvent::enable, State::live, by); break;
    case Ask::Kind::reset: offer(zone, PermitEvent::reset, State::stowed, by); break;
    case Ask::Kind::reset_long: take_long_reset(zone, by); break;
    case Ask::Kind::squeezed: {
      const SlotId slot = bind_.binding(ask.binding).slot;
      if (permits_[index(zone)].state() == State::ready)
        refuse(zone, State::live, {.what = Interlock::squeezed, .handset = by, .slot = slot});
      break;
    }
    case Ask::Kind::release:
      if (commands(zone, by)) apply(zone, PermitEvent::release, Cause::enable_released);
      break;
    case Ask::Kind::squeeze:
      if (commands(zone, by)) apply(zone, PermitEvent::squeeze, Cause::enable_squeezed);
      break;
    case Ask::Kind::stow: apply(zone, PermitEvent::stow, Cause::stow); break;
    case Ask::Kind::stop:
      stopped_[index(zone)] = 1;
      end(zone);
      apply(zone, PermitEvent::stop, Cause::stop_key);
      break;
    default: break;
  }
}

void Engine::refuse(ZoneId zone, State wanted, const Obstacle& why) noexcept {
  events_->write({.at = now_, .kind = Event::Kind::refused, .zone = zone, .state = wanted, .cause = tripped_of(zone), .obstacle = why});
}

/// Offers an event that starts something: only from the state that it belongs to, with nothing in the way, and never
/// in a tick that has seen a stop.
void Engine::offer(ZoneId zone, PermitEvent event, State wanted, HandsetId by) noexcept {
  const State from = permits_[index(zone)].state();
  const bool readies = event == PermitEvent::make_ready, takes_over = readies && from != State::stowed && !commands(zone, by);
  const State needed = takes_over || event == PermitEvent::enable ? State::ready : readies ? State::stowed : State::tripped;
  if (stopped_[index(zone)] != 0 || (from == wanted && !takes_over)) return;
  // One press is one word: what it asks for beside what has just changed was begun before that.
  if ((changed_ >> index(zone) & 1u) != 0) {
    refuse(zone, wanted, {.what = Interlock::begun_before});
    return;
  }
  if (event == PermitEvent::enable && in_charge(zone) != 0 && !commands(zone, by)) {
    refuse(zone, wanted, {.what = Interlock::another_in_charge, .handset = in_charge_name(zone)});
    return;
  }
  if (from != needed) {
    // Ready or reset while it is ready or live asks for nothing new.
    if (event == PermitEvent::reset || (from == State::live && !takes_over)) return;
    const bool busy = takes_over && from != State::tripped;
    refuse(zone, wanted, busy ? Obstacle{.what = Interlock::another_in_charge, .handset = in_charge_name(zone)} : blocking(zone));
    return;
  }
  const Obstacle in_the_way = readies ? obstacle(zone, by) : obstacle(zone);
  if (in_the_way.what != Interlock::none) {
    refuse(zone, wanted, in_the_way);
    return;
  }
  if (readies) put_in_charge(zone, by);
  if (takes_over) return;
  const Time measured_after = since_[index(zone)];
  apply(zone, event, Cause::none);
  if (wanted != State::stowed) take_up(zone, measured_after);
  if (readies) announce(zone);
}

/// A reset without the handsets that are gone: by anybody who is at neutral and has kept it down for its long time.
void Engine::take_long_reset(ZoneId zone, HandsetId by) noexcept {
  if (permits_[index(zone)].state() != State::tripped || stopped_[index(zone)] != 0) return;
  Charge& charge = charges_[index(zone)];
  HandsetBits there = 0;
  for (const HandsetId handset : setup_.zones[index(zone)].handsets)
    if (signal_.health(handset, now_) == HandsetHealth::present) there |= bit(handset);
  const Charge before = charge;
  if ((counted_on(zone) & ~there) != 0) charge = {station_of(by), counted_on(zone) & there};
  offer(zone, PermitEvent::reset, State::stowed, by);
  if (permits_[index(zone)].state() == State::tripped) charge = before;
}

/// An override that is not full is told before anyone wonders why so little moves.
void Engine::announce(ZoneId zone) noexcept {
  const std::span<const NotchSetup::Number> numbers = bind_.numbers().moved();
  for (std::size_t n = 0; n < numbers.size(); ++n) {
    if (numbers[n].override == no<OverrideId> || bind_.numbers().percent(numbers[n].override) >= 100) continue;
    bool here = false;
    for (const AxisId axis : setup_.zones[index(zone)].axes)
      here = here || bind_.numbers().override_of(id_at<CoordinateId>(index(axis))) == numbers[n].override;
    if (here) tell_override(id_at<NumberId>(n));
  }
  if (bind_.reduced()) events_->write({.at = now_, .kind = Event::Kind::reduced, .number = 1});
}

void Engine::tell_override(NumberId number) noexcept {
  const double percent = bind_.numbers().percent(bind_.numbers().moved()[index(number)].override);
  events_->write({.at = now_, .kind = Event::Kind::override, .which = number, .number = to_nano(percent) / 1'000'000});
}

void Engine::take_number(const Ask& ask) noexcept {
  const NotchSetup::Number& number = bind_.numbers().moved()[index(ask.number)];
  if (number.override != no<OverrideId>) {
    keep_overrides();
    tell_override(ask.number);
    return;
  }
  const CoordinateId first = number.coordinates.front();
  events_->write({.at = now_,
                  .kind = Event::Kind::increment,
                  .axis = id_at<AxisId>(index(first)),
                  .which = ask.number,
                  .number = bind_.numbers().increment(first)});
}

void Engine::take_touch(const Ask& ask) noexcept {
  const AxisId axis{static_cast<std::uint16_t>(index(ask.coordinate))};
  const BindingSetup& binding = bind_.binding(ask.binding);
  if (binding.effect == Effect::handwheel && !may_tell(axis)) return;
  refuse_move(axis, binding.slot, {.what = Interlock::another_in_charge, .handset = in_charge_name(setup_.axes[index(axis)].zone)});
}

/// Slower is for anybody, faster for who is in charge.
void Engine::take_raise(const Ask& ask) noexcept {
  const auto in_charge_of = [&](std::size_t axis) { return in_charge_name(setup_.axes[axis].zone); };
  HandsetId name = no<HandsetId>;
  for (std::size_t a = 0; a < setup_.axes.size() && name == no<HandsetId>; ++a)
    if (ask.number == no<NumberId> || a == index(ask.coordinate)) name = in_charge_of(a);
  events_->write({.at = now_,
                  .kind = Event::Kind::number_refused,
                  .obstacle = {.what = Interlock::another_in_charge, .handset = name},
                  .which = ask.number});
}

/// Says that something does nothing because it was begun before its zone stopped or changed.
void Engine::refuse_stale(const Ask& ask) noexcept {
  const BindingSetup& binding = bind_.binding(ask.binding);
  const Obstacle why{.what = Interlock::begun_before, .slot = binding.slot};
  if (permits(binding.effect)) {
    const State wanted = binding.effect == Effect::ready ? State::ready : binding.effect == Effect::enable ? State::live : State::stowed;
    for (std::size_t z = 0; z < permits_.size(); ++z)
      if ((ask.zones >> z & 1u) != 0) refuse(id_at<ZoneId>(z), wanted, why);
    return;
  }
  const AxisId axis{static_cast<std::uint16_t>(index(ask.coordinate))};
  if (binding.effect == Effect::set) {
    const ZoneId zone = setup_.switches[index(ask.target)].zone;
    events_->write({.at = now_, .kind = Event::Kind::switch_refused, .zone = zone, .obstacle = why, .target = ask.target});
  } else if (binding.effect == Effect::step) {
    const Nano by = saturated_product(binding.count, bind_.numbers().increment(binding.coordinate));
    events_->write({.at = now_,
                    .kind = Event::Kind::step_refused,
                    .zone = setup_.axes[index(axis)].zone,
                    .obstacle = why,
                    .axis = axis,
                    .number = by});
  } else {
    refuse_move(axis, binding.slot, why);
  }
}

void Engine::apply(ZoneId zone, PermitEvent event, Cause cause) noexcept {
  Permit& permit = permits_[index(zone)];
  if (!permit.apply(event, cause)) return;
  const State state = permit.state();
  since_[index(zone)] = now_;
  end(zone);
  if (state == State::live)
    for (const SlotId slot : setup_.zones[index(zone)].controls) signal_.drop_part(slot);
  const bool caused = state == State::stopping || state == State::tripped;
  events_->write({.at = now_, .kind = Event::Kind::state, .zone = zone, .state = state, .cause = caused ? permit.cause() : Cause::none});
  if (state == State::stowed) relieve(zone);
  if (permit.phase() != Phase::stopping_to_tripped) return;
  for (std::size_t i = 0; i < switches_.size(); ++i) {
    const SwitchSetup& s = setup_.switches[i];
    const SwitchSetup::OnTrip then = after_trip(s, permit.cause());
    if (s.zone == zone && then != SwitchSetup::OnTrip::keep) turn(id_at<SwitchId>(i), then == SwitchSetup::OnTrip::on);
  }
}

/// Whatever was begun before this moment is void in a zone.
void Engine::end(ZoneId zone) noexcept {
  changed_ |= 1u << index(zone);
  bind_.end(zone, permits_[index(zone)].live(), signal_);
}

void Engine::fault(ZoneId zone, Cause cause) noexcept {
  if (permits_[index(zone)].after(PermitEvent::fault) != permits_[index(zone)].phase())
    events_->write({.at = now_, .kind = Event::Kind::fault, .zone = zone, .cause = cause});
  apply(zone, PermitEvent::fault, cause);
}

/// Takes up every axis of a zone where it stands: at the measured position where there is one. What was measured before
/// `measured_after`, when it came to rest, tells where it was on its way.
void Engine::take_up(ZoneId zone, Time measured_after) noexcept {
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
      const bool outdated = links_.measured_at(setup.wiring.link) < measured_after;
      if (first || (!outdated && (off > setup.in_position || off < -setup.in_position))) motion.restart(measured);
    } else if (first) {
      motion.restart(setup.start, true);
    }
    taken_up_[index(axis)] = 1;
    motion.keep();
    envelope_.restart(axis, motion.state().p);
  }
}

void Engine::take_switch(const Ask& ask) noexcept {
  const ZoneId zone = setup_.switches[index(ask.target)].zone;
  const State state = permits_[index(zone)].state();
  // What was on while it was held goes off when it is let go, whatever became of the zone meanwhile.
  const bool let_go = bind_.binding(ask.binding).to == SwitchTo::momentary && ask.to == SwitchTo::off;
  if (ask.lost) {
    // Nobody knows whether it is still held: what the rig says of a lost handset.
    const SwitchSetup::OnTrip then = setup_.switches[index(ask.target)].on_handset_lost;
    if (then != SwitchSetup::OnTrip::keep) turn(ask.target, then == SwitchSetup::OnTrip::on);
    return;
  }
  if (let_go || state == State::ready || state == State::live) {
    const bool is_on = switches_[index(ask.target)] != 0;
    turn(ask.target, ask.to == SwitchTo::toggle ? !is_on : ask.to == SwitchTo::on);
    return;
  }
  events_->write({.at = now_,
                  .kind = Event::Kind::switch_refused,
                  .zone = zone,
                  .cause = tripped_of(zone),
                  .obstacle = blocking(zone),
                  .target = ask.target});
}

void Engine::turn(SwitchId target, bool on) noexcept {
  auto& state = switches_[index(target)];
  const std::uint8_t wanted = on ? 1 : 0;
  if (state == wanted) return;
  state = wanted;
  events_->write({.at = now_, .kind = Event::Kind::switched, .target = target, .number = wanted});
}

}  // namespace gyrax
