#include <gyrax/rig/review.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <iterator>
#include <limits>

namespace gyrax {
namespace {

struct Times {
  double stop_s = 0, stop_distance = 0, travel_s = 0, increment_s = 0, increment = 0;
};

Times times_of(const Rig& rig, std::size_t a) {
  const AxisLimits& l = rig.setup.axes[a].limits;
  const StopReach stop = stop_reach({0, l.speed(), 0}, l.full());
  Times t{.stop_s = stop.time_s, .stop_distance = stop.distance};
  // What turns for ever has no full travel; a turn stands for it.
  t.travel_s = rig.axes[a].endless ? shortest_time({}, 360, l.full()) : shortest_time({l.low(), 0, 0}, l.high(), l.full());
  const auto& notches = rig.setup.notches.increments[a];
  if (!notches.values.empty()) {
    t.increment = from_nano(notches.values[notches.start]);
    t.increment_s = shortest_time({}, t.increment, l.full());
  }
  return t;
}

using Out = std::back_insert_iterator<std::string>;

/// "line 30", or with its file where that is an included one.
std::string where(const Rig& rig, const Origin& origin) {
  return origin.file == rig.path ? fmt::format("line {}", origin.line) : fmt::format("{}:{}", origin.file, origin.line);
}

std::string position_of(const Rig& rig, std::size_t a) {
  const AxisSetup& axis = rig.setup.axes[a];
  const std::string& unit = rig.axes[a].unit;
  std::string text = axis.position == PositionKind::measured ? fmt::format("measured, within {:g} {} of the command", axis.deviation, unit)
                                                             : fmt::format("assumed, at {:g} {} first", axis.start, unit);
  if (axis.servo)
    text += fmt::format("; pulse {} … {} µs over the travel", axis.servo->pulse_us(axis.limits.low()),
                        axis.servo->pulse_us(axis.limits.high()));
  return text;
}

/// "900 / 9000"; a jerk that the rig does not name is marked.
std::string pair_of(double accel, double jerk, bool usual) { return fmt::format("{:g} / {:g}{}", accel, jerk, usual ? "*" : ""); }

void write_axes(Out out, const Rig& rig) {
  fmt::format_to(out, "\nAxes{:>20}{:>13}{:>16}{:>16}{:>22}{:>13}\n", "travel", "speed", "accel / jerk", "brake / jerk",
                 "stop from full speed", "full travel");
  bool usual = false;
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisLimits& l = rig.setup.axes[a].limits;
    const AxisInfo& info = rig.axes[a];
    const Times t = times_of(rig, a);
    usual = usual || info.usual_jerk || info.usual_brake_jerk;
    const std::string travel = info.endless ? "endless" : fmt::format("{:g} … {:g}", l.low(), l.high());
    fmt::format_to(out, "  {:<10}{:>12}{:>13}{:>16}{:>16}{:>22}{:>13}{:>11}\n", info.name, travel,
                   fmt::format("{:g} {}/s", l.speed(), info.unit), pair_of(l.full().accel, l.full().jerk, info.usual_jerk),
                   pair_of(l.full().brake_accel, l.full().brake_jerk, info.usual_brake_jerk),
                   fmt::format("{:.0f} ms, {:.1f} {}", t.stop_s * 1e3, t.stop_distance, info.unit),
                   fmt::format("{:.2f} s{}", t.travel_s, info.endless ? " a turn" : ""), where(rig, info.origin));
    const std::string step =
        t.increment > 0 ? fmt::format("one step of {:g} {} in {:.0f} ms", t.increment, info.unit, t.increment_s * 1e3) : "no steps";
    fmt::format_to(out, "            {}; {}\n", position_of(rig, a), step);
  }
  if (usual)
    fmt::format_to(out, "  * not named in the rig: full acceleration after {:g} ms, the full brake after {:g} ms\n",
                   1e3 / AxisLimits::usual_jerk(1), 1e3 / AxisLimits::usual_brake_jerk(1));
}

void write_watchdogs(Out out, const Rig& rig) {
  fmt::format_to(out, "\nWatchdogs\n");
  fmt::format_to(out, "  a tick later than {:g} ms after the last is a fault\n", to_seconds(rig.setup.longest_tick) * 1e3);
  for (std::size_t h = 0; h < rig.handsets.size(); ++h) {
    const HandsetSetup& handset = rig.setup.handsets[h];
    const std::string silence = handset.longest_silence ? fmt::format("reports steadily: silent for more than {:g} ms, it is lost",
                                                                      to_seconds(*handset.longest_silence) * 1e3)
                                                        : std::string("reports on change: silence is no fault, being unplugged is");
    fmt::format_to(out, "  {}: {}; a reading older than {:g} ms is a fault\n", rig.handsets[h], silence,
                   to_seconds(handset.oldest_reading) * 1e3);
  }
  for (std::size_t l = 0; l < rig.links.size(); ++l)
    fmt::format_to(out, "  {}: no heartbeat for {:g} ms is a fault; the far end stops by itself after {:g} ms\n", rig.links[l].name,
                   to_seconds(rig.setup.links[l].longest_silence) * 1e3, to_seconds(rig.setup.links[l].frame_valid_for) * 1e3);
}

void write_reduced(Out out, const Rig& rig) {
  const auto& reduced = rig.setup.notches.reduced;
  std::string groups;
  for (const GroupSetup& group : rig.setup.groups) {
    if (!(group.reduced_speed < std::numeric_limits<double>::infinity())) continue;
    for (const AxisId axis : group.axes) groups += (axis == group.axes.front() ? ", " : " and ") + rig.axes[index(axis)].name;
    groups += fmt::format(" together at most {:g} {}/s", group.reduced_speed, rig.axes[index(group.axes.front())].unit);
  }
  if (groups.empty() && reduced.speed == 1 && reduced.accel == 1) return;
  fmt::format_to(out, "\nReduced speed ({} at first): {:g} % of speed, {:g} % of acceleration{}\n", reduced.starts_on ? "on" : "off",
                 reduced.speed * 100, reduced.accel * 100, groups);
}

void write_bindings(Out out, const Rig& rig) {
  fmt::format_to(out,
                 "\nBindings (on one axis: stop, then permit, then go or a pose, then follow, then jog, then steps and counts; jogs of one "
                 "axis add)\n");
  std::size_t longest = 0;
  for (const BindingInfo& b : rig.bindings) longest = std::max(longest, b.sentence.size());
  for (const BindingInfo& b : rig.bindings) fmt::format_to(out, "  {:<{}}  {}\n", b.sentence, longest, where(rig, b.origin));
}

void write_zones(Out out, const Rig& rig) {
  const auto usual = default_categories();
  for (std::size_t z = 0; z < rig.zones.size(); ++z) {
    fmt::format_to(out, "\nZone {}: category of the stop for each cause (0 power off at once, 1 stop then off, 2 stop, power stays)\n",
                   rig.zones[z]);
    for (std::size_t c = 1; c < cause_count; ++c) {
      const AboutCause& cause = about(static_cast<Cause>(c));
      const int category = static_cast<int>(rig.setup.zones[z].categories[c]);
      const bool changed = category != static_cast<int>(usual[c]);
      fmt::format_to(out, "  {}  {:<20} {}{}\n", category, cause.name, cause.sentence,
                     changed ? fmt::format(" (by default {})", static_cast<int>(usual[c])) : "");
    }
  }
}

}  // namespace

