#include <gyrax/bind/bind.hpp>

namespace gyrax {
namespace {

/// What a key can repeat in one pass; more than a tick can hold at the fastest repetition.
constexpr std::size_t max_repeats = 8;

template <class Id>
void add_once(std::vector<Id>& list, Id id) {
  for (const Id one : list)
    if (one == id) return;
  list.push_back(id);
}

}  // namespace

Bind::Bind(const BindSetup& setup, std::size_t slots)
    : bindings_(setup.bindings),
      layers_(setup.layers),
      latched_(setup.layers.size()),
      states_(bindings_.size()),
      pressed_(slots),
      pressed_in_(slots, no<LayerId>),
      of_slot_(slots),
      layers_of_(slots),
      chords_of_(slots),
      stale_(slots),
      zone_of_(setup.zone_of),
      zone_of_switch_(setup.zone_of_switch),
      in_charge_(setup.notches.increments.size(), ~0u),
      gestures_(slots, setup.gestures),
      numbers_(setup.notches),
      reduced_(setup.notches.reduced.starts_on) {
  if (zone_of_.size() < in_charge_.size()) zone_of_.resize(in_charge_.size());
  for (std::size_t l = 0; l < layers_.size(); ++l) latched_[l] = layers_[l].starts_on ? 1 : 0;
  for (std::size_t row = 0; row < bindings_.size(); ++row) {
    const BindingSetup& b = bindings_[row];
    const BindingId id{static_cast<std::uint16_t>(row)};
    if (b.effect == Effect::set && zone_of_switch_.size() <= index(b.target)) zone_of_switch_.resize(index(b.target) + 1);
    of_slot_[index(b.slot)].push_back(id);
    if (!b.repeat.empty()) repeating_.push_back(id);
    if (b.gesture == Gesture::hold) holds_.push_back(id);
    if (b.effect == Effect::reduced && b.to == SwitchTo::momentary) reducing_.push_back(id);
    if (b.effect == Effect::reset) resetting_.push_back(id);
    if (b.effect == Effect::enable) enabling_.push_back(id);
    if (b.gesture == Gesture::chord) {
      chords_of_[index(b.slot)].push_back(id);
      for (const SlotId other : b.with) chords_of_[index(other)].push_back(id);
    }
    if (b.effect == Effect::choose && chosen_ == no<NumberId>) chosen_ = b.numbers.front();
  }
  // The last described goes before the others.
  for (std::size_t l = layers_.size(); l-- > 0;)
    for (const BindingSetup& b : bindings_)
      if (index(b.layer) == l) add_once(layers_of_[index(b.slot)], b.layer);
  for (std::size_t row = 0; row < bindings_.size(); ++row) {
    const BindingSetup& b = bindings_[row];
    const bool follows = b.effect == Effect::follow, jogs = b.effect == Effect::jog;
    if (!follows && !jogs && b.effect != Effect::go && b.effect != Effect::pose) continue;
    moving_.push_back({id_at<BindingId>(row), b.slot, b.coordinate, !follows && !jogs, follows, !layers_of_[index(b.slot)].empty()});
  }
  reduced_held_ = !reducing_.empty();
  asks_.reserve(4 * bindings_.size() + max_repeats * repeating_.size() + 1);
}

void Bind::put_in_charge(CoordinateId coordinate, std::uint32_t handsets) noexcept { in_charge_[index(coordinate)] = handsets; }

bool Bind::pressed(SlotId slot, const Signal& signal) const noexcept {
  const Sample& sample = signal.sample(slot);
  return sample.known && (sample.pressed || pressed_[index(slot)] != 0);
}

bool Bind::on(LayerId layer, const Signal& signal) const noexcept {
  const SlotId held = layers_[index(layer)].held;
  return latched_[index(layer)] != 0 || (held != no<SlotId> && pressed(held, signal));
}

/// In which layer a control acts now.
LayerId Bind::layer_of(SlotId slot, const Signal& signal) const noexcept {
  for (const LayerId layer : layers_of_[index(slot)])
    if (on(layer, signal)) return layer;
  return no<LayerId>;
}

bool Bind::counts(std::size_t row, const Signal& signal) const noexcept {
  return bindings_[row].layer == layer_of(bindings_[row].slot, signal);
}

bool Bind::may(std::size_t row, const Signal& signal) const noexcept {
  const BindingSetup& b = bindings_[row];
  return !moves(b.effect) || (in_charge_[index(b.coordinate)] >> index(signal.setup(b.slot).handset) & 1u) != 0;
}

Rivals Bind::rivals(SlotId slot, LayerId layer) const noexcept {
  Rivals out;
  for (const BindingId id : of_slot_[index(slot)]) {
    const BindingSetup& b = bindings_[index(id)];
    if (b.layer != layer && b.effect != Effect::stow) continue;
    out.tap = out.tap || b.gesture == Gesture::tap;
    out.double_tap = out.double_tap || b.gesture == Gesture::double_tap;
    if (b.gesture == Gesture::hold) out.hold = b.hold;
  }
  for (const BindingId id : chords_of_[index(slot)]) out.chord = out.chord || bindings_[index(id)].layer == layer;
  return out;
}

bool Bind::press_changed(const Change& change, const Signal& signal) noexcept {
  const ControlSetup& control = signal.setup(change.slot);
  const double value = signal.sample(change.slot).value, size = value < 0 ? -value : value;
  auto& was = pressed_[index(change.slot)];
  const bool is = was != 0 && !change.first ? size >= control.release_below : size >= control.press_at;
  // The first word of a control tells where it is, not that it was brought there just now.
  const bool edge = !change.first && is != (was != 0);
  was = is ? 1 : 0;
  return edge;
}

void Bind::ask(Ask::Kind kind, std::size_t row) noexcept {
  const BindingSetup& b = bindings_[row];
  const bool counted = kind == Ask::Kind::step || kind == Ask::Kind::wheel;
  Ask ask{kind, id_at<BindingId>(row), b.zones, b.coordinate, 0, 0, b.target, b.to, no<NumberId>};
  if (counted) ask.by = saturated_product(b.count, numbers_.increment(b.coordinate));
  asks_.push_back(ask);
}

void Bind::tell_reduced(std::size_t row, bool before) noexcept {
  if (reduced() != before) ask(Ask::Kind::reduced, row);
}

/// Latches reduced speed on or off. What ends it makes faster, and is for who is in charge.
void Bind::reduce(std::size_t row, const Signal& signal) noexcept {
  const BindingSetup& b = bindings_[row];
  const bool before = reduced();
  bool lost = false;
  for (const BindingId id : reducing_) lost = lost || states_[index(id)].lost;
  const bool on = b.to == SwitchTo::toggle ? !reduced_ && !lost : b.to == SwitchTo::on;
  if (!on && before && !in_charge_of_all(b.slot, signal)) {
    ask(Ask::Kind::raise, row);
    return;
  }
  reduced_ = on;
  for (const BindingId id : reducing_) states_[index(id)].lost = states_[index(id)].lost && on;
  sum_up_reduced();
  tell_reduced(row, before);
}

void Bind::sum_up_reduced() noexcept {
  reduced_held_ = false;
  for (const BindingId id : reducing_) {
    const State& state = states_[index(id)];
    reduced_held_ = reduced_held_ || state.engaged || state.lost || state.unknown || state.down;
  }
}

/// Sums up what holds reduced speed; `row` is to blame for a change.
void Bind::hold_reduced(std::size_t row) noexcept {
  const bool before = reduced();
  sum_up_reduced();
  tell_reduced(row, before);
}

void Bind::watch_reduced(const Signal& signal) noexcept {
  for (const BindingId id : reducing_) {
    State& state = states_[index(id)];
    const BindingSetup& b = bindings_[index(id)];
    const bool unknown = !all_known(b, signal), plain = b.gesture == Gesture::press || b.gesture == Gesture::chord;
    const bool down = plain && all_pressed(b, signal);
    if (unknown == state.unknown && down == state.down) continue;
    state.unknown = unknown;
    state.down = down;
    hold_reduced(index(id));
  }
}

void Bind::latch(std::size_t row, bool is_pressed) noexcept {
  const BindingSetup& b = bindings_[row];
  if (!is_pressed && b.to != SwitchTo::momentary) return;
  auto& latched = latched_[index(b.to_layer)];
  const std::uint8_t before = latched;
  const bool on = b.to == SwitchTo::momentary ? is_pressed : b.to == SwitchTo::toggle ? before == 0 : b.to == SwitchTo::on;
  latched = on ? 1 : 0;
  if (latched != before) ask(Ask::Kind::layer, row);
}

/// Moves a number by `by` notches, or to the one that the binding names. Faster is for who is in charge. Whether anything changed.
bool Bind::change_number(std::size_t row, int by, const Signal& signal) noexcept {
  const BindingSetup& b = bindings_[row];
  const NumberId number = b.effect == Effect::adjust && b.numbers.empty() ? chosen_ : b.numbers.front();
  const bool picks = b.percent > 0 || b.goal > 0;
  const std::size_t handset = index(signal.setup(b.slot).handset);
  for (std::size_t c = 0; c < in_charge_.size(); ++c) {
    const CoordinateId coordinate{static_cast<std::uint16_t>(c)};
    const bool raises = picks ? numbers_.pick_raises(number, b.percent, b.goal, coordinate) : numbers_.move_raises(number, by, coordinate);
    if (!raises || (in_charge_[c] >> handset & 1u) != 0) continue;
    ask(Ask::Kind::raise, row);
    asks_.back().number = number;
    asks_.back().coordinate = coordinate;
    return false;
  }
  if (!(picks ? numbers_.pick(number, b.percent, b.goal) : numbers_.move(number, by))) return true;
  ask(Ask::Kind::number, row);
  asks_.back().number = number;
  return true;
}

/// What a press asks for at once, and once more each time it repeats.
void Bind::act(std::size_t row, const Signal& signal) noexcept {
  const BindingSetup& b = bindings_[row];
  switch (b.effect) {
    case Effect::step: ask(Ask::Kind::step, row); break;
    case Effect::override:
    case Effect::increment:
    case Effect::adjust:
      if (!change_number(row, b.count, signal)) states_[row].repeats = false;
      break;
    case Effect::choose: {
      std::size_t at = 0;
      while (at < b.numbers.size() && b.numbers[at] != chosen_) ++at;
      chosen_ = b.numbers[at + 1 < b.numbers.size() ? at + 1 : 0];
      ask(Ask::Kind::chosen, row);
      asks_.back().number = chosen_;
      break;
    }
    case Effect::set:
      ask(Ask::Kind::set, row);
      if (b.to == SwitchTo::momentary) asks_.back().to = SwitchTo::on;
      break;
    case Effect::layer: latch(row, true); break;
    case Effect::reduced:
      if (b.to == SwitchTo::momentary) {
        states_[row].lost = false;
        hold_reduced(row);
      } else {
        reduce(row, signal);
      }
      break;
    case Effect::ready: ask(Ask::Kind::ready, row); break;
    case Effect::stow: ask(Ask::Kind::stow, row); break;
    case Effect::enable:
      states_[row].engaged = !states_[row].squeezed;
      ask(states_[row].squeezed ? Ask::Kind::squeezed : Ask::Kind::enable, row);
      break;
    case Effect::stop: ask(Ask::Kind::stop, row); break;
    case Effect::reset: ask(Ask::Kind::reset, row); break;
    case Effect::jog:
    case Effect::go:
    case Effect::pose:
    case Effect::handwheel:
    case Effect::follow: break;
  }
}

void Bind::touch(std::size_t row) noexcept {
  if (!states_[row].told) ask(Ask::Kind::touched, row);
  states_[row].told = true;
}

/// Bits of the zones in which a binding begins something.
std::uint32_t Bind::zones_of(const BindingSetup& b) const noexcept {
  const auto bit_of = [](ZoneId zone) { return 1u << index(zone); };
  if (permits(b.effect)) return b.zones;
  if (moves(b.effect)) return bit_of(zone_of_[index(b.coordinate)]);
  return b.effect == Effect::set ? bit_of(zone_of_switch_[index(b.target)]) : 0;
}

std::uint32_t Bind::stale_for(const BindingSetup& b) const noexcept {
  std::uint32_t stale = stale_[index(b.slot)];
  for (const SlotId member : b.with) stale |= stale_[index(member)];
  return stale;
}

void Bind::on_press(std::size_t row, Time at, const Signal& signal) noexcept {
  const BindingSetup& b = bindings_[row];
  State& state = states_[row];
  if (!may(row, signal)) {
    touch(row);
    return;
  }
  // What makes safer is never too late.
  const std::uint32_t wanted = zones_of(b), stale = b.effect == Effect::stow ? 0 : wanted & stale_for(b);
  if (stale != 0) {
    ask(Ask::Kind::stale, row);
    asks_.back().zones = stale;
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
  const std::size_t before = asks_.size();
  act(row, signal);
  for (std::size_t i = before; permits(b.effect) && i < asks_.size(); ++i) asks_[i].zones &= ~stale;
}

void Bind::on_release(std::size_t row) noexcept {
  const BindingSetup& b = bindings_[row];
  State& state = states_[row];
  if (state.engaged) {
    if (b.effect == Effect::layer) latch(row, false);
    if (b.effect == Effect::set && b.to == SwitchTo::momentary) {
      ask(Ask::Kind::set, row);
      asks_.back().to = SwitchTo::off;
    }
  }
  state.engaged = state.repeats = state.told = state.ended = false;
  if (b.effect == Effect::reduced && b.to == SwitchTo::momentary) hold_reduced(row);
  if (b.effect != Effect::enable) return;
  state.squeezed = false;
  ask(Ask::Kind::release, row);
}

void Bind::lose(std::size_t row) noexcept {
  const BindingSetup& b = bindings_[row];
  State& state = states_[row];
  if (b.effect == Effect::reduced && b.to == SwitchTo::momentary) state.lost = state.lost || state.engaged || state.down;
  if (state.engaged) {
    on_release(row);
    if (b.effect == Effect::set && b.to == SwitchTo::momentary) asks_.back().lost = true;
  }
  state.armed = state.squeezed = state.told = state.ended = false;
}

std::span<const Ask> Bind::lose(std::span<const SlotId> slots) noexcept {
  asks_.clear();
  for (const SlotId slot : slots) {
    gestures_.forget(slot);
    pressed_[index(slot)] = 0;
    stale_[index(slot)] = 0;
    for (const BindingId id : of_slot_[index(slot)]) lose(index(id));
    for (const BindingId id : chords_of_[index(slot)]) lose(index(id));
  }
  return asks_;
}

void Bind::end(ZoneId zone, bool live, const Signal& signal) noexcept {
  const std::uint32_t here = 1u << index(zone);
  for (std::size_t slot = 0; slot < stale_.size(); ++slot)
    if (gestures_.under_way(id_at<SlotId>(slot))) stale_[slot] |= here;
  for (std::size_t row = 0; row < bindings_.size(); ++row) {
    const BindingSetup& b = bindings_[row];
    // A switch that is on while its key is held has its own rule for a stop, and goes off with the key.
    if ((zones_of(b) & here) == 0 || b.effect == Effect::set || (b.effect == Effect::enable && live)) continue;
    State& state = states_[row];
    state.zones &= ~here;
    if (moves(b.effect) || state.zones == 0) end(row, signal);
  }
}

/// What stands for a hand ends here: a key that is down does no more, a deflection has to be at neutral before it counts again.
void Bind::end(std::size_t row, const Signal& signal) noexcept {
  State& state = states_[row];
  state.ended = state.ended || (state.engaged && moves(bindings_[row].effect));
  state.engaged = state.repeats = false;
  state.armed = signal.sample(bindings_[row].slot).neutral();
}

void Bind::end_moves(std::span<const AxisId> coordinates, const Signal& signal) noexcept {
  for (const Moving& m : moving_)
    for (const AxisId axis : coordinates)
      if (index(axis) == index(m.coordinate) && !m.follows) end(index(m.binding), signal);
}

bool Bind::all_known(const BindingSetup& b, const Signal& signal) const noexcept {
  bool known = signal.sample(b.slot).known;
  for (const SlotId member : b.with) known = known && signal.sample(member).known;
  return known;
}

bool Bind::all_pressed(const BindingSetup& b, const Signal& signal) const noexcept {
  bool held = pressed(b.slot, signal);
  for (const SlotId member : b.with) held = held && pressed(member, signal);
  return held;
}

bool Bind::enabling(ZoneId zone, const Signal& signal) const noexcept {
  for (const BindingId id : enabling_) {
    const State& state = states_[index(id)];
    if (state.engaged && (state.zones >> index(zone) & 1u) != 0 && all_pressed(bindings_[index(id)], signal)) return true;
  }
  return false;
}

/// Whether a handset is in charge of everything that moves.
bool Bind::in_charge_of_all(SlotId slot, const Signal& signal) const noexcept {
  std::uint32_t bits = ~0u;
  for (const std::uint32_t one : in_charge_) bits &= one;
  return (bits >> index(signal.setup(slot).handset) & 1u) != 0;
}

void Bind::watch_squeeze(std::size_t row, const Signal& signal) noexcept {
  const BindingSetup& b = bindings_[row];
  const double value = signal.sample(b.slot).value;
  if (b.effect != Effect::enable || states_[row].squeezed || !(value > b.squeeze)) return;
  states_[row].squeezed = true;
  ask(Ask::Kind::squeeze, row);
}

/// Whether this key is the last one of a chord; the chord is pressed then.
bool Bind::complete_chord(SlotId slot, Time at, const Signal& signal) noexcept {
  for (const BindingId id : chords_of_[index(slot)]) {
    const BindingSetup& b = bindings_[index(id)];
    if (b.layer != layer_of(b.slot, signal) && b.effect != Effect::stow) continue;
    const Time since = at - gestures_.times().chord;
    const auto is_there = [&](SlotId member) { return member == slot || gestures_.undecided_since(member, since); };
    bool all = is_there(b.slot);
    for (const SlotId member : b.with) all = all && is_there(member);
    if (!all) continue;
    gestures_.take(b.slot);
    for (const SlotId member : b.with) gestures_.take(member);
    on_press(index(id), at, signal);
    return true;
  }
  return false;
}

void Bind::turned_out(std::span<const Gestures::Outcome> outcomes, const Signal& signal) noexcept {
  for (const Gestures::Outcome& outcome : outcomes) {
    for (const BindingId id : of_slot_[index(outcome.slot)]) {
      const BindingSetup& b = bindings_[index(id)];
      const bool here = b.layer == pressed_in_[index(outcome.slot)] || b.effect == Effect::stow;
      if (!here || b.gesture != outcome.gesture || b.effect == Effect::stop) continue;
      on_press(index(id), outcome.at, signal);
      if (outcome.over) on_release(index(id));
    }
  }
}

void Bind::key_down(SlotId slot, Time at, const Signal& signal) noexcept {
  const LayerId layer = layer_of(slot, signal);
  pressed_in_[index(slot)] = layer;
  if (!gestures_.tapped(slot)) stale_[index(slot)] = 0;
  if (!chords_of_[index(slot)].empty() && complete_chord(slot, at, signal)) return;
  turned_out(gestures_.press(slot, at, rivals(slot, layer)), signal);
}

void Bind::key_up(SlotId slot, Time at, const Signal& signal) noexcept {
  turned_out(gestures_.release(slot, at), signal);
  for (const BindingId id : of_slot_[index(slot)])
    if (bindings_[index(id)].gesture != Gesture::release && bindings_[index(id)].effect != Effect::stop) on_release(index(id));
  for (const BindingId id : chords_of_[index(slot)])
    if (states_[index(id)].engaged) on_release(index(id));
}

/// Counts of a dial.
void Bind::turn(const Change& change, const Signal& signal) noexcept {
  if (change.counts == 0) return;
  for (const BindingId id : of_slot_[index(change.slot)]) {
    const std::size_t row = index(id);
    if (!counts(row, signal)) continue;
    if (!may(row, signal)) {
      ask(Ask::Kind::touched, row);
    } else if (bindings_[row].effect == Effect::handwheel) {
      ask(Ask::Kind::wheel, row);
      asks_.back().counts = change.counts;
    } else if (const BindingSetup& b = bindings_[row]; b.effect == Effect::adjust) {
      change_number(row, b.count * change.counts, signal);
    }
  }
}

std::span<const Ask> Bind::changed(const Change& change, const Signal& signal) noexcept {
  using Kind = Change::Kind;
  asks_.clear();
  // What was not taken begins nothing; but a stop counts however it comes.
  if (change.kind == Kind::nothing && change.slot != no<SlotId> && change.pressed)
    for (const BindingId id : of_slot_[index(change.slot)])
      if (bindings_[index(id)].effect == Effect::stop) act(index(id), signal);
  if (change.kind == Kind::counted) turn(change, signal);
  if (change.kind != Kind::key && change.kind != Kind::held && change.kind != Kind::moved) return asks_;
  const bool edge = change.kind == Kind::moved ? press_changed(change, signal) : change.kind == Kind::key;
  const bool down = change.kind == Kind::moved ? pressed_[index(change.slot)] != 0 : change.pressed;
  const bool unseen = change.kind == Kind::held || change.first;
  for (const BindingId id : of_slot_[index(change.slot)]) {
    const std::size_t row = index(id);
    // A stop counts however it comes to be down, in any layer; nothing else does without being seen pressed.
    if (bindings_[row].effect == Effect::stop && down && (edge || unseen)) act(row, signal);
    watch_squeeze(row, signal);
    if (change.kind != Kind::moved || !moves(bindings_[row].effect)) continue;
    if (signal.sample(change.slot).neutral()) {
      states_[row].told = false;
    } else if (!may(row, signal) && counts(row, signal)) {
      touch(row);
    }
  }
  if (edge && down) key_down(change.slot, change.at, signal);
  if (edge && !down) key_up(change.slot, change.at, signal);
  return asks_;
}

void Bind::repeat(Time now, const Signal& signal) noexcept {
  for (const BindingId id : repeating_) {
    State& state = states_[index(id)];
    for (std::size_t i = 0; i < max_repeats && state.repeats && state.next <= now; ++i) {
      state.repeats = counts(index(id), signal);
      if (!state.repeats) break;
      act(index(id), signal);
      Span every{};
      for (const RepeatStage& stage : bindings_[index(id)].repeat)
        if (state.next - state.since >= stage.after) every = stage.every;
      state.next += every;
    }
    // After a pause nothing is made up for.
    if (state.next < now) state.next = now;
  }
}

/// What is asked for by keeping reset down: once.
void Bind::wait_for_long_reset(Time now) noexcept {
  for (const BindingId id : resetting_) {
    State& state = states_[index(id)];
    if (!state.engaged || state.told || now - state.since < long_reset) continue;
    state.told = true;
    ask(Ask::Kind::reset_long, index(id));
    asks_.back().zones = state.zones;
  }
}

std::span<const Ask> Bind::pass(Time now, const Signal& signal) noexcept {
  asks_.clear();
  watch_reduced(signal);
  wait_for_long_reset(now);
  turned_out(gestures_.pass(now), signal);
  repeat(now, signal);
  return asks_;
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

double Bind::grown(const BindingSetup& b, Span held) noexcept {
  double share = 1;
  for (const JogStage& stage : b.stages)
    if (held >= stage.after) share = stage.share;
  return share;
}

/// Adds what one binding asks for, that is deflected or held, and counts.
void Bind::add_request(std::size_t row, const Sample& sample, Time now, std::span<Request> out) noexcept {
  const BindingSetup& b = bindings_[row];
  if (b.effect == Effect::pose) {
    for (const PosePlace& place : b.pose)
      if (out[index(place.coordinate)].going) return;
    for (const PosePlace& place : b.pose) {
      Request& request = out[index(place.coordinate)];
      request.going = request.posing = true;
      request.goal = place.goal;
      request.by = b.slot;
    }
    return;
  }
  Request& request = out[index(b.coordinate)];
  request.by = b.slot;
  if (b.effect == Effect::jog) {
    const bool by_key = sample.value == 0;
    request.jog += b.share * (by_key ? grown(b, now - states_[row].since) : sample.value);
    request.jogging = true;
    request.accel = b.accel < request.accel ? b.accel : request.accel;
  } else if (!request.going) {
    request.going = true;
    request.goal = b.goal;
  }
}

void Bind::follow(const BindingSetup& b, const Sample& sample, bool centred, Request& request) const noexcept {
  const double place = centred ? (sample.value + 1) / 2 : sample.value;
  request.following = true;
  // Both ends exactly.
  request.position = place == 1 ? b.high : b.low + place * (b.high - b.low);
  request.catch_up = b.catch_up;
  request.by = b.slot;
}

void Bind::requests(const Signal& signal, Time now, std::span<Request> out) noexcept {
  for (Request& request : out) request = Request{};
  for (const Moving& m : moving_) {
    const std::size_t row = index(m.binding);
    State& state = states_[row];
    const Sample& sample = signal.sample(m.slot);
    if (!sample.known || (m.layered && !counts(row, signal)) || !may(row, signal)) {
      state.armed = state.engaged = false;
      continue;
    }
    const ControlKind kind = signal.setup(m.slot).calibration.kind();
    if (m.follows) {
      follow(bindings_[row], sample, kind == ControlKind::centred, out[index(m.coordinate)]);
      out[index(m.coordinate)].follower = m.binding;
      continue;
    }
    const bool by_key = m.by_key || kind == ControlKind::key;
    if (!by_key) state.armed = state.armed || sample.neutral();
    if (by_key && state.ended) out[index(m.coordinate)].waiting_for = m.slot;
    if (by_key ? !state.engaged : sample.value == 0) continue;
    if (by_key || state.armed) {
      add_request(row, sample, now, out);
    } else {
      out[index(m.coordinate)].waiting_for = m.slot;
    }
  }
}

}  // namespace gyrax
