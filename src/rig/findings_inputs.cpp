// What is wrong with inputs, though each of them is allowed.
#include "findings_kinds.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

bool has(const std::vector<InputId>& list, InputId input) { return std::ranges::count(list, input) > 0; }

/// Who stands on an input that has to be on, as sentences begin: "'x'", "zone bench".
std::vector<std::string> needed_by(const Rig& rig, InputId input) {
  std::vector<std::string> all;
  for (std::size_t z = 0; z < rig.zones.size(); ++z)
    if (has(rig.setup.zones[z].needs, input)) all.push_back(fmt::format("zone '{}'", rig.zones[z]));
  for (std::size_t a = 0; a < rig.axes.size(); ++a)
    if (has(rig.setup.axes[a].needs_inputs, input)) all.push_back(fmt::format("'{}'", rig.axes[a].name));
  return all;
}

/// A simulated input is for ever what it is at the start.
void find_never_good(Findings& f, std::size_t i) {
  const InputInfo& input = f.rig.inputs[i];
  const InputId id = id_at<InputId>(i);
  if (f.rig.links[index(input.link)].kind != "simulated") return;
  const std::string key = "input." + input.name + ".start";
  const auto tell = [&](const std::string& what, const std::string& instead) {
    f.at_key(Found::never_good, key, input.origin, what, instead);
  };
  if (const auto needed = needed_by(f.rig, id); !needed.empty() && input.start == 0)
    tell(fmt::format("{} needs '{}', which is off", fmt::join(needed, " and "), input.name), "start = \"on\"");
  for (std::size_t a = 0; a < f.rig.axes.size(); ++a) {
    const AxisSetup& axis = f.rig.setup.axes[a];
    if (input.start != 0 && (axis.low_end == id || axis.high_end == id))
      tell(fmt::format("'{}' is at an end of '{}', and is on", input.name, f.rig.axes[a].name), "start = \"off\"");
  }
  const InputBounds& bounds = f.rig.setup.inputs[i].bounds;
  if (input.start < bounds.low || input.start > bounds.high)
    tell(fmt::format("{:g} {} is beyond what trips", input.start, input.unit), "a start inside its bounds");
}

void find_in_bounds(Findings& f, std::size_t i) {
  const InputInfo& input = f.rig.inputs[i];
  const InputBounds& bounds = f.rig.setup.inputs[i].bounds;
  if (!input.range) return;
  const auto outside = [&](const char* key, double bound) {
    if (!(bound > input.range->second || bound < input.range->first)) return;
    if (bound == InputBounds{}.low || bound == InputBounds{}.high) return;
    f.at_key(Found::bound_out_of_range, fmt::format("input.{}.trips.{}", input.name, key), input.origin,
             fmt::format("{:g} {} is outside the range [{:g}, {:g}]", bound, input.unit, input.range->first,
                         input.range->second),
             "a bound inside the range, or a wider range");
  };
  outside("below", bounds.low);
  outside("above", bounds.high);
}

void find_in_ends(Findings& f, std::size_t a) {
  const AxisSetup& axis = f.rig.setup.axes[a];
  const AxisInfo& info = f.rig.axes[a];
  const std::string key = "axis." + info.name + ".ends";
  if (axis.low_end != no<InputId> && axis.low_end == axis.high_end)
    f.at_key(Found::one_switch_two_ends, key, info.origin,
             fmt::format("'{}' is at both ends of '{}'", f.rig.inputs[index(axis.low_end)].name, info.name),
             "a switch for each end");
  for (const InputId end : {axis.low_end, axis.high_end}) {
    if (end == no<InputId>) continue;
    const auto needed = needed_by(f.rig, end);
    if (needed.empty()) continue;
    f.at_key(Found::needs_its_end, key, info.origin,
             fmt::format("'{}' is at an end of '{}', and {} needs it on", f.rig.inputs[index(end)].name, info.name,
                         fmt::join(needed, " and ")),
             "inverted = true for a switch that opens at its end, or another input");
    if (axis.low_end == axis.high_end) break;
  }
}

}  // namespace

void find_in_inputs(Findings& f) {
  for (std::size_t i = 0; i < f.rig.inputs.size(); ++i) {
    find_never_good(f, i);
    find_in_bounds(f, i);
  }
  for (std::size_t a = 0; a < f.rig.axes.size(); ++a) find_in_ends(f, a);
}

}  // namespace gyrax
