#include <gyrax/signal/signal.hpp>

#include "../base/size.hpp"

namespace gyrax {

Signal::Signal(std::span<const HandsetSetup> handsets, std::span<const ControlSetup> controls, Recompute recompute)
    : handsets_(handsets.begin(), handsets.end()),
      controls_(controls.begin(), controls.end()),
      states_(handsets.size()),
      samples_(controls.size()),
      memories_(controls.size()),
      plain_(controls.size()) {
  for (const ControlSetup& c : controls_)
    if (index(c.control) < max_controls && index(c.control) >= named_) named_ = index(c.control) + 1;
  slot_of_.resize(handsets.size() * named_, no<SlotId>);
  std::vector<Lists<SlotId>::Entry> made;
  for (std::size_t row = 0; row < controls_.size(); ++row) {
    const ControlSetup& c = controls_[row];
    const SlotId slot = id_at<SlotId>(row);
    const VirtualControl::How how = c.virtual_control.how;
    if (how == VirtualControl::How::none) slot_of(c.handset, c.control) = slot;
    for (std::size_t i = 0; i < parts_of(how); ++i) made.push_back({index(c.virtual_control.parts[i]), slot});
    if (c.smoothing_s > 0 || c.debounce > Span{} || how == VirtualControl::How::tilt_x ||
        how == VirtualControl::How::tilt_y)
      restless_.push_back(slot);
    if (c.trembles) trembling_.push_back(slot);
  }
  virtual_of_ = {controls.size(), made};
  for (std::size_t row = 0; row < controls_.size(); ++row) {
    const ControlSetup& c = controls_[row];
    const ControlKind kind = c.calibration.kind();
    const bool deflects = kind == ControlKind::centred || kind == ControlKind::one_sided;
    const bool alone = virtual_of_[row].empty() && (c.partner == no<SlotId> || virtual_of_[index(c.partner)].empty());
    plain_[row] = deflects && alone && !(c.smoothing_s > 0) && recompute == Recompute::changed ? 1 : 0;
  }
  // At most every control changes by itself, and every made one with each of its parts.
  std::size_t most = restless_.size();
  most += 2 * made.size();
  also_changed_.reserve(most);
  // A handset's controls and all that is made of them, at most thrice: a gap, and what it is told with.
  forgotten_.reserve(3 * (most + 2 * controls.size()));
}

/// Whoever reports steadily repeats what stands still; of a control that the rig does not use every reading counts.
void Signal::note_change(State& state, SlotId slot, const Reading& reading) noexcept {
  if (slot != no<SlotId> && samples_[index(slot)].known &&
      controls_[index(slot)].calibration.kind() != ControlKind::counts && memories_[index(slot)].raw == reading.raw)
    return;
  if (slot != no<SlotId>) memories_[index(slot)].raw = reading.raw;
  state.changed = reading.event;
}

/// Zero: none.
Span Signal::limit_of(std::size_t handset) const noexcept {
  return handsets_[handset].max_steady.value_or(states_[handset].wireless ? usual_max_steady : Span{});
}

std::optional<Span> Signal::max_steady(HandsetId handset) const noexcept {
  const HandsetSetup& setup = handsets_[index(handset)];
  const Span limit = limit_of(index(handset));
  if (limit == Span{}) return std::nullopt;
  // At its ends it may be cut off, and stand still there.
  const auto trembles = [&](SlotId slot) {
    const Calibration& ends = controls_[index(slot)].calibration;
    const std::int32_t raw = memories_[index(slot)].raw;
    return controls_[index(slot)].handset == handset && samples_[index(slot)].value != 0 && raw > ends.minimum() &&
           raw < ends.maximum();
  };
  for (const SlotId slot : trembling_)
    if (setup.max_tremble > Span{} && setup.max_tremble < limit && trembles(slot)) return setup.max_tremble;
  return limit;
}

void Signal::forget(SlotId slot) noexcept {
  const ControlSetup& control = controls_[index(slot)];
  const bool known = states_[index(control.handset)].present && control.calibration.kind() == ControlKind::counts;
  samples_[index(slot)] = {.known = known};
  memories_[index(slot)] = {};
  forgotten_.push_back(slot);
}

void Signal::forget_with_virtual(SlotId slot) noexcept {
  forget(slot);
  // What is made of it may belong to another handset.
  for (const SlotId made : virtual_of_[index(slot)]) forget(made);
}

void Signal::forget(HandsetId handset) noexcept {
  for (std::size_t row = 0; row < controls_.size(); ++row)
    if (controls_[row].handset == handset) forget_with_virtual(id_at<SlotId>(row));
}

bool Signal::calibrate(SlotId slot, const Calibration& calibration) noexcept {
  ControlSetup& control = controls_[index(slot)];
  if (states_[index(control.handset)].present || control.calibration.kind() != calibration.kind()) return false;
  control.calibration = calibration;
  return true;
}

Change Signal::plug(const Reading& reading) noexcept {
  State& state = states_[index(reading.handset)];
  const bool present = reading.raw != 0;
  // One product may be announced twice; only a change counts.
  if (present == state.present) return {};
  state.present = present;
  state.unheard = false;
  state.wireless = reading.raw == wireless_presence;
  watches_steady_ = false;
  for (std::size_t h = 0; h < states_.size(); ++h)
    watches_steady_ = watches_steady_ || (states_[h].present && limit_of(h) > Span{});
  forget(reading.handset);
  Change change;
  change.kind = present ? Change::Kind::present : Change::Kind::absent;
  return change;
}

/// Takes nothing of a reading but that it says "pressed": a stop counts however it comes.
Change Signal::refuse(SlotId slot, std::int32_t raw) noexcept {
  const ControlSetup& control = controls_[index(slot)];
  Change change;
  change.slot = slot;
  const double value = control.calibration.normalise(raw);
  change.pressed = control.calibration.kind() == ControlKind::key ? raw != 0 : size(value) >= control.press_at;
  for (const SlotId made : virtual_of_[index(slot)]) {
    const VirtualControl& virtual_control = controls_[index(made)].virtual_control;
    Change also;
    also.slot = made;
    also.pressed = virtual_control.how == VirtualControl::How::key &&
                   (virtual_control.lower ? -value : value) >= virtual_control.press;
    if (also.pressed) also_changed_.push_back(also);
  }
  forget_with_virtual(slot);
  return change;
}

/// How many readings are known to be lost before this one; `in_turn`: it comes after the last one.
std::int64_t Signal::lost_before(const Reading& reading, bool& in_turn) const noexcept {
  const State& state = states_[index(reading.handset)];
  // The number may wrap; what is not ahead of the last one is a repetition, or late. A new start may have any.
  const bool starts = reading.control == ControlId::presence && reading.raw != 0 && !state.present;
  const auto ahead = static_cast<std::int32_t>(reading.sequence - state.sequence);
  in_turn = starts || ahead > 0;
  const std::int64_t lost = starts ? 0 : in_turn ? ahead - 1 : 1;
  return reading.control == ControlId::gap ? lost + (reading.raw > 0 ? reading.raw : 1) : lost;
}

Change Signal::accept(const Reading& reading, Time now) noexcept {
  Change change;
  also_changed_.clear();
  forgotten_.clear();
  if (index(reading.handset) >= states_.size()) return change;
  State& state = states_[index(reading.handset)];
  const bool is_control = index(reading.control) < max_controls, is_presence = reading.control == ControlId::presence;
  const SlotId slot = index(reading.control) < named_ ? slot_of(reading.handset, reading.control) : no<SlotId>;
  const bool taken = slot != no<SlotId> && state.present;
  const bool unheard = is_control && !state.present && !state.unheard;
  state.unheard = state.unheard || unheard;
  if (!(reading.event <= reading.arrival && reading.arrival <= now && reading.event >= state.last_event)) {
    if (taken) change = refuse(slot, reading.raw);
    forget(reading.handset);
    change.fault = ReadingFault::clock;
    change.unheard = unheard;
    return change;
  }
  bool in_turn = false;
  const std::int64_t lost = lost_before(reading, in_turn);
  state.sequence = reading.sequence;
  state.last_event = reading.event;
  state.last_arrival = reading.arrival;
  note_change(state, slot, reading);
  if (lost > 0) {
    state.lost += static_cast<std::uint64_t>(lost);
    forget(reading.handset);
  }
  if (taken && in_turn && lost == 0 && now - reading.event <= handsets_[index(reading.handset)].max_age &&
      take_plain(slot, reading.raw, reading.event)) {
    change.kind = Change::Kind::moved;
    change.slot = slot;
    change.at = reading.event;
    return change;
  }
  // Plugged in or gone holds however late one hears of it.
  const bool too_old = !is_presence && now - reading.event > handsets_[index(reading.handset)].max_age;
  if (is_presence) {
    change = plug(reading);
  } else if (taken) {
    change = too_old || !in_turn ? refuse(slot, reading.raw) : take(slot, reading.raw, reading.event);
    if (!too_old && in_turn && change.fault == ReadingFault::none) make_all(slot, reading.event);
  }
  if (too_old) change.fault = ReadingFault::clock;
  if (!is_control && !is_presence && reading.control != ControlId::gap) {
    // Nobody can say what it was about.
    forget(reading.handset);
    change.fault = ReadingFault::implausible;
  }
  change.lost = static_cast<std::uint32_t>(lost);
  change.at = reading.event;
  change.unheard = unheard;
  return change;
}

/// The same as take() for what most readings are: a deflection that was known before, with nothing made of it. False,
/// and nothing done, for any other.
bool Signal::take_plain(SlotId slot, std::int32_t raw, Time at) noexcept {
  const ControlSetup& control = controls_[index(slot)];
  if (plain_[index(slot)] == 0 || !samples_[index(slot)].known || !control.calibration.plausible(raw)) return false;
  Memory& memory = memories_[index(slot)];
  memory.deflection = control.calibration.normalise(raw);
  memory.smoothing.start(memory.deflection);
  memory.at = at;
  shape(slot);
  return true;
}

Change Signal::take(SlotId slot, std::int32_t raw, Time at) noexcept {
  const ControlSetup& control = controls_[index(slot)];
  Memory& memory = memories_[index(slot)];
  Change change;
  change.slot = slot;
  if (!control.calibration.plausible(raw)) {
    change = refuse(slot, raw);
    change.fault = ReadingFault::implausible;
    return change;
  }
  switch (control.calibration.kind()) {
    case ControlKind::counts:
      change.kind = Change::Kind::counted;
      change.counts = detents(slot, control.calibration.reversed() ? -raw : raw);
      return change;
    case ControlKind::key:
      memory.down = raw != 0;
      if (samples_[index(slot)].known && at < memory.counts_from) {
        change.pressed = memory.down;  // not taken yet
        return change;
      }
      // To be told once more what it is is no bounce.
      if (!samples_[index(slot)].known || samples_[index(slot)].pressed != memory.down)
        memory.counts_from = at + control.debounce;
      return press(slot, memory.down);
    case ControlKind::centred:
    case ControlKind::one_sided: break;
  }
  return deflect(slot, control.calibration.normalise(raw), at);
}

/// A control's deflection is another one from `at` on. Until then it stood where it stood before.
Change Signal::deflect(SlotId slot, double deflection, Time at) noexcept {
  Sample& sample = samples_[index(slot)];
  Memory& memory = memories_[index(slot)];
  Change change;
  change.kind = Change::Kind::moved;
  change.slot = slot;
  change.at = at;
  change.first = !sample.known;
  sample.known = true;
  const double delay_s = controls_[index(slot)].smoothing_s;
  if (delay_s > 0 && !change.first) {
    memory.smoothing.advance(memory.deflection, to_seconds(at - memory.at), delay_s);
  } else {
    memory.smoothing.start(deflection);
  }
  memory.deflection = deflection;
  memory.at = at;
  shape(slot);
  return change;
}

/// A key is `down` now. An edge needs two known ends: the first word of a key tells its state, not that it was pressed
/// just now.
Change Signal::press(SlotId slot, bool down) noexcept {
  Sample& sample = samples_[index(slot)];
  Change change;
  change.slot = slot;
  if (sample.known && sample.pressed != down) change.kind = Change::Kind::key;
  if (!sample.known && down) change.kind = Change::Kind::held;
  change.pressed = down;
  sample = {true, down, 0};
  return change;
}

/// Whole detents turned since the last one. What bounces about a detent's edge counts once: it takes three quarters of
/// a detent either way.
std::int32_t Signal::detents(SlotId slot, std::int32_t counts) noexcept {
  const std::int32_t detent = controls_[index(slot)].detent;
  if (detent <= 1) return counts;
  std::int32_t& part = memories_[index(slot)].part;
  part += counts;
  const std::int32_t needed = detent - detent / 4;
  std::int32_t whole = part / detent;
  part -= whole * detent;
  const std::int32_t more = part >= needed ? 1 : part <= -needed ? -1 : 0;
  part -= more * detent;
  return whole + more;
}

void Signal::shape(SlotId slot) noexcept {
  const ControlSetup& control = controls_[index(slot)];
  if (control.partner == no<SlotId>) {
    samples_[index(slot)].value =
        shaped(memories_[index(slot)].smoothing.value(), control.shape, memories_[index(slot)].shape);
    return;
  }
  const SlotId x = control.is_second_of_pair ? control.partner : slot;
  const SlotId y = x == slot ? control.partner : slot;
  const auto deflection = [&](SlotId s) {
    return samples_[index(s)].known ? memories_[index(s)].smoothing.value() : 0.0;
  };
  const Deflection out = shaped({deflection(x), deflection(y)}, control.shape, memories_[index(x)].shape);
  samples_[index(x)].value = out.x;
  samples_[index(y)].value = out.y;
}

void Signal::make_all(SlotId part, Time at) noexcept {
  for (const SlotId made : virtual_of_[index(part)]) make(made, at);
  // Both halves of a stick change with each of them.
  const SlotId partner = controls_[index(part)].partner;
  if (partner == no<SlotId>) return;
  for (const SlotId made : virtual_of_[index(partner)]) make(made, at);
}

void Signal::make(SlotId slot, Time at) noexcept {
  const VirtualControl& virtual_control = controls_[index(slot)].virtual_control;
  const bool tilts =
      virtual_control.how == VirtualControl::How::tilt_x || virtual_control.how == VirtualControl::How::tilt_y;
  std::array<double, VirtualControl::parts_at_most> parts{};
  for (std::size_t i = 0; i < parts_of(virtual_control.how); ++i) {
    const Sample& part = samples_[index(virtual_control.parts[i])];
    if (!part.known) return;
    // Gravity has no dead zone.
    parts[i] = tilts ? memories_[index(virtual_control.parts[i])].smoothing.value() : part.pressed ? 1 : part.value;
  }
  if (virtual_control.how == VirtualControl::How::key) {
    const bool pressed = samples_[index(slot)].pressed;
    const double toward = virtual_control.lower ? -parts[0] : parts[0];
    const Change change = press(slot, toward >= (pressed ? virtual_control.release : virtual_control.press));
    if (change.kind == Change::Kind::nothing) return;
    also_changed_.push_back(change);
    also_changed_.back().at = at;
    return;
  }
  // Its parts are told one after the other: whether they can be together is looked at when all of a tick are there.
  if (const auto value = made_value(virtual_control, parts)) also_changed_.push_back(deflect(slot, *value, at));
}

/// Whether smoothing changed the control's value.
bool Signal::smooth(SlotId slot, Time now) noexcept {
  const ControlSetup& control = controls_[index(slot)];
  Memory& memory = memories_[index(slot)];
  if (!(control.smoothing_s > 0) || !samples_[index(slot)].known || memory.smoothing.value() == memory.deflection)
    return false;
  memory.smoothing.advance(memory.deflection, to_seconds(now - memory.at), control.smoothing_s);
  memory.at = now;
  shape(slot);
  return true;
}

void Signal::advance(Time now) noexcept {
  also_changed_.clear();
  for (const SlotId slot : restless_) {
    const ControlSetup& control = controls_[index(slot)];
    const Sample& sample = samples_[index(slot)];
    Memory& memory = memories_[index(slot)];
    Change change;
    if (!sample.known) continue;
    if (control.calibration.kind() == ControlKind::key) {
      if (memory.down == sample.pressed || now < memory.counts_from) continue;
      change = press(slot, memory.down);
      change.at = memory.counts_from;
      memory.counts_from = change.at + control.debounce;
      also_changed_.push_back(change);
      make_all(slot, now);
      continue;
    }
    change.slot = slot;
    change.at = now;
    const VirtualControl& virtual_control = control.virtual_control;
    if (virtual_control.how == VirtualControl::How::tilt_x || virtual_control.how == VirtualControl::How::tilt_y) {
      std::array<double, VirtualControl::parts_at_most> parts{};
      for (std::size_t i = 0; i < parts.size(); ++i)
        parts[i] = memories_[index(virtual_control.parts[i])].smoothing.value();
      if (!made_value(virtual_control, parts)) change.fault = ReadingFault::implausible;
    }
    const bool moved = smooth(slot, now);
    if (moved) change.kind = Change::Kind::moved;
    if (moved || change.fault != ReadingFault::none) also_changed_.push_back(change);
    if (moved) make_all(slot, now);
  }
}

HandsetHealth Signal::health(HandsetId handset, Time now) const noexcept {
  const State& state = states_[index(handset)];
  if (!state.present) return HandsetHealth::absent;
  const auto& limit = handsets_[index(handset)].max_silence;
  const Span silence = now - state.last_arrival;
  return limit && !(silence >= Span{0} && silence <= *limit) ? HandsetHealth::silent : HandsetHealth::present;
}

}  // namespace gyrax
