// The numbers that bindings move: overrides and increments, by name.
#include "builder.hpp"

namespace gyrax {

/// What bindings can move: the shared override, those of groups and axes, and the increments of all, of a group, of an
/// axis.
void RigBuilder::add_numbers() {
  if (!rig_.numbers.empty()) return;
  NotchSetup& notches = rig_.setup.notches;
  const auto add = [&](const std::string& name, const Origin& origin, NotchSetup::Number number) {
    names_.numbers[name] = notches.numbers.size();
    notches.numbers.push_back(std::move(number));
    rig_.numbers.push_back({name, origin});
  };
  const auto own_override = [&](AxisId axis) {
    return index(axis) < notches.override_of.size() ? notches.override_of[index(axis)] : OverrideId{0};
  };
  const auto stepping = [&](const std::vector<AxisId>& axes) {
    NotchSetup::Number number;
    for (const AxisId axis : axes)
      if (!notches.increments[index(axis)].values.empty())
        number.coordinates.push_back(id_at<CoordinateId>(index(axis)));
    return number;
  };
  const auto origin_of = [&](const std::string& key, const Origin& otherwise) {
    const auto at = problems_.places.find(key);
    return at == problems_.places.end() ? otherwise : Origin{at->second.file, at->second.line};
  };
  add("override", origin_of("override.start", shared_override_), {OverrideId{0}, {}});
  std::vector<AxisId> all;
  for (std::size_t a = 0; a < rig_.axes.size(); ++a) all.push_back(id_at<AxisId>(a));
  if (auto every = stepping(all); !every.coordinates.empty()) add("increment", {}, std::move(every));
  for (const auto& [name, row] : group_names_) {
    const GroupSetup& group = rig_.setup.groups[row];
    if (group.axes.empty()) continue;
    if (const auto override = group_overrides_.find(name); override != group_overrides_.end())
      add("override." + name, origin_of("group." + name + ".override.start", {}), {override->second, {}});
    if (auto steps = stepping(group.axes); !steps.coordinates.empty()) add("increment." + name, {}, std::move(steps));
  }
  for (const AxisId axis : all) {
    const std::string& name = rig_.axes[index(axis)].name;
    if (own_override(axis) != OverrideId{0} && problems_.places.contains("axis." + name + ".override.start"))
      add("override." + name, origin_of("axis." + name + ".override.start", {}), {own_override(axis), {}});
    // A group of the same name goes before.
    if (auto steps = stepping({axis}); !steps.coordinates.empty() && !names_.numbers.contains("increment." + name))
      add("increment." + name, origin_of("axis." + name + ".increment", rig_.axes[index(axis)].origin),
          std::move(steps));
  }
}

}  // namespace gyrax
