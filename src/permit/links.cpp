#include <gyrax/base/nano.hpp>
#include <gyrax/permit/links.hpp>

namespace gyrax {

Links::Links(std::span<const LinkSetup> links, std::span<const Wiring> axes, std::span<const InputSetup> inputs)
    : links_(links.begin(), links.end()),
      wiring_(axes.begin(), axes.end()),
      states_(links.size()),
      axes_(axes.size()),
      zeros_(axes.size()) {
  inputs_.reserve(inputs.size());
  for (const InputSetup& input : inputs) inputs_.push_back({.link = input.link, .watch = InputWatch(input.bounds)});
}

bool Links::holds(const LinkReport& report, Time now) const noexcept {
  const State& last = states_[index(report.link)];
  if (!(report.measured <= report.arrival && report.arrival <= now)) return false;
  if (last.heard && (report.measured < last.measured || report.arrival < last.arrival)) return false;
  // The heartbeat may wrap; a step of less than half its range is forward.
  if (last.heard && static_cast<std::int32_t>(report.sequence - last.sequence) <= 0) return false;
  for (const AxisReport& axis : report.axes) {
    if ((axis.measured || axis.told) && !(is_position(axis.position) && is_position(axis.speed))) return false;
  }
  for (const InputReport& input : report.inputs)
    if (!is_position(input.value)) return false;
  return true;
}

Cause Links::accept(const LinkReport& report, Time now) noexcept {
  if (index(report.link) >= states_.size()) return Cause::none;
  State& state = states_[index(report.link)];
  if (!holds(report, now)) {
    ++state.losses;
    return Cause::report_invalid;
  }
  const bool late = state.heard && report.measured - state.measured > links_[index(report.link)].max_silence;
  state = {true,
           report.sequence,
           report.measured,
           report.arrival,
           report.faults,
           report.waits,
           state.losses + (late || report.faults != 0 ? 1 : 0)};
  for (std::size_t axis = 0; axis < wiring_.size(); ++axis) {
    if (wiring_[axis].link != report.link || wiring_[axis].channel >= report.axes.size()) continue;
    axes_[axis] = report.axes[wiring_[axis].channel];
    axes_[axis].position += zeros_[axis];
  }
  for (const InputReport& input : report.inputs) {
    if (index(input.input) >= inputs_.size() || inputs_[index(input.input)].link != report.link) continue;
    Input& known = inputs_[index(input.input)];
    const Beyond before = known.watch.beyond();
    if (input.fresh) known.watch.see(input.value, report.measured);
    if (!known.known || (known.value != 0) != (input.value != 0)) known.since = report.measured;
    if (known.known != input.fresh || (known.value != 0) != (input.value != 0) || known.watch.beyond() != before)
      ++input_changes_;
    known.known = input.fresh;
    known.value = input.value;
  }
  return Cause::none;
}

void Links::place_zero(AxisId axis, double at) noexcept {
  axes_[index(axis)].position += at - zeros_[index(axis)];
  zeros_[index(axis)] = at;
}

InputState Links::input(InputId input, Time now) const noexcept {
  const Input& known = inputs_[index(input)];
  if (!known.known || !fresh(known.link, now)) return InputState::unknown;
  return known.value != 0 ? InputState::on : InputState::off;
}

bool Links::fresh(LinkId link, Time now) const noexcept {
  const State& state = states_[index(link)];
  // By the time of measuring: a report that was long on its way says nothing about now.
  const Span age = now - state.measured;
  return state.heard && age >= Span{0} && age <= links_[index(link)].max_silence;
}

}  // namespace gyrax
