#include <gyrax/signal/dead_zone.hpp>
#include <gyrax/signal/signal.hpp>

namespace gyrax {

Signal::Signal(std::span<const HandsetSetup> handsets, std::span<const ControlSetup> controls)
    : handsets_(handsets.begin(), handsets.end()),
      controls_(controls.begin(), controls.end()),
      states_(handsets.size()),
      samples_(controls.size()),
      deflections_(controls.size()),
      slot_of_(handsets.size() * greatest_controls, no<SlotId>) {
  for (std::size_t row = 0; row < controls_.size(); ++row) {
    const ControlSetup& c = controls_[row];
    slot_of_[index(c.handset) * greatest_controls + index(c.control)] = SlotId{static_cast<std::uint16_t>(row)};
  }
}

void Signal::forget(HandsetId handset) noexcept {
  for (std::size_t row = 0; row < controls_.size(); ++row)
    if (controls_[row].handset == handset)
      samples_[row] = {.known = states_[index(handset)].present && controls_[row].calibration.kind() == ControlKind::counts};
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
  forget(reading.handset);
  Change change;
  change.kind = present ? Change::Kind::present : Change::Kind::absent;
  return change;
}

Change Signal::accept(const Reading& reading, Time now) noexcept {
  Change change;
  if (index(reading.handset) >= states_.size()) return change;
  State& state = states_[index(reading.handset)];
  const bool ordered = reading.event <= reading.arrival && reading.arrival <= now && reading.event >= state.last_event;
  // Plugged in or gone holds however late one hears of it.
  const bool ages = reading.control != ControlId::presence;
  if (!ordered || (ages && now - reading.event > handsets_[index(reading.handset)].oldest_reading)) {
    change.fault = ReadingFault::clock;
    return change;
  }
  const bool starts = reading.control == ControlId::presence && reading.raw != 0 && !state.present;
  const std::uint32_t skipped = starts ? 0 : reading.sequence - state.sequence - 1;
  state.sequence = reading.sequence;
  state.last_event = reading.event;
  state.last_arrival = reading.arrival;

  std::uint32_t lost = skipped;
  if (reading.control == ControlId::gap) lost += reading.raw > 0 ? static_cast<std::uint32_t>(reading.raw) : 1;
  if (lost > 0) {
    state.lost += lost;
    forget(reading.handset);
  }
  if (reading.control == ControlId::presence) {
    change = plug(reading);
  } else if (index(reading.control) < greatest_controls) {
    const SlotId slot = slot_of_[index(reading.handset) * greatest_controls + index(reading.control)];
    if (slot != no<SlotId> && state.present) change = take(slot, reading.raw);
  }
  change.lost = lost;
  change.at = reading.event;
  return change;
}

Change Signal::take(SlotId slot, std::int32_t raw) noexcept {
  const ControlSetup& control = controls_[index(slot)];
  Sample& sample = samples_[index(slot)];
  Change change;
  change.slot = slot;
  if (!control.calibration.plausible(raw)) {
    change.fault = ReadingFault::implausible;
    return change;
  }
  if (control.calibration.kind() == ControlKind::counts) {
    change.kind = Change::Kind::counted;
    change.counts = control.calibration.reversed() ? -raw : raw;
    return change;
  }
  if (control.calibration.kind() == ControlKind::key) {
    const bool pressed = raw != 0;
    // An edge needs two known ends: the first word of a key tells its state, not that it was pressed just now.
    if (sample.known && sample.pressed != pressed) change.kind = Change::Kind::key;
    if (!sample.known && pressed) change.kind = Change::Kind::held;
    change.pressed = pressed;
    sample = {true, pressed, 0};
    return change;
  }
  change.first = !sample.known;
  sample.known = true;
  deflections_[index(slot)] = control.calibration.normalise(raw);
  if (control.partner != no<SlotId>) {
    shape_pair(slot);
  } else {
    sample.value = axial_dead_zone(deflections_[index(slot)], control.dead_zone);
  }
  change.kind = Change::Kind::moved;
  return change;
}

void Signal::shape_pair(SlotId slot) noexcept {
  const SlotId partner = controls_[index(slot)].partner;
  const SlotId x = controls_[index(slot)].is_second_of_pair ? partner : slot;
  const SlotId y = x == slot ? partner : slot;
  const auto deflection = [&](SlotId s) { return samples_[index(s)].known ? deflections_[index(s)] : 0.0; };
  const Deflection shaped = radial_dead_zone({deflection(x), deflection(y)}, controls_[index(slot)].dead_zone);
  samples_[index(x)].value = shaped.x;
  samples_[index(y)].value = shaped.y;
}

HandsetHealth Signal::health(HandsetId handset, Time now) const noexcept {
  const State& state = states_[index(handset)];
  if (!state.present) return HandsetHealth::absent;
  const auto& limit = handsets_[index(handset)].longest_silence;
  const Span silence = now - state.last_arrival;
  return limit && !(silence >= Span{0} && silence <= *limit) ? HandsetHealth::silent : HandsetHealth::present;
}

}  // namespace gyrax
