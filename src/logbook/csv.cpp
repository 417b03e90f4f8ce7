#include <gyrax/logbook/export.hpp>

#include <fmt/format.h>

#include <iterator>

namespace gyrax {

std::string to_csv(const Rig& rig, const Rehearsal& done) {
  const Trace& trace = done.trace;
  std::string csv = "t_s";
  for (const std::string& zone : rig.zones) csv += "," + zone + "_state";
  csv += ",rate_percent";
  for (const AxisInfo& axis : rig.axes)
    csv += fmt::format(",{0}_asked,{0}_p_{1},{0}_v_{1}_s,{0}_a_{1}_s2,{0}_machine_{1},{0}_held", axis.name, axis.unit);
  for (const std::string& name : rig.switches) csv += "," + name;
  csv += '\n';
  csv.reserve(csv.size() + trace.ticks * (16 + 64 * trace.axes.size()));
  const auto out = std::back_inserter(csv);
  for (std::size_t t = 0; t < trace.ticks; ++t) {
    fmt::format_to(out, "{}", to_seconds(trace.at(t)));
    for (const auto& zone : trace.zones) fmt::format_to(out, ",{}", name_of(zone[t]));
    fmt::format_to(out, ",{}", trace.rate[t]);
    for (const AxisTrace& a : trace.axes) {
      const Interlock held = a[t].why.held.what;
      const bool silent = held == Interlock::none || held == Interlock::unasked;
      fmt::format_to(out, ",{},{},{},{},{},{}", a[t].asked, a[t].position, a[t].speed, a[t].accel, a[t].real_position,
                     silent ? "" : about(held).name);
    }
    for (const auto& one : trace.switches) fmt::format_to(out, ",{}", one[t]);
    csv += '\n';
  }
  return csv;
}

}  // namespace gyrax
