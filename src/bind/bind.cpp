#include <gyrax/bind/bind.hpp>

namespace gyrax {

Bind::Bind(std::span<const BindingSetup> bindings, std::size_t slots, const NotchSetup& notches)
    : bindings_(bindings.begin(), bindings.end()),
      states_(bindings.size()),
      pressed_(slots),
      of_slot_(slots),
      rivals_(bindings.size()),
      rate_(notches.rates, notches.rate),
      reduced_(notches.reduced.starts_on) {
  std::size_t most = 1;
  for (std::size_t row = 0; row < bindings_.size(); ++row) {
    auto& list = of_slot_[index(bindings_[row].slot)];
    list.push_back(BindingId{static_cast<std::uint16_t>(row)});
    most = list.size() > most ? list.size() : most;
    if (bindings_[row].layer != no<SlotId>) continue;
    for (const BindingSetup& other : bindings_)
      if (other.slot == bindings_[row].slot && other.layer != no<SlotId>) rivals_[row].push_back(other.layer);
  }
  asks_.reserve(2 * most);
  for (std::size_t row = 0; row < bindings_.size(); ++row) {
    const BindingSetup& b = bindings_[row];
    const bool follows = b.effect == Effect::follow, jogs = b.effect == Effect::jog;
    if (!follows && !jogs && b.effect != Effect::go && b.effect != Effect::pose) continue;
    moving_.push_back({BindingId{static_cast<std::uint16_t>(row)}, b.slot, b.coordinate, !follows && !jogs, follows,
                       b.layer != no<SlotId> || !rivals_[row].empty()});
  }
  for (const auto& list : notches.increments) increments_.emplace_back(list.values, list.start);
}

Nano Bind::increment(CoordinateId coordinate) const noexcept {
  const auto& notches = increments_[index(coordinate)];
  return notches.empty() ? 0 : notches.value();
}

bool Bind::pressed(SlotId slot, const Signal& signal) const noexcept {
  const Sample& sample = signal.sample(slot);
  return sample.known && (sample.pressed || pressed_[index(slot)] != 0);
}

bool Bind::counts(std::size_t row, const Signal& signal) const noexcept {
  if (bindings_[row].layer != no<SlotId>) return pressed(bindings_[row].layer, signal);
  for (const SlotId rival : rivals_[row])
    if (pressed(rival, signal)) return false;
  return true;
}

bool Bind::press_changed(const Change& change, const Signal& signal) noexcept {
  const Sample& sample = signal.sample(change.slot);
  const double size = sample.value < 0 ? -sample.value : sample.value;
  auto& was = pressed_[index(change.slot)];
  const bool is = was != 0 && !change.first ? size >= release_below : size >= press_at;
  // The first word of a control tells where it is, not that it was brought there just now.
  const bool edge = !change.first && is != (was != 0);
  was = is ? 1 : 0;
  return edge;
}

void Bind::ask(Ask::Kind kind, std::size_t row) noexcept {
  const BindingSetup& b = bindings_[row];
  const bool counted = kind == Ask::Kind::step || kind == Ask::Kind::wheel;
  const Nano by = counted ? b.count * increment(b.coordinate) : 0;
  asks_.push_back({kind, BindingId{static_cast<std::uint16_t>(row)}, b.zones, b.coordinate, by, 0, b.target, b.to});
}

/// Turns reduced speed on or off, and asks for nothing where that changes nothing.
void Bind::reduce(std::size_t row, bool is_pressed) noexcept {
  const bool before = reduced();
  const SwitchTo to = bindings_[row].to;
  if (to == SwitchTo::while_held) {
    if (is_pressed != states_[row].engaged) reduced_held_ += is_pressed ? 1 : -1;
    states_[row].engaged = is_pressed;
  } else if (is_pressed) {
    reduced_ = to == SwitchTo::toggle ? !reduced_ : to == SwitchTo::on;
  }
  if (reduced() != before) ask(Ask::Kind::reduced, row);
}

void Bind::on_press(std::size_t row, Time at) noexcept {
  const BindingSetup& b = bindings_[row];
  switch (b.effect) {
    case Effect::jog:
    case Effect::go:
    case Effect::pose:
      states_[row].engaged = true;
      states_[row].since = at;
      break;
    case Effect::handwheel:
    case Effect::follow: break;
    case Effect::step: ask(Ask::Kind::step, row); break;
    case Effect::set: ask(Ask::Kind::set, row); break;
    case Effect::rate:
      if (rate_.move(b.count)) ask(Ask::Kind::rate, row);
      break;
    case Effect::increment: {
      bool moved = false;
      for (auto& notches : increments_) moved = notches.move(b.count) || moved;
      if (moved) ask(Ask::Kind::increment, row);
      break;
    }
    case Effect::reduced: reduce(row, true); break;
    case Effect::ready: ask(Ask::Kind::ready, row); break;
    case Effect::stow: ask(Ask::Kind::stow, row); break;
    case Effect::enable: ask(Ask::Kind::enable, row); break;
    case Effect::stop: ask(Ask::Kind::stop, row); break;
    case Effect::reset: ask(Ask::Kind::reset, row); break;
  }
}

void Bind::on_release(std::size_t row) noexcept {
  if (bindings_[row].effect == Effect::reduced) reduce(row, false);
  states_[row].engaged = false;
  if (bindings_[row].effect != Effect::enable) return;
  states_[row].squeezed = false;
  ask(Ask::Kind::release, row);
}

void Bind::watch_squeeze(std::size_t row, const Signal& signal) noexcept {
  const BindingSetup& b = bindings_[row];
  if (b.effect != Effect::enable || states_[row].squeezed || !(signal.sample(b.slot).value > b.squeeze)) return;
  states_[row].squeezed = true;
  ask(Ask::Kind::squeeze, row);
}

std::span<const Ask> Bind::changed(const Change& change, const Signal& signal) noexcept {
  using Kind = Change::Kind;
  asks_.clear();
  if (change.kind == Kind::counted) {
    if (change.counts == 0) return asks_;
    for (const BindingId id : of_slot_[index(change.slot)]) {
      if (bindings_[index(id)].effect != Effect::handwheel || !counts(index(id), signal)) continue;
      ask(Ask::Kind::wheel, index(id));
      asks_.back().counts = change.counts;
    }
    return asks_;
  }
  if (change.kind != Kind::key && change.kind != Kind::held && change.kind != Kind::moved) return asks_;
  const bool edge = change.kind == Kind::moved ? press_changed(change, signal) : change.kind == Kind::key;
  const bool down = change.kind == Kind::moved ? pressed_[index(change.slot)] != 0 : change.pressed;
  const bool unseen = change.kind == Kind::held || change.first;
  for (const BindingId id : of_slot_[index(change.slot)]) {
    const std::size_t row = index(id);
    // A stop counts however it comes to be down, in any layer; nothing else does without being seen pressed.
    if (bindings_[row].effect == Effect::stop) {
      if (down && (edge || unseen)) on_press(row, change.at);
      continue;
    }
    if (edge && !down) on_release(row);
    if (edge && down && counts(row, signal)) on_press(row, change.at);
    watch_squeeze(row, signal);
  }
  return asks_;
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
    if (!sample.known || (m.layered && !counts(row, signal))) {
      state = {};
      continue;
    }
    const ControlKind kind = signal.setup(m.slot).calibration.kind();
    if (m.follows) {
      follow(bindings_[row], sample, kind == ControlKind::centred, out[index(m.coordinate)]);
      continue;
    }
    const bool by_key = m.by_key || kind == ControlKind::key;
    if (!by_key) state.armed = state.armed || sample.neutral();
    if (by_key ? !state.engaged : sample.value == 0) continue;
    if (by_key || state.armed) {
      add_request(row, sample, now, out);
    } else {
      out[index(m.coordinate)].waiting_for = m.slot;
    }
  }
}

}  // namespace gyrax
