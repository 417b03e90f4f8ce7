#include "lines.hpp"

#include <gyrax/files/crc32.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/compile.h>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <bit>
#include <cmath>
#include <iterator>
#include <utility>

namespace gyrax {
namespace {

using Json = nlohmann::ordered_json;

constexpr const char* modes[] = {"off", "stand", "follow", "braked"};

/// -1 for "none of them".
template <class Id>
int number(Id id) {
  return id == no<Id> ? -1 : static_cast<int>(index(id));
}

/// A control's number in the header's list; its presence and gaps are below zero.
int control_number(ControlId control) {
  return control == ControlId::presence ? -1 : control == ControlId::gap ? -2 : static_cast<int>(index(control));
}

/// The shortest digits that give the same double again; JSON has no word for what is not finite.
void append(std::string& out, double value) {
  if (std::isfinite(value)) {
    fmt::format_to(std::back_inserter(out), FMT_COMPILE("{}"), value);
  } else {
    fmt::format_to(std::back_inserter(out), "\"{}\"", value);
  }
}

bool same(const AxisCommand& a, const AxisCommand& b) {
  const auto bits = [](double x) { return std::bit_cast<std::uint64_t>(x); };
  return a.mode == b.mode && bits(a.p) == bits(b.p) && bits(a.v) == bits(b.v) && bits(a.a) == bits(b.a);
}

template <class Rows, class Write>
void list(std::string& out, const char* key, const Rows& rows, Write write) {
  bool any = false;
  for (const auto& row : rows) {
    const std::size_t before = out.size();
    if (any) {
      out += ',';
    } else {
      fmt::format_to(std::back_inserter(out), ",\"{}\":[", key);
    }
    if (write(row)) {
      any = true;
    } else {
      out.resize(before);
    }
  }
  if (any) out += ']';
}

constexpr const char* results[] = {"done", "refused", "timed_out"};

/// `[p,v]` where it is measured, `[p]` where it was told to be, null where nobody knows.
void append(std::string& line, const AxisReport& axis) {
  if (!axis.measured && !axis.told) {
    line += "null";
    return;
  }
  line += '[';
  append(line, axis.position);
  if (axis.measured) {
    line += ',';
    append(line, axis.speed);
  }
  line += ']';
}

/// What a report says besides its axes, where it says anything.
void append_rest(std::string& out, const LinkReport& r, Time now) {
  if (!r.far_clock && r.faults == 0 && r.within == Span{} && !r.waits && r.inputs.empty() && r.actions.empty()) return;
  const auto to = std::back_inserter(out);
  out += ",{";
  if (r.far_clock) fmt::format_to(to, "\"clock\":{},", (*r.far_clock - now).count());
  if (r.within != Span{}) fmt::format_to(to, "\"within\":{},", r.within.count());
  if (r.waits) out += "\"waits\":1,";
  fmt::format_to(to, "\"faults\":{}", r.faults);
  list(out, "inputs", r.inputs, [&](const InputReport& input) {
    fmt::format_to(to, "[{},", index(input.input));
    append(out, input.value);
    fmt::format_to(to, ",{}]", input.fresh ? 1 : 0);
    return true;
  });
  list(out, "actions", r.actions, [&](const ActionReport& action) {
    fmt::format_to(to, "[{},\"{}\",{}]", index(action.action), results[static_cast<std::size_t>(action.result)],
                   action.number);
    return true;
  });
  out += '}';
}

}  // namespace

TickLines::TickLines(const Rig& rig, Outputs outputs)
    : outputs_(outputs), sums_(rig.axes.size()), told_(rig.axes.size()), switched_(rig.switches.size()) {}

void TickLines::restart() {
  sums_.restart();
  std::ranges::fill(told_, AxisCommand{});
  std::ranges::fill(switched_, std::uint8_t{0});
}

void TickLines::readings(const TickRecord& tick) {
  const Reading* before = nullptr;
  list(line_, "r", tick.readings, [&](const Reading& r) {
    const auto to = std::back_inserter(line_);
    // Most come several in one report of the device.
    const bool follows = before != nullptr && r.handset == before->handset && r.sequence == before->sequence + 1 &&
                         r.event == before->event && r.arrival == before->arrival;
    before = &r;
    if (follows) {
      fmt::format_to(to, FMT_COMPILE("[{},{}]"), control_number(r.control), r.raw);
    } else {
      fmt::format_to(to, FMT_COMPILE("[{},{},{},{},{},{}]"), index(r.handset), control_number(r.control), r.sequence,
                     (r.event - tick.now).count(), (r.arrival - tick.now).count(), r.raw);
    }
    return true;
  });
}

void TickLines::reports(const TickRecord& tick) {
  list(line_, "m", tick.reports, [&](const LinkReport& r) {
    fmt::format_to(std::back_inserter(line_), "[{},{},{},{},[", index(r.link), r.sequence,
                   (r.measured - tick.now).count(), (r.arrival - tick.now).count());
    bool first = true;
    for (const AxisReport& axis : r.axes) {
      if (!first) line_ += ',';
      first = false;
      append(line_, axis);
    }
    line_ += ']';
    append_rest(line_, r, tick.now);
    line_ += ']';
    return true;
  });
}

void TickLines::program(const TickRecord& tick) {
  list(line_, "p", tick.program, [&](const ProgramRequest& r) {
    fmt::format_to(std::back_inserter(line_), "[{},", index(r.coordinate));
    if (r.kind == ProgramRequest::Kind::go) {
      fmt::format_to(std::back_inserter(line_), "\"go\",{}]", r.goal);
    } else {
      line_ += "\"jog\",";
      append(line_, r.velocity);
      line_ += ']';
    }
    return true;
  });
}

void TickLines::commands(const TickRecord& tick) {
  std::size_t row = 0;
  list(line_, "c", tick.commands, [&](const AxisCommand& c) {
    const std::size_t axis = row++;
    if (axis >= told_.size() || same(told_[axis], c)) return false;
    told_[axis] = c;
    fmt::format_to(std::back_inserter(line_), "[{},\"{}\",", axis, modes[static_cast<std::size_t>(c.mode)]);
    append(line_, c.p);
    line_ += ',';
    append(line_, c.v);
    line_ += ',';
    append(line_, c.a);
    line_ += ']';
    return true;
  });
  row = 0;
  list(line_, "s", tick.switches, [&](std::uint8_t on) {
    const std::size_t which = row++;
    if (which >= switched_.size() || switched_[which] == on) return false;
    switched_[which] = on;
    fmt::format_to(std::back_inserter(line_), "[{},{}]", which, on);
    return true;
  });
}

void append_events(std::string& out, std::span<const Event> events) {
  list(out, "e", events, [&](const Event& e) {
    fmt::format_to(std::back_inserter(out), "[\"{}\",{},\"{}\",\"{}\",\"{}\",{},{},{},{},{},{}", name_of(e.kind),
                   number(e.zone), name_of(e.state), about(e.cause).name, about(e.obstacle.what).name,
                   number(e.obstacle.handset), number(e.obstacle.slot), number(e.obstacle.link), number(e.axis),
                   number(e.target), e.number);
    const int rest[] = {number(e.which), number(e.layer), number(e.by), number(e.obstacle.target)};
    const int input = number(e.obstacle.input), action = number(e.action), in_the_way = number(e.obstacle.action);
    const bool acts = action >= 0 || in_the_way >= 0;
    // Later than the rest, and only where there is anything to tell.
    if (acts || input >= 0 || std::any_of(std::begin(rest), std::end(rest), [](int row) { return row >= 0; }))
      fmt::format_to(std::back_inserter(out), ",{},{},{},{}", rest[0], rest[1], rest[2], rest[3]);
    if (acts || input >= 0) fmt::format_to(std::back_inserter(out), ",{}", input);
    if (acts) fmt::format_to(std::back_inserter(out), ",{},{}", action, in_the_way);
    out += ']';
    return true;
  });
}

const std::string& TickLines::line(const TickRecord& tick) {
  line_.clear();
  fmt::format_to(std::back_inserter(line_), FMT_COMPILE("{{\"t\":{}"), tick.now.time_since_epoch().count());
  readings(tick);
  reports(tick);
  program(tick);
  list(line_, "a", tick.typed, [&](ActionId typed) {
    fmt::format_to(std::back_inserter(line_), "{}", index(typed));
    return true;
  });
  if (tick.end) line_ += ",\"end\":1";
  append_events(line_, tick.events);
  const std::uint16_t sum = sums_.tick(tick.commands, tick.switches);
  if (outputs_ == Outputs::told) {
    commands(tick);
  } else {
    fmt::format_to(std::back_inserter(line_), FMT_COMPILE(",\"x\":\"{:04x}\""), sum);
  }
  line_ += '}';
  return line_;
}

void take_measured(const Rig& rig, std::span<const LinkReport> reports, std::vector<AxisReport>& measured) {
  for (const LinkReport& report : reports)
    for (std::size_t a = 0; a < measured.size(); ++a) {
      const Wiring& wire = rig.setup.axes[a].wiring;
      if (wire.link == report.link && wire.channel < report.axes.size()) measured[a] = report.axes[wire.channel];
    }
}

RunState::RunState(const Rig& rig) : rig_(rig), zones_(rig.zones.size()), measured_(rig.axes.size()) {}

void RunState::tick(const TickRecord& tick) {
  now_ = tick.now;
  commands_.assign(tick.commands.begin(), tick.commands.end());
  switches_.assign(tick.switches.begin(), tick.switches.end());
  for (const Event& e : tick.events)
    if (e.kind == Event::Kind::state && e.zone != no<ZoneId>) zones_[index(e.zone)] = e.state;
  take_measured(rig_, tick.reports, measured_);
}

std::string RunState::line() const {
  std::string out = fmt::format("{{\"whole\":{},\"zones\":[", now_.time_since_epoch().count());
  const char* comma = "";
  for (const State zone : zones_) out += fmt::format("{}\"{}\"", std::exchange(comma, ","), name_of(zone));
  out += ']';
  list(out, "commands", commands_, [&](const AxisCommand& c) {
    out += fmt::format("[\"{}\",", modes[static_cast<std::size_t>(c.mode)]);
    append(out, c.p);
    out += ',';
    append(out, c.v);
    out += ',';
    append(out, c.a);
    out += ']';
    return true;
  });
  list(out, "switches", switches_, [&](std::uint8_t on) {
    out += std::to_string(on);
    return true;
  });
  list(out, "measured", measured_, [&](const AxisReport& axis) {
    append(out, axis);
    return true;
  });
  return out + '}';
}

std::string check_line(std::uint64_t ticks, std::string_view text, std::span<const std::uint64_t> axes) {
  std::string out = fmt::format("{{\"check\":\"{:08x}\",\"ticks\":{}", crc32(text), ticks);
  list(out, "axes", axes, [&](std::uint64_t sum) {
    out += fmt::format("\"{:016x}\"", sum);
    return true;
  });
  return out + '}';
}

std::string header_line(const Rig& rig, const Build& build, const std::string& started, Outputs outputs) {
  Json header{{"gyrax_logbook", logbook_version},
              {"replays", outputs == Outputs::summed},
              {"program", {{"version", build.version}, {"binary", build.binary}, {"processor", build.processor}}},
              {"started", started},
              {"rig", Json::array()},
              {"axes", Json::array()},
              {"handsets", rig.handsets},
              {"zones", rig.zones},
              {"switches", rig.switches},
              {"links", Json::array()},
              {"controls", Json::array()},
              {"calibrations", Json::array()}};
  for (const RigSource& source : rig.sources) header["rig"].push_back({{"path", source.path}, {"text", source.text}});
  for (const AxisInfo& axis : rig.axes) header["axes"].push_back({{"name", axis.name}, {"unit", axis.unit}});
  for (const LinkInfo& link : rig.links) header["links"].push_back(link.name);
  for (const ControlName& control : all_controls()) header["controls"].push_back(control.name);
  // A rig may have been fitted to a device before the run began.
  for (std::size_t s = 0; s < rig.setup.controls.size(); ++s)
    header["calibrations"].push_back(Json::parse(calibrate_line(id_at<SlotId>(s), rig.setup.controls[s].calibration)));
  return header.dump(-1, ' ', false, Json::error_handler_t::replace);
}

std::string calibrate_line(SlotId slot, const Calibration& c) {
  return fmt::format(R"({{"slot":{},"kind":{},"minimum":{},"centre":{},"maximum":{},"reversed":{}}})", index(slot),
                     static_cast<int>(c.kind()), c.minimum(), c.centre(), c.maximum(), c.reversed());
}

std::string seated_line(const Rig& rig, HandsetId handset, const Device& device) {
  const Json line{{"seated", rig.handsets.at(index(handset))},
                  {"device", device.name},
                  {"id", id_of(device)},
                  {"unique", device.unique},
                  {"port", device.port}};
  return line.dump(-1, ' ', false, Json::error_handler_t::replace);
}

std::string lost_line(std::uint64_t records) { return fmt::format("{{\"lost\":{}}}", records); }

}  // namespace gyrax
