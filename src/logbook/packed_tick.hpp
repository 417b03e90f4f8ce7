// A tick on its way from the engine's thread to the logbook's. Private.
#pragma once

#include "packing.hpp"

#include <gyrax/logbook/record.hpp>

#include <algorithm>
#include <optional>
#include <vector>

namespace gyrax {

/// Into a Packer, or a PackedSize that only counts.
template <class To>
void pack(To& to, const TickRecord& r) {
  to.put(r.now);
  to.put(r.end);
  to.put_all(r.readings);
  to.put(static_cast<std::uint32_t>(r.reports.size()));
  for (const LinkReport& report : r.reports) {
    to.put(report.link);
    to.put(report.sequence);
    to.put(report.measured);
    to.put(report.arrival);
    to.put_all(report.axes);
    to.put(report.far_clock);
    to.put(report.faults);
    to.put(report.within);
    to.put(report.waits);
    to.put_all(report.inputs);
    to.put_all(report.actions);
  }
  to.put_all(r.commands);
  to.put_all(r.switches);
  to.put_all(r.events);
  to.put_all(r.program);
  to.put_all(r.typed);
}

/// A tick that came out of the ring, and what it points to.
class UnpackedTick {
 public:
  const TickRecord& read(Unpacker& from) {
    tick_.now = from.get<Time>();
    tick_.end = from.get<bool>();
    from.get_all(readings_);
    reports_.resize(from.get<std::uint32_t>());
    const std::size_t rows = std::max(axes_.size(), reports_.size());
    axes_.resize(rows);
    inputs_.resize(rows);
    actions_.resize(rows);
    for (std::size_t i = 0; i < reports_.size(); ++i) {
      LinkReport& r = reports_[i];
      r.link = from.get<LinkId>();
      r.sequence = from.get<std::uint32_t>();
      r.measured = from.get<Time>();
      r.arrival = from.get<Time>();
      from.get_all(axes_[i]);
      r.axes = axes_[i];
      r.far_clock = from.get<std::optional<Time>>();
      r.faults = from.get<std::uint32_t>();
      r.within = from.get<Span>();
      r.waits = from.get<bool>();
      from.get_all(inputs_[i]);
      from.get_all(actions_[i]);
      r.inputs = inputs_[i];
      r.actions = actions_[i];
    }
    from.get_all(commands_);
    from.get_all(switches_);
    from.get_all(events_);
    from.get_all(program_);
    from.get_all(typed_);
    tick_.readings = readings_;
    tick_.reports = reports_;
    tick_.commands = commands_;
    tick_.switches = switches_;
    tick_.events = events_;
    tick_.program = program_;
    tick_.typed = typed_;
    return tick_;
  }

 private:
  TickRecord tick_;
  std::vector<Reading> readings_;
  std::vector<LinkReport> reports_;
  std::vector<std::vector<AxisReport>> axes_;
  std::vector<std::vector<InputReport>> inputs_;
  std::vector<std::vector<ActionReport>> actions_;
  std::vector<ProgramRequest> program_;
  std::vector<ActionId> typed_;
  std::vector<AxisCommand> commands_;
  std::vector<std::uint8_t> switches_;
  std::vector<Event> events_;
};

}  // namespace gyrax
