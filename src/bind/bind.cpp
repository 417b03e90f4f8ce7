// What a control's changes mean: presses with their gestures and chords, in the layer that is on, for the zones that
// they may begin something in.
#include <gyrax/bind/bind.hpp>

#include "effects.hpp"

#include <utility>

namespace gyrax {
namespace {

/// What a key can repeat in one pass; more than a tick can hold at the fastest repetition.
constexpr std::size_t max_repeats = 8;

/// Whether all controls of a binding hold a condition.
template <class Holds>
bool all_of(const BindingSetup& b, Holds holds) noexcept {
  bool all = holds(b.slot);
  for (const SlotId other : b.with) all = holds(other) && all;
  return all;
}

/// Whether its control holds reduced speed.
bool holds_reduced(const BindingSetup& b) noexcept {
  const auto* reduced = b.as<effect::Reduced>();
  return reduced != nullptr && reduced->to == SwitchTo::momentary;
}

}  // namespace

Bind::Bind(BindSetup setup, std::size_t slots, Recompute recompute)
    : recompute_(recompute),
      bindings_(std::move(setup.bindings)),
      states_(bindings_.size()),
      moved_by_(bindings_.size()),
      pressed_in_(slots, no<LayerId>),
      stale_(slots),
      moves_only_(slots, recompute == Recompute::changed ? 1 : 0),
      zone_of_(std::move(setup.zone_of)),
      zone_of_switch_(std::move(setup.zone_of_switch)),
      hold_to_run_(setup.hold_to_run),
      gestures_(slots, setup.gestures),
      parts_{Numbers(setup.notches),
             Layers(setup.layers, bindings_, slots),
             ReducedSpeed(setup.notches.reduced.starts_on),
             no<NumberId>,
             std::vector<HandsetBits>(setup.notches.increments.size(), ~HandsetBits{0}),
             {}} {
  if (zone_of_.size() < parts_.in_charge.size()) zone_of_.resize(parts_.in_charge.size());
  std::vector<Lists<BindingId>::Entry> of_slot, chords_of;
  for (std::size_t row = 0; row < bindings_.size(); ++row) {
    const BindingSetup& b = bindings_[row];
    const BindingId id = id_at<BindingId>(row);
    of_slot.push_back({index(b.slot), id});
    moved_by_[row] = moved_by(b.effect);
    if (!about(b.effect).moves) moves_only_[index(b.slot)] = 0;
    if (!b.repeat.empty()) repeating_.push_back(id);
    if (b.gesture == Gesture::hold) holds_.push_back(id);
    if (holds_reduced(b)) reducing_.push_back(id), parts_.reduced.add(id);
    if (resets(b.effect)) resetting_.push_back(id);
    if (b.as<effect::Enable>()) enabling_.push_back(id);
    if (const auto* set = b.as<effect::Set>(); set && zone_of_switch_.size() <= index(set->target))
      zone_of_switch_.resize(index(set->target) + 1);
    if (const auto* choose = b.as<effect::Choose>(); choose && parts_.chosen == no<NumberId>)
      parts_.chosen = choose->numbers.front();
    if (b.gesture == Gesture::chord) {
      chords_of.push_back({index(b.slot), id});
      for (const SlotId other : b.with) chords_of.push_back({index(other), id});
    }
    const AboutEffect& is = about(b.effect);
    const auto* jog = b.as<effect::Jog>();
    if (is.steady)
      moving_.push_back({id, b.slot, moved_by_[row], !is.by_place && !is.by_deflection, is.by_place,
                         parts_.layers.changes(b.slot), jog != nullptr && !jog->stages.empty()});
  }
  of_slot_ = {slots, of_slot};
  chords_of_ = {slots, chords_of};
  // What can follow from one change, one loss, one pass: at most four asks of a control's bindings; one of each
  // binding; two and its end of what had to wait, and what repeats.
  std::size_t of_one = 0, late = 0;
  for (std::size_t slot = 0; slot < slots; ++slot) {
    const std::size_t bindings = of_slot_[slot].size() + chords_of_[slot].size();
    of_one = bindings > of_one ? bindings : of_one;
    if (rivals(id_at<SlotId>(slot)).any()) late += 3 * of_slot_[slot].size();
  }
  late += max_repeats * repeating_.size() + reducing_.size() + resetting_.size();
  const std::size_t most = 4 * of_one > late ? 4 * of_one : late;
  parts_.asks.reserve(most > bindings_.size() ? most : bindings_.size());
}

detail::Doing Bind::doing(BindingId binding, const Signal& signal) noexcept {
  const SlotId slot = bindings_[index(binding)].slot;
  return {parts_, states_[index(binding)], binding, slot, signal.setup(slot).handset};
}

bool Bind::counts(BindingId binding, const Signal& signal) const noexcept {
  const BindingSetup& b = bindings_[index(binding)];
  return b.layer == parts_.layers.of(b.slot, signal);
}

bool Bind::may(BindingId binding, const Signal& signal) const noexcept {
  const BindingSetup& b = bindings_[index(binding)];
  const CoordinateId coordinate = moved_by_[index(binding)];
  return coordinate == no<CoordinateId> || has(parts_.in_charge[index(coordinate)], signal.setup(b.slot).handset);
}

/// The zones in which a binding begins something.
ZoneBits Bind::begins_in(const BindingSetup& b) const noexcept {
  if (const CoordinateId coordinate = moved_by(b.effect); coordinate != no<CoordinateId>)
    return bit(zone_of_[index(coordinate)]);
  if (const auto* set = b.as<effect::Set>()) return bit(zone_of_switch_[index(set->target)]);
  if (const auto* zero = b.as<effect::Zero>()) return bit(zone_of_[index(zero->axis)]);
  if (const auto* action = b.as<effect::Action>()) return bit(action->zone);
  return zones_of(b.effect);
}

ZoneBits Bind::stale_for(const BindingSetup& b) const noexcept {
  ZoneBits stale = stale_[index(b.slot)];
  for (const SlotId member : b.with) stale |= stale_[index(member)];
  return stale;
}

/// In one layer; or, of none named, in all of them together.
Rivals Bind::rivals(SlotId slot, std::optional<LayerId> layer) const noexcept {
  Rivals out;
  const auto here = [&](const BindingSetup& b) { return !layer || b.layer == *layer; };
  for (const BindingId id : of_slot_[index(slot)]) {
    const BindingSetup& b = bindings_[index(id)];
    if (b.gesture != Gesture::chord && (here(b) || about(b.effect).anywhere)) out.add(b.gesture, b.hold);
  }
  for (const BindingId id : chords_of_[index(slot)])
    if (here(bindings_[index(id)])) out.add(Gesture::chord, {});
  return out;
}

void Bind::touch(BindingId binding, const Signal& signal) noexcept {
  detail::BindingState& state = states_[index(binding)];
  if (!state.told)
    doing(binding, signal)
        .ask({.kind = Ask::Kind::move,
              .counts_as = Ask::Counts::touched,
              .coordinate = moved_by(bindings_[index(binding)].effect)});
  state.told = true;
}

void Bind::press(BindingId binding, Time at, const Signal& signal) noexcept {
  if (!may(binding, signal)) return touch(binding, signal);
  const BindingSetup& b = bindings_[index(binding)];
  detail::BindingState& state = states_[index(binding)];
  detail::Doing moment = doing(binding, signal);
  // What makes safer is never too late.
  const ZoneBits wanted = begins_in(b), stale = about(b.effect).anywhere ? 0 : wanted & stale_for(b);
  if (stale != 0) {
    Ask late = detail::asked(b.effect, parts_.numbers);
    late.counts_as = Ask::Counts::stale;
    late.zones = stale;
    moment.ask(late);
    if (stale == wanted) return;
  }
  state.engaged = true;
  state.ended = false;
  state.zones = wanted & ~stale;
  state.since = at;
  state.told = false;
  if (!b.repeat.empty()) {
    state.repeats = true;
    state.next = at + b.repeat.front().after;
  }
  const std::size_t before = parts_.asks.size();
  detail::press(b.effect, moment);
  for (std::size_t i = before; i < parts_.asks.size(); ++i) parts_.asks[i].zones &= ~stale;
}

void Bind::release(BindingId binding, const Signal& signal) noexcept {
  detail::Doing moment = doing(binding, signal);
  detail::release(bindings_[index(binding)].effect, moment);
  detail::BindingState& state = states_[index(binding)];
  state.engaged = state.repeats = state.told = state.ended = false;
}

std::span<const Ask> Bind::lose(std::span<const SlotId> slots, const Signal& signal) noexcept {
  parts_.asks.clear();
  touched_ = waits_ = true;
  const auto lose_all = [&](std::span<const BindingId> bindings) {
    for (const BindingId id : bindings) {
      detail::Doing moment = doing(id, signal);
      detail::lose(bindings_[index(id)].effect, moment);
      detail::BindingState& state = states_[index(id)];
      state.armed = state.engaged = state.repeats = state.squeezed = state.told = state.ended = false;
    }
  };
  for (const SlotId slot : slots) {
    gestures_.forget(slot);
    parts_.layers.forget(slot);
    stale_[index(slot)] = 0;
    lose_all(of_slot_[index(slot)]);
    lose_all(chords_of_[index(slot)]);
  }
  return parts_.asks;
}

void Bind::end(ZoneId zone, bool live, const Signal& signal) noexcept {
  touched_ = true;
  for (std::size_t slot = 0; slot < stale_.size(); ++slot)
    if (gestures_.under_way(id_at<SlotId>(slot))) stale_[slot] |= bit(zone);
  for (std::size_t row = 0; row < bindings_.size(); ++row) {
    const BindingSetup& b = bindings_[row];
    // A switch that is on while its key is held has its own rule for a stop, and goes off with the key.
    if (!has(begins_in(b), zone) || b.as<effect::Set>() || (b.as<effect::Enable>() && live)) continue;
    detail::BindingState& state = states_[row];
    state.zones &= ~bit(zone);
    if (about(b.effect).moves || state.zones == 0) end(id_at<BindingId>(row), signal);
  }
}

/// What stands for a hand ends here: a key that is down does no more, a deflection has to be at neutral before it
/// counts again.
void Bind::end(BindingId binding, const Signal& signal) noexcept {
  const BindingSetup& b = bindings_[index(binding)];
  detail::BindingState& state = states_[index(binding)];
  state.ended = state.ended || (state.engaged && about(b.effect).moves);
  state.engaged = state.repeats = false;
  state.armed = signal.sample(b.slot).neutral();
}

void Bind::end_moves(std::span<const AxisId> coordinates, const Signal& signal) noexcept {
  touched_ = true;
  for (const Moving& m : moving_)
    for (const AxisId axis : coordinates)
      if (index(axis) == index(m.coordinate) && !m.by_place) end(m.binding, signal);
}

bool Bind::enabling(ZoneId zone, const Signal& signal, HandsetId by) const noexcept {
  if (has(hold_to_run_, zone)) {
    for (const Moving& m : moving_)
      if ((by == no<HandsetId> || signal.setup(m.slot).handset == by) && runs(m, zone, signal)) return true;
    return false;
  }
  for (const BindingId id : enabling_) {
    if (by != no<HandsetId> && signal.setup(bindings_[index(id)].slot).handset != by) continue;
    const detail::BindingState& state = states_[index(id)];
    const auto down = [&](SlotId slot) { return parts_.layers.down(slot, signal); };
    if (state.engaged && has(state.zones, zone) && all_of(bindings_[index(id)], down)) return true;
  }
  return false;
}

bool Bind::runs(SlotId slot, ZoneId zone, const Signal& signal) const noexcept {
  for (const Moving& m : moving_)
    if (m.slot == slot && runs(m, zone, signal)) return true;
  return false;
}

bool Bind::runs(const Moving& m, ZoneId zone, const Signal& signal) const noexcept {
  return zone_of_[index(m.coordinate)] == zone && may_move(m, signal) && asks(m, signal);
}

void Bind::watch_squeeze(BindingId binding, const Signal& signal) noexcept {
  const BindingSetup& b = bindings_[index(binding)];
  const auto* enable = b.as<effect::Enable>();
  detail::BindingState& state = states_[index(binding)];
  if (!enable || !enable->squeeze || state.squeezed || !(signal.sample(b.slot).value > *enable->squeeze)) return;
  state.squeezed = true;
  doing(binding, signal).ask({.kind = Ask::Kind::squeeze, .zones = enable->zones});
}

/// Whether this key is the last one of a chord; the chord is pressed then.
bool Bind::complete_chord(SlotId slot, Time at, const Signal& signal) noexcept {
  for (const BindingId id : chords_of_[index(slot)]) {
    const BindingSetup& b = bindings_[index(id)];
    if (b.layer != parts_.layers.of(b.slot, signal) && !about(b.effect).anywhere) continue;
    const Time since = at - gestures_.times().chord;
    const auto is_there = [&](SlotId member) { return member == slot || gestures_.undecided_since(member, since); };
    if (!all_of(b, is_there)) continue;
    gestures_.take(b.slot);
    for (const SlotId member : b.with) gestures_.take(member);
    press(id, at, signal);
    return true;
  }
  return false;
}

void Bind::turned_out(std::span<const Gestures::Outcome> outcomes, const Signal& signal) noexcept {
  for (const Gestures::Outcome& outcome : outcomes) {
    for (const BindingId id : of_slot_[index(outcome.slot)]) {
      const BindingSetup& b = bindings_[index(id)];
      const bool here = b.layer == pressed_in_[index(outcome.slot)] || about(b.effect).anywhere;
      if (!here || b.gesture != outcome.gesture || b.as<effect::Stop>()) continue;
      press(id, outcome.at, signal);
      if (outcome.over) release(id, signal);
    }
  }
}

void Bind::key_down(SlotId slot, Time at, const Signal& signal) noexcept {
  const LayerId layer = parts_.layers.of(slot, signal);
  pressed_in_[index(slot)] = layer;
  if (!gestures_.tapped(slot)) stale_[index(slot)] = 0;
  if (!chords_of_[index(slot)].empty() && complete_chord(slot, at, signal)) return;
  turned_out(gestures_.press(slot, at, rivals(slot, layer)), signal);
}

void Bind::key_up(SlotId slot, Time at, const Signal& signal) noexcept {
  turned_out(gestures_.release(slot, at), signal);
  for (const BindingId id : of_slot_[index(slot)])
    if (bindings_[index(id)].gesture != Gesture::release && !bindings_[index(id)].as<effect::Stop>())
      release(id, signal);
  for (const BindingId id : chords_of_[index(slot)])
    if (states_[index(id)].engaged) release(id, signal);
}

/// Counts of a dial.
void Bind::turn(const Change& change, const Signal& signal) noexcept {
  if (change.counts == 0) return;
  for (const BindingId id : of_slot_[index(change.slot)]) {
    if (!counts(id, signal)) continue;
    detail::Doing moment = doing(id, signal);
    const std::size_t before = parts_.asks.size();
    detail::turn(bindings_[index(id)].effect, change.counts, moment);
    for (std::size_t i = before; i < parts_.asks.size() && !may(id, signal); ++i)
      parts_.asks[i].counts_as = Ask::Counts::touched;
  }
}

/// Whether a change is what most are: of a deflection that moves what it may, and is neither pressed nor let go by it.
/// All that follows at once is done then.
bool Bind::only_moves(const Change& change, const Signal& signal) noexcept {
  if (change.kind != Change::Kind::moved || change.first || moves_only_[index(change.slot)] == 0 ||
      parts_.layers.turns(change.slot, signal))
    return false;
  const std::span<const BindingId> bindings = of_slot_[index(change.slot)];
  for (const BindingId id : bindings)
    if (!may(id, signal)) return false;
  if (signal.sample(change.slot).neutral())
    for (const BindingId id : bindings) states_[index(id)].told = false;
  return true;
}

std::span<const Ask> Bind::changed(const Change& change, const Signal& signal) noexcept {
  using Kind = Change::Kind;
  parts_.asks.clear();
  touched_ = true;
  if (only_moves(change, signal)) return {};
  // A deflection that is neither pressed nor let go is none of what pass() looks at.
  waits_ = waits_ || change.kind != Kind::moved || change.first;
  const auto stop = [&](BindingId id) {
    if (const auto* e = bindings_[index(id)].as<effect::Stop>())
      doing(id, signal).ask({.kind = Ask::Kind::stop, .zones = e->zones});
  };
  // What was not taken begins nothing; but a stop counts however it comes.
  if (change.kind == Kind::nothing && change.slot != no<SlotId> && change.pressed)
    for (const BindingId id : of_slot_[index(change.slot)]) stop(id);
  if (change.kind == Kind::counted) turn(change, signal);
  if (change.kind != Kind::key && change.kind != Kind::held && change.kind != Kind::moved) return parts_.asks;
  const bool edge = change.kind == Kind::moved ? parts_.layers.press(change, signal) : change.kind == Kind::key;
  const bool down = change.kind == Kind::moved ? parts_.layers.down_by_deflection(change.slot) : change.pressed;
  const bool unseen = change.kind == Kind::held || change.first;
  waits_ = waits_ || edge;
  for (const BindingId id : of_slot_[index(change.slot)]) {
    // A stop counts however it comes to be down, in any layer; nothing else does without being seen pressed.
    if (down && (edge || unseen)) stop(id);
    watch_squeeze(id, signal);
    if (change.kind != Kind::moved || !about(bindings_[index(id)].effect).moves) continue;
    if (signal.sample(change.slot).neutral()) {
      states_[index(id)].told = false;
    } else if (!may(id, signal) && counts(id, signal)) {
      touch(id, signal);
    }
  }
  if (edge && down) key_down(change.slot, change.at, signal);
  if (edge && !down) key_up(change.slot, change.at, signal);
  return parts_.asks;
}

void Bind::repeat(Time now, const Signal& signal) noexcept {
  for (const BindingId id : repeating_) {
    const BindingSetup& b = bindings_[index(id)];
    detail::BindingState& state = states_[index(id)];
    for (std::size_t i = 0; i < max_repeats && state.repeats && state.next <= now; ++i) {
      state.repeats = counts(id, signal);
      if (!state.repeats) break;
      detail::Doing moment = doing(id, signal);
      detail::press(b.effect, moment);
      Span every{};
      for (const RepeatStage& stage : b.repeat)
        if (state.next - state.since >= stage.after) every = stage.every;
      state.next += every;
    }
    // After a pause nothing is made up for.
    if (state.next < now) state.next = now;
  }
}

void Bind::watch_reduced(const Signal& signal) noexcept {
  for (const BindingId id : reducing_) {
    const BindingSetup& b = bindings_[index(id)];
    const bool known = all_of(b, [&](SlotId slot) { return signal.sample(slot).known; });
    const bool plain = b.gesture == Gesture::press || b.gesture == Gesture::chord;
    const bool before = parts_.reduced.on();
    parts_.reduced.see(id, known, plain && all_of(b, [&](SlotId slot) { return parts_.layers.down(slot, signal); }));
    doing(id, signal).tell_reduced(before);
  }
}

/// What is asked for by keeping reset down: once.
void Bind::watch_reset(Time now, const Signal& signal) noexcept {
  for (const BindingId id : resetting_) {
    detail::BindingState& state = states_[index(id)];
    if (!state.engaged || state.told || now - state.since < long_reset) continue;
    state.told = true;
    doing(id, signal).ask({.kind = Ask::Kind::reset_long, .zones = state.zones});
  }
}

/// Whether time alone can bring something.
bool Bind::waits() const noexcept {
  if (gestures_.waiting()) return true;
  for (const BindingId id : repeating_)
    if (states_[index(id)].repeats) return true;
  for (const BindingId id : resetting_)
    if (states_[index(id)].engaged && !states_[index(id)].told) return true;
  return false;
}

std::span<const Ask> Bind::pass(Time now, const Signal& signal) noexcept {
  parts_.asks.clear();
  if (!waits_) return {};
  touched_ = true;
  watch_reduced(signal);
  watch_reset(now, signal);
  turned_out(gestures_.pass(now), signal);
  repeat(now, signal);
  waits_ = recompute_ == Recompute::everything || waits();
  return parts_.asks;
}

Bind::Hold Bind::holding(Time now) const noexcept {
  Hold most;
  for (const BindingId id : holds_) {
    const SlotId slot = bindings_[index(id)].slot;
    const double share = pressed_in_[index(slot)] == bindings_[index(id)].layer ? gestures_.hold_share(slot, now) : 0;
    if (share > most.share) most = {id, share};
  }
  return most;
}

}  // namespace gyrax
