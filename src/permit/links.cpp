#include <gyrax/base/nano.hpp>
#include <gyrax/permit/links.hpp>

namespace gyrax {

Links::Links(std::span<const LinkSetup> links, std::span<const Wiring> axes)
    : links_(links.begin(), links.end()),
      wiring_(axes.begin(), axes.end()),
      states_(links.size()),
      axes_(axes.size()) {}

bool Links::holds(const LinkReport& report, Time now) const noexcept {
  const State& last = states_[index(report.link)];
  if (!(report.measured <= report.arrival && report.arrival <= now)) return false;
  if (last.heard && (report.measured < last.measured || report.arrival < last.arrival)) return false;
  // The heartbeat may wrap; a step of less than half its range is forward.
  if (last.heard && static_cast<std::int32_t>(report.sequence - last.sequence) <= 0) return false;
  for (const AxisReport& axis : report.axes) {
    if ((axis.measured || axis.told) && !(is_position(axis.position) && is_position(axis.speed))) return false;
  }
  return true;
}

Cause Links::accept(const LinkReport& report, Time now) noexcept {
  if (index(report.link) >= states_.size()) return Cause::none;
  if (!holds(report, now)) return Cause::report_invalid;
  states_[index(report.link)] = {true, report.sequence, report.measured, report.arrival, report.faults};
  for (std::size_t axis = 0; axis < wiring_.size(); ++axis) {
    if (wiring_[axis].link == report.link && wiring_[axis].channel < report.axes.size())
      axes_[axis] = report.axes[wiring_[axis].channel];
  }
  return Cause::none;
}

bool Links::fresh(LinkId link, Time now) const noexcept {
  const State& state = states_[index(link)];
  // By the time of measuring: a report that was long on its way says nothing about now.
  const Span age = now - state.measured;
  return state.heard && age >= Span{0} && age <= links_[index(link)].max_silence;
}

}  // namespace gyrax
