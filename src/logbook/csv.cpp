#include <gyrax/logbook/export.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <iterator>

namespace gyrax {

namespace {

/// "override", or "override_carriage" for one of a group's own.
std::string override_name(const Rig& rig, OverrideId override) {
  std::string name = "override";
  for (std::size_t n = 0; n < rig.numbers.size(); ++n)
    if (rig.setup.notches.numbers[n].override == override) name = rig.numbers[n].name;
  std::replace(name.begin(), name.end(), '.', '_');
  return name;
}

}  // namespace

std::string to_csv(const Rig& rig, const Rehearsal& done) {
  const Trace& trace = done.trace;
  std::string csv = "t_s";
  for (const std::string& zone : rig.zones) csv += "," + zone + "_state";
  for (std::size_t r = 0; r < trace.overrides.size(); ++r)
    csv += fmt::format(",{}_percent", override_name(rig, id_at<OverrideId>(r)));
  for (const AxisInfo& axis : rig.axes)
    csv += fmt::format(",{0}_asked,{0}_p_{1},{0}_v_{2},{0}_a_{2}{3},{0}_machine_{1},{0}_blocked", axis.name,
                       axis.motor ? "percent_s" : axis.unit, axis.motor ? "percent" : axis.unit + "_s",
                       axis.motor ? "_s" : "2");
  for (const std::string& name : rig.switches) csv += "," + name;
  csv += '\n';
  csv.reserve(csv.size() + trace.ticks * (16 + 64 * trace.axes.size()));
  const auto out = std::back_inserter(csv);
  for (std::size_t t = 0; t < trace.ticks; ++t) {
    fmt::format_to(out, "{}", to_seconds(trace.at(t)));
    for (const auto& zone : trace.zones) fmt::format_to(out, ",{}", name_of(zone[t]));
    for (const auto& override : trace.overrides) fmt::format_to(out, ",{}", override[t]);
    for (const AxisTrace& a : trace.axes) {
      const Interlock blocked = a[t].why.blocked.what;
      const bool silent = blocked == Interlock::none || blocked == Interlock::unasked;
      fmt::format_to(out, ",{},{},{},{},{},{}", a[t].asked, a[t].position, a[t].speed, a[t].accel, a[t].real_position,
                     silent ? "" : about(blocked).name);
    }
    for (const auto& one : trace.switches) fmt::format_to(out, ",{}", one[t]);
    csv += '\n';
  }
  return csv;
}

}  // namespace gyrax
