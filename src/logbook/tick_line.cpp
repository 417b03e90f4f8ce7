#include "tick_line.hpp"
#include "scan.hpp"

#include <fmt/format.h>

#include <limits>

namespace gyrax {
namespace {

constexpr std::int64_t most_ns = std::int64_t{1} << 60;

ControlId control_of(std::int64_t number, std::span<const ControlId> controls) {
  if (number == -1) return ControlId::presence;
  if (number == -2) return ControlId::gap;
  if (number < 0 || static_cast<std::size_t>(number) >= controls.size())
    throw Wrong{fmt::format("there is no control {}", number)};
  return controls[static_cast<std::size_t>(number)];
}

/// Handset, control, sequence, event, arrival, raw; or control and raw of one that came with the reading before it.
void read_reading(Scan& scan, std::span<const ControlId> controls, LogRecord& record) {
  scan.want('[');
  const std::int64_t first = scan.whole(-2, std::numeric_limits<std::uint16_t>::max());
  scan.want(',');
  const std::int64_t second =
      scan.whole(std::numeric_limits<std::int32_t>::min(), std::numeric_limits<std::int32_t>::max());
  Reading reading;
  if (scan.take(']')) {
    if (record.readings.empty()) throw Wrong{"no reading is before this one"};
    reading = record.readings.back();
    reading.control = control_of(first, controls);
    ++reading.sequence;
    reading.raw = static_cast<std::int32_t>(second);
    record.readings.push_back(reading);
    return;
  }
  if (first < 0 || first >= static_cast<std::int64_t>(max_handsets))
    throw Wrong{fmt::format("there is no handset {}", first)};
  reading.handset = id_at<HandsetId>(static_cast<std::size_t>(first));
  reading.control = control_of(second, controls);
  scan.want(',');
  reading.sequence = static_cast<std::uint32_t>(scan.whole(0, std::numeric_limits<std::uint32_t>::max()));
  scan.want(',');
  reading.event = record.now + Span{scan.whole(-most_ns, most_ns)};
  scan.want(',');
  reading.arrival = record.now + Span{scan.whole(-most_ns, most_ns)};
  scan.want(',');
  reading.raw = static_cast<std::int32_t>(
      scan.whole(std::numeric_limits<std::int32_t>::min(), std::numeric_limits<std::int32_t>::max()));
  scan.want(']');
  record.readings.push_back(reading);
}

ProgramRequest read_program(Scan& scan) {
  ProgramRequest request;
  scan.want('[');
  request.coordinate = id_at<CoordinateId>(static_cast<std::size_t>(scan.whole(0, max_axes - 1)));
  scan.want(',');
  const std::string_view kind = scan.word();
  if (kind != "jog" && kind != "go") throw Wrong{"a program asks for jog or go"};
  request.kind = kind == "go" ? ProgramRequest::Kind::go : ProgramRequest::Kind::jog;
  scan.want(',');
  if (kind == "go") {
    request.goal = scan.whole(std::numeric_limits<Nano>::min(), std::numeric_limits<Nano>::max());
  } else {
    request.velocity = scan.number();
  }
  scan.want(']');
  return request;
}

/// What a report says besides its axes.
void read_rest(Scan& scan, LogRecord& record, LinkReport& report) {
  constexpr std::int64_t most = 0xfffe;
  std::vector<InputReport>& inputs = record.report_inputs[record.reports.size()];
  std::vector<ActionReport>& actions = record.report_actions[record.reports.size()];
  scan.want('{');
  if (scan.take("\"clock\":")) {
    report.far_clock = record.now + Span{scan.whole(-most_ns, most_ns)};
    scan.want(',');
  }
  if (scan.take("\"within\":")) {
    report.within = Span{scan.whole(0, most_ns)};
    scan.want(',');
  }
  report.waits = scan.take("\"waits\":1,");
  if (!scan.take("\"faults\":")) throw Wrong{"'faults' is missing"};
  report.faults = static_cast<std::uint32_t>(scan.whole(0, std::numeric_limits<std::uint32_t>::max()));
  if (scan.take(",\"inputs\":["))
    scan.each([&] {
      InputReport input;
      scan.want('[');
      input.input = id_at<InputId>(static_cast<std::size_t>(scan.whole(0, most)));
      scan.want(',');
      input.value = scan.number();
      scan.want(',');
      input.fresh = scan.whole(0, 1) != 0;
      scan.want(']');
      inputs.push_back(input);
    });
  if (scan.take(",\"actions\":["))
    scan.each([&] {
      scan.want('[');
      const auto action = id_at<ActionId>(static_cast<std::size_t>(scan.whole(0, most)));
      scan.want(',');
      const std::string_view word = scan.word();
      const std::size_t result = word == "done" ? 0 : word == "refused" ? 1 : 2;
      if (result == 2 && word != "timed_out") throw Wrong{"an action is done, refused or timed_out"};
      scan.want(',');
      const auto number = static_cast<std::uint32_t>(scan.whole(0, std::numeric_limits<std::uint32_t>::max()));
      scan.want(']');
      actions.push_back({action, static_cast<ActionReport::Result>(result), number});
    });
  scan.want('}');
}

void read_report(Scan& scan, LogRecord& record) {
  const std::size_t row = record.reports.size();
  if (record.report_axes.size() <= row) {
    record.report_axes.resize(row + 1);
    record.report_inputs.resize(row + 1);
    record.report_actions.resize(row + 1);
  }
  std::vector<AxisReport>& axes = record.report_axes[row];
  axes.clear();
  record.report_inputs[row].clear();
  record.report_actions[row].clear();
  LinkReport report;
  scan.want('[');
  report.link = id_at<LinkId>(static_cast<std::size_t>(scan.whole(0, max_links - 1)));
  scan.want(',');
  report.sequence = static_cast<std::uint32_t>(scan.whole(0, std::numeric_limits<std::uint32_t>::max()));
  scan.want(',');
  report.measured = record.now + Span{scan.whole(-most_ns, most_ns)};
  scan.want(',');
  report.arrival = record.now + Span{scan.whole(-most_ns, most_ns)};
  scan.want(',');
  scan.want('[');
  scan.each([&] {
    if (scan.take("null")) {
      axes.emplace_back();
      return;
    }
    AxisReport axis;
    scan.want('[');
    axis.position = scan.number();
    axis.measured = scan.take(',');
    axis.told = !axis.measured;
    if (axis.measured) axis.speed = scan.number();
    scan.want(']');
    axes.push_back(axis);
  });
  if (scan.take(',')) read_rest(scan, record, report);
  scan.want(']');
  report.axes = axes;
  report.inputs = record.report_inputs[row];
  report.actions = record.report_actions[row];
  record.reports.push_back(report);
}

std::pair<std::size_t, AxisCommand> read_command(Scan& scan) {
  AxisCommand command;
  scan.want('[');
  const auto axis = static_cast<std::size_t>(scan.whole(0, max_axes - 1));
  scan.want(',');
  const std::string_view mode = scan.word();
  if (mode != "off" && mode != "stand" && mode != "follow" && mode != "braked")
    throw Wrong{"an axis is off, braked, stand or follow"};
  command.mode = mode == "off"      ? Mode::off
                 : mode == "braked" ? Mode::braked
                 : mode == "stand"  ? Mode::stand
                                    : Mode::follow;
  for (double* number : {&command.p, &command.v, &command.a}) {
    scan.want(',');
    *number = scan.number();
  }
  scan.want(']');
  return {axis, command};
}

std::pair<std::size_t, std::uint8_t> read_switch(Scan& scan) {
  scan.want('[');
  const auto which = static_cast<std::size_t>(scan.whole(0, std::numeric_limits<std::uint16_t>::max()));
  scan.want(',');
  const auto on = static_cast<std::uint8_t>(scan.whole(0, 1));
  scan.want(']');
  return {which, on};
}

}  // namespace

void read_tick(std::string_view line, std::span<const ControlId> controls, bool summed, LogRecord& record) {
  record.readings.clear();
  record.reports.clear();
  record.program.clear();
  record.typed.clear();
  record.events.clear();
  record.commands.clear();
  record.switches.clear();
  Scan scan(line);
  scan.take("{\"t\":");
  record.now = Time{Span{scan.whole(-most_ns, most_ns)}};
  if (scan.take(",\"r\":[")) scan.each([&] { read_reading(scan, controls, record); });
  if (scan.take(",\"m\":[")) scan.each([&] { read_report(scan, record); });
  if (scan.take(",\"p\":[")) scan.each([&] { record.program.push_back(read_program(scan)); });
  if (scan.take(",\"a\":["))
    scan.each(
        [&] { record.typed.push_back(id_at<ActionId>(static_cast<std::size_t>(scan.whole(0, max_actions - 1)))); });
  record.end = scan.take(",\"end\":1");
  if (scan.take(",\"e\":[")) record.events = fmt::format(",\"e\":[{}]", scan.list());
  if (summed) {
    if (!scan.take(",\"x\":")) throw Wrong{fmt::format("its sum is wanted, not '{}'", scan.rest(12))};
    record.sum = scan.sum();
  } else {
    if (scan.take(",\"c\":[")) scan.each([&] { record.commands.push_back(read_command(scan)); });
    if (scan.take(",\"s\":[")) scan.each([&] { record.switches.push_back(read_switch(scan)); });
  }
  scan.want('}');
  if (!scan.at_end()) throw Wrong{"something follows it"};
}

}  // namespace gyrax
