#include "asks.hpp"

#include "actions.hpp"
#include "switches.hpp"
#include "tell.hpp"
#include "zero.hpp"
#include "zones.hpp"

namespace gyrax::detail {
namespace {

template <class Id>
bool contains(const std::vector<Id>& list, Id id) noexcept {
  for (const Id one : list)
    if (one == id) return true;
  return false;
}

Cause cause_of(ReadingFault fault) noexcept {
  return fault == ReadingFault::clock ? Cause::reading_clock : Cause::reading_implausible;
}

bool counts_on(const Zone& zone, HandsetId handset) noexcept {
  return contains(zone.setup.handsets, handset) && has(zone.counted_on(), handset);
}

/// The state that a word to the permit asks for.
State wanted_by(Ask::Kind kind) noexcept {
  const bool readies = kind == Ask::Kind::ready || kind == Ask::Kind::ready_or_stow;
  return readies ? State::ready : kind == Ask::Kind::enable ? State::live : State::stowed;
}

/// Of an enable; a zone that is hold to run has none.
bool is_of_enable(Ask::Kind kind) noexcept {
  return kind == Ask::Kind::enable || kind == Ask::Kind::release || kind == Ask::Kind::squeeze ||
         kind == Ask::Kind::squeezed;
}

/// A word to the permit of one zone.
void take_word(EngineParts& e, const Ask& ask, ZoneId id) noexcept {
  Zone& zone = e.zone(id);
  if (zone.setup.hold_to_run && is_of_enable(ask.kind)) return;
  const HandsetId by = e.signal.setup(ask.by).handset;
  const bool commands = has(zone.in_charge, by);
  switch (ask.kind) {
    case Ask::Kind::ready: return offer(e, id, PermitEvent::make_ready, State::ready, by);
    case Ask::Kind::enable: return offer(e, id, PermitEvent::enable, State::live, by);
    case Ask::Kind::reset: return offer_reset(e, id, by);
    case Ask::Kind::reset_long: return offer_long_reset(e, id, by);
    case Ask::Kind::ready_or_stow: return offer_ready_or_stow(e, id, by);
    case Ask::Kind::squeezed:
      if (zone.permit.state() == State::ready)
        refuse(e, id, State::live, {.what = Interlock::squeezed, .handset = by, .slot = ask.by});
      return;
    case Ask::Kind::release:
      if (commands) apply(e, id, PermitEvent::release, Cause::enable_released);
      return;
    case Ask::Kind::squeeze:
      if (commands) apply(e, id, PermitEvent::squeeze, Cause::enable_squeezed);
      return;
    case Ask::Kind::stow: return apply(e, id, PermitEvent::stow, Cause::stow);
    case Ask::Kind::stop:
      zone.stopped = true;
      end_begun(e, id);
      return apply(e, id, PermitEvent::stop, Cause::stop_key);
    default: return;
  }
}

/// Something on a handset that is not in charge would move an axis.
void refuse_touched(EngineParts& e, const Ask& ask) noexcept {
  const AxisId axis = id_at<AxisId>(index(ask.coordinate));
  if (ask.counts != 0 && !begin_quiet(e.axis(axis), e.now)) return;
  const HandsetId in_charge = name_in_charge(e, e.axis(axis).zone);
  tell_no_move(e, axis, ask.by, {.what = Interlock::another_in_charge, .handset = in_charge});
}

/// Slower is for anybody, faster for who is in charge.
void refuse_raise(EngineParts& e, const Ask& ask) noexcept {
  HandsetId name = no<HandsetId>;
  for (std::size_t a = 0; a < e.axes.size() && name == no<HandsetId>; ++a)
    if (ask.number == no<NumberId> || a == index(ask.coordinate)) name = name_in_charge(e, e.axes[a].zone);
  e.tell({.kind = Event::Kind::number_refused,
          .obstacle = {.what = Interlock::another_in_charge, .handset = name},
          .which = ask.number});
}

/// What does nothing because it was begun before its zone stopped or changed.
void refuse_stale(EngineParts& e, const Ask& ask) noexcept {
  const Obstacle why{.what = Interlock::begun_before, .slot = ask.by};
  if (ask.target != no<SwitchId>) {
    const ZoneId zone = e.switches[index(ask.target)].setup.zone;
    return e.tell({.kind = Event::Kind::switch_refused, .zone = zone, .obstacle = why, .target = ask.target});
  }
  if (ask.kind == Ask::Kind::zero) return refuse_zero(e, id_at<AxisId>(index(ask.coordinate)), why);
  if (ask.action != no<ActionId>) return refuse_action(e, ask.action, why);
  if (ask.coordinate == no<CoordinateId>) {
    for (std::size_t z = 0; z < e.zones.size(); ++z)
      if (has(ask.zones, id_at<ZoneId>(z))) refuse(e, id_at<ZoneId>(z), wanted_by(ask.kind), why);
    return;
  }
  const AxisId axis = id_at<AxisId>(index(ask.coordinate));
  if (ask.kind != Ask::Kind::step) return tell_no_move(e, axis, ask.by, why);
  e.tell({.kind = Event::Kind::step_refused,
          .zone = e.axis(axis).zone,
          .obstacle = why,
          .axis = axis,
          .number = ask.distance});
}

/// A number is another one now.
void take_number(EngineParts& e, NumberId number) noexcept {
  keep_overrides(e);
  tell_number(e, number);
  const OverrideId override = e.bind.numbers().moved()[index(number)].override;
  for (std::size_t z = 0; z < e.zones.size(); ++z)
    if (e.zones[z].setup.stow_after.override && concerns(e, override, id_at<ZoneId>(z)))
      setting_changed(e, id_at<ZoneId>(z));
}

/// A latched layer is on or off now.
void take_layer(EngineParts& e, LayerId layer) noexcept {
  e.tell({.kind = Event::Kind::layer, .layer = layer, .number = e.bind.on(layer, e.signal) ? 1 : 0});
  for (std::size_t z = 0; z < e.zones.size(); ++z)
    if (e.zones[z].setup.stow_after.layer) setting_changed(e, id_at<ZoneId>(z));
}

void take(EngineParts& e, const Ask& ask) noexcept {
  if (ask.kind == Ask::Kind::set && turns_off(e, ask)) return take_switch(e, ask);
  if (ask.counts_as == Ask::Counts::stale) return refuse_stale(e, ask);
  if (ask.counts_as == Ask::Counts::touched) return refuse_touched(e, ask);
  switch (ask.kind) {
    case Ask::Kind::step: return take_step(e, ask);
    case Ask::Kind::wheel: return take_counts(e, ask);
    case Ask::Kind::set: return take_switch(e, ask);
    case Ask::Kind::action: return take_action(e, ask.action, ask.by);
    case Ask::Kind::zero: return take_zero(e, ask);
    case Ask::Kind::raise: return refuse_raise(e, ask);
    case Ask::Kind::number: return take_number(e, ask.number);
    case Ask::Kind::chosen: return e.tell({.kind = Event::Kind::chosen, .which = ask.number});
    case Ask::Kind::reduced: return e.tell({.kind = Event::Kind::reduced, .number = e.bind.reduced() ? 1 : 0});
    case Ask::Kind::layer: return take_layer(e, ask.layer);
    default:
      for (std::size_t z = 0; z < e.zones.size(); ++z)
        if (has(ask.zones, id_at<ZoneId>(z))) take_word(e, ask, id_at<ZoneId>(z));
  }
}

void take_all(EngineParts& e, std::span<const Ask> asks) noexcept {
  for (const Ask& ask : asks) take(e, ask);
}

/// Each reading is one moment: what changed before it did not change with it.
void begin_moment(EngineParts& e) noexcept {
  for (Zone& zone : e.zones) zone.changed = false;
}

/// What a reading itself says against its handset.
void judge(EngineParts& e, const Change& change, HandsetId handset) noexcept {
  for (std::size_t z = 0; z < e.zones.size(); ++z) {
    const ZoneId zone = id_at<ZoneId>(z);
    if (!counts_on(e.zones[z], handset)) continue;
    if (change.fault != ReadingFault::none) fault(e, zone, cause_of(change.fault));
    if (change.kind == Change::Kind::absent) fault(e, zone, Cause::handset_gone);
    if (change.lost > 0 && e.zones[z].permit.live()) fault(e, zone, Cause::handset_gap);
  }
}

void take(EngineParts& e, const Reading& reading) noexcept {
  begin_moment(e);
  // By its own stamp, but for one from the future, which is refused.
  take_all(e, e.bind.pass(reading.event < e.now ? reading.event : e.now, e.signal));
  const Change change = e.signal.accept(reading, e.now);
  begin_moment(e);
  if (change.kind == Change::Kind::moved && change.lost == 0 && e.signal.forgotten().empty() &&
      e.signal.also_changed().empty())
    return take_all(e, e.bind.changed(change, e.signal));
  if (change.lost > 0)
    e.tell({.kind = Event::Kind::gap, .obstacle = {.handset = reading.handset}, .number = change.lost});
  if (change.unheard) e.tell({.kind = Event::Kind::unheard, .obstacle = {.handset = reading.handset}});
  judge(e, change, reading.handset);
  if (change.kind == Change::Kind::present) count_on(e, reading.handset);
  if (!e.signal.forgotten().empty()) take_all(e, e.bind.lose(e.signal.forgotten(), e.signal));
  take_all(e, e.bind.changed(change, e.signal));
  for (const Change& made : e.signal.also_changed()) take_all(e, e.bind.changed(made, e.signal));
}

}  // namespace

void keep_overrides(EngineParts& e) noexcept {
  for (std::size_t a = 0; a < e.overrides.size(); ++a)
    e.overrides[a] = e.bind.numbers().speed_override(id_at<CoordinateId>(a));
}

void take_readings(EngineParts& e, std::span<const Reading> readings) noexcept {
  for (const Reading& reading : readings) take(e, reading);
  e.signal.advance(e.now);
  begin_moment(e);
  for (const Change& change : e.signal.also_changed()) {
    if (change.fault != ReadingFault::none) judge(e, change, e.signal.setup(change.slot).handset);
    take_all(e, e.bind.changed(change, e.signal));
  }
  take_all(e, e.bind.pass(e.now, e.signal));
}

}  // namespace gyrax::detail
