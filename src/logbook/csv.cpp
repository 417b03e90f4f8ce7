#include <gyrax/logbook/export.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
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

/// One column of each axis: what it is called and what stands in it. A new one is a line of `columns`.
struct Column {
  std::string (*name)(const AxisInfo& axis);  // behind the axis's name
  std::string (*cell)(const AxisSample& sample);
};

std::string shortest(double value) { return fmt::format("{}", value); }
/// The axis's unit; of a motor, percent of full power and what comes of that in time.
std::string unit(const AxisInfo& axis) { return axis.motor ? "percent_s" : axis.unit; }
std::string speed_unit(const AxisInfo& axis) { return axis.motor ? "percent" : axis.unit + "_s"; }

/// "_percent", "_deg_C": of the input's unit what a column's name can have; a contact has none.
std::string unit_suffix(const std::string& unit) {
  if (unit == "%") return "_percent";
  std::string suffix = unit.empty() ? "" : "_";
  for (const char c : unit) suffix += std::isalnum(static_cast<unsigned char>(c)) != 0 ? std::string(1, c) : "_";
  return suffix;
}

const Column columns[] = {
    {[](const AxisInfo&) { return std::string("asked"); }, [](const AxisSample& s) { return shortest(s.asked); }},
    {[](const AxisInfo& a) { return "p_" + unit(a); }, [](const AxisSample& s) { return shortest(s.position); }},
    {[](const AxisInfo& a) { return "v_" + speed_unit(a); }, [](const AxisSample& s) { return shortest(s.speed); }},
    {[](const AxisInfo& a) { return "a_" + speed_unit(a) + (a.motor ? "_s" : "2"); },
     [](const AxisSample& s) { return shortest(s.accel); }},
    {[](const AxisInfo& a) { return "machine_" + unit(a); },
     [](const AxisSample& s) { return shortest(s.real_position); }},
    {[](const AxisInfo&) { return std::string("blocked"); },
     [](const AxisSample& s) {
       const Interlock blocked = s.why.blocked.what;
       const bool silent = blocked == Interlock::none || blocked == Interlock::unasked;
       return std::string(silent ? "" : about(blocked).name);
     }},
};

}  // namespace

CsvTable::CsvTable(const Rig& rig, std::function<void(std::string_view)> out) : out_(std::move(out)) {
  text_ = "t_s";
  for (const std::string& zone : rig.zones) text_ += "," + zone + "_state";
  for (std::size_t r = 0; r < rig.setup.notches.overrides.size(); ++r)
    text_ += fmt::format(",{}_percent", override_name(rig, id_at<OverrideId>(r)));
  for (const AxisInfo& axis : rig.axes)
    for (const Column& column : columns) text_ += fmt::format(",{}_{}", axis.name, column.name(axis));
  for (const std::string& name : rig.switches) text_ += "," + name;
  for (const InputInfo& input : rig.inputs) text_ += fmt::format(",input_{}{}", input.name, unit_suffix(input.unit));
  text_ += '\n';
}

void CsvTable::tick(const TickSample& sample, std::span<const Event>) {
  constexpr std::size_t enough = 64u << 10;
  const auto out = std::back_inserter(text_);
  fmt::format_to(out, "{}", to_seconds(sample.at));
  for (const State zone : sample.zones) fmt::format_to(out, ",{}", name_of(zone));
  for (const double override : sample.overrides) fmt::format_to(out, ",{}", override);
  for (const AxisSample& axis : sample.axes)
    for (const Column& column : columns) {
      text_ += ',';
      text_ += column.cell(axis);
    }
  for (const std::uint8_t on : sample.switches) fmt::format_to(out, ",{}", on);
  for (const double value : sample.inputs) text_ += std::isnan(value) ? "," : fmt::format(",{}", value);
  text_ += '\n';
  if (text_.size() >= enough) end();
}

void CsvTable::end() {
  out_(text_);
  text_.clear();
}

std::string to_csv(const Rig& rig, const Rehearsal& done) {
  std::string csv;
  CsvTable table(rig, [&csv](std::string_view lines) { csv += lines; });
  watch(done.trace, done.events, table);
  table.end();
  return csv;
}

}  // namespace gyrax
