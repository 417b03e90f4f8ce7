#include <gyrax/rig/review.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <iterator>

namespace gyrax {
namespace {

struct Times {
  double stop_s = 0, stop_distance = 0, travel_s = 0, increment_s = 0, increment = 0;
};

Times times_of(const Rig& rig, std::size_t a) {
  const AxisLimits& l = rig.setup.axes[a].limits;
  const Pace pace{l.speed(), l.accel(), l.brake()};
  Times t;
  t.stop_s = stop_time(l.speed(), l.brake());
  t.stop_distance = stop_distance(l.speed(), l.brake());
  t.travel_s = ramp_to({l.low(), 0, 0}, l.high(), pace).duration();
  const auto& notches = rig.setup.notches.increments[a];
  if (!notches.values.empty()) {
    t.increment = from_nano(notches.values[notches.start]);
    t.increment_s = ramp_to({0, 0, 0}, t.increment, pace).duration();
  }
  return t;
}

using Out = std::back_insert_iterator<std::string>;

void write_axes(Out out, const Rig& rig) {
  fmt::format_to(out, "\nAxes{:>20}{:>14}{:>11}{:>11}{:>22}{:>20}\n", "travel", "speed", "accel", "brake", "stop from full speed", "travel, increment");
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisLimits& l = rig.setup.axes[a].limits;
    const AxisInfo& info = rig.axes[a];
    const Times t = times_of(rig, a);
    const std::string increment = t.increment > 0 ? fmt::format("{:g} in {:.0f} ms", t.increment, t.increment_s * 1e3) : "no steps";
    fmt::format_to(out, "  {:<10}{:>12}{:>14}{:>11}{:>11}{:>22}{:>20}   {}:{}\n", info.name, fmt::format("{:g} … {:g}", l.low(), l.high()),
                   fmt::format("{:g} {}/s", l.speed(), info.unit), fmt::format("{:g}", l.accel()), fmt::format("{:g}", l.brake()),
                   fmt::format("{:.0f} ms, {:.1f} {}", t.stop_s * 1e3, t.stop_distance, info.unit),
                   fmt::format("{:.2f} s, {}", t.travel_s, increment), info.origin.file, info.origin.line);
  }
}

void write_bindings(Out out, const Rig& rig) {
  fmt::format_to(out, "\nBindings (on one axis: stop, then permit, then go, then jog, then step; jogs of one axis add)\n");
  for (const BindingInfo& b : rig.bindings) fmt::format_to(out, "  {:<72}{}:{}\n", b.sentence, b.origin.file, b.origin.line);
}

void write_zones(Out out, const Rig& rig) {
  const auto usual = default_categories();
  for (std::size_t z = 0; z < rig.zones.size(); ++z) {
    fmt::format_to(out, "\nZone {}: category of the stop for each cause (0 power off at once, 1 stop then off, 2 stop, power stays)\n", rig.zones[z]);
    for (std::size_t c = 1; c < cause_count; ++c) {
      const AboutCause& cause = about(static_cast<Cause>(c));
      const int category = static_cast<int>(rig.setup.zones[z].categories[c]);
      const bool changed = category != static_cast<int>(usual[c]);
      fmt::format_to(out, "  {}  {:<20} {}{}\n", category, cause.name, cause.sentence, changed ? fmt::format(" (by default {})", static_cast<int>(usual[c])) : "");
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
  write_bindings(out, rig);
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
    all["axes"].push_back({{"axis", rig.axes[a].name}, {"unit", rig.axes[a].unit}, {"travel", {l.low(), l.high()}}, {"speed", l.speed()},
                           {"accel", l.accel()}, {"brake", l.brake()}, {"stop_s", t.stop_s}, {"stop_distance", t.stop_distance},
                           {"travel_s", t.travel_s}, {"increment", t.increment}, {"increment_s", t.increment_s},
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