std::string review_text(const Rig& rig) {
  std::string all;
  Out out(all);
  const auto count = [&](std::size_t n, const char* one, const char* many) { return fmt::format("{} {}", n, n == 1 ? one : many); };
  fmt::format_to(out, "{}\n{} holds: {}, {}, {}, {}, {}; a tick every {:g} ms\n", rig.title.empty() ? rig.path : rig.title, rig.path,
                 count(rig.axes.size(), "axis", "axes"), count(rig.switches.size(), "switch", "switches"),
                 count(rig.handsets.size(), "handset", "handsets"), count(rig.bindings.size(), "binding", "bindings"),
                 count(rig.zones.size(), "zone", "zones"), to_seconds(rig.period) * 1e3);
  write_axes(out, rig);
  write_reduced(out, rig);
  write_bindings(out, rig);
  write_watchdogs(out, rig);
  write_zones(out, rig);
  fmt::format_to(out, "\nWhat this rig cannot promise\n");
  for (const std::string& remark : rig.remarks) fmt::format_to(out, "  {}\n", remark);
  fmt::format_to(out, "  Gyrax is not a safety-rated device: the machine's emergency stop must be wired, not programmed.\n");
  return all;
}

std::string review_json(const Rig& rig) {
  using Json = nlohmann::ordered_json;
  Json all{{"rig", rig.path}, {"title", rig.title}, {"good", true}, {"period_ms", to_seconds(rig.period) * 1e3}};
  all["axes"] = Json::array();
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisLimits& l = rig.setup.axes[a].limits;
    const Times t = times_of(rig, a);
    all["axes"].push_back({{"axis", rig.axes[a].name},
                           {"unit", rig.axes[a].unit},
                           {"travel", {l.low(), l.high()}},
                           {"speed", l.speed()},
                           {"accel", l.full().accel},
                           {"jerk", l.full().jerk},
                           {"brake_accel", l.full().brake_accel},
                           {"brake_jerk", l.full().brake_jerk},
                           {"stop_s", t.stop_s},
                           {"stop_distance", t.stop_distance},
                           {"travel_s", t.travel_s},
                           {"increment", t.increment},
                           {"increment_s", t.increment_s},
                           {"position", position_of(rig, a)},
                           {"file", rig.axes[a].origin.file},
                           {"line", rig.axes[a].origin.line}});
  }
  all["bindings"] = Json::array();
  for (const BindingInfo& b : rig.bindings)
    all["bindings"].push_back({{"says", b.sentence}, {"file", b.origin.file}, {"line", b.origin.line}});
  all["remarks"] = rig.remarks;
  all["origins"] = Json::object();
  for (const auto& [key, origin] : rig.origins) all["origins"][key] = {{"file", origin.file}, {"line", origin.line}};
  return all.dump(2) + "\n";
}

}  // namespace gyrax
