// What axes do together: groups and poses.
#include "axes.hpp"
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

constexpr double most = AxisLimits::max;

bool contains(const std::vector<AxisId>& list, AxisId id) {
  return std::find(list.begin(), list.end(), id) != list.end();
}

/// Empty where they have none in common.
std::string common_unit(const Rig& rig, const std::vector<AxisId>& axes) {
  std::string unit;
  for (const AxisId axis : axes) {
    const std::string& own = rig.axes[index(axis)].unit;
    if (axis != axes.front() && own != unit) return {};
    unit = own;
  }
  return unit;
}

}  // namespace

void RigBuilder::read_groups(Table& root) {
  Names names;
  for (auto& [name, table] : root.tables("group")) {
    if (!add_name(table, names, name, "group")) continue;
    GroupSetup group;
    for (const std::string& word : table.texts("axes")) {
      const AxisId axis = named<AxisId>(table, "axes", names_.axes, word, "axis");
      if (axis == no<AxisId>) continue;
      const ZoneId zone = rig_.setup.axes[index(axis)].zone;
      if (grouped_[index(axis)] != 0 || (!group.axes.empty() && zone != group.zone))
        table.problem(Code::two_groups, "axes", fmt::format("axis '{}' cannot be in this group", word),
                      "each axis in one group, all of a group in one zone");
      if (!group.axes.empty() && rig_.axes[index(axis)].motor != rig_.axes[index(group.axes.front())].motor)
        table.problem(Code::two_groups, "axes", fmt::format("axis '{}' cannot be in this group", word),
                      "a motor has no place, and moves with other motors only");
      grouped_[index(axis)] = 1;
      group.zone = zone;
      group.axes.push_back(axis);
    }
    if (group.axes.empty()) table.missing("axes", "the names of the axes that move together");
    const char* per_s = unit_words(common_unit(rig_, group.axes), 1);
    group.path_speed = table.number("path_speed", {0, most, true, per_s}, group.path_speed);
    group.reduced_speed = table.number("reduced_speed", {0, most, true, per_s}, group.reduced_speed);
    names_.can_be_reduced = names_.can_be_reduced || table.has("reduced_speed");
    group.together = table.flag("together").value_or(false);
    const std::size_t overrides = rig_.setup.notches.overrides.size();
    read_own_override(table, group.axes);
    if (rig_.setup.notches.overrides.size() > overrides) group_overrides_[name] = id_at<OverrideId>(overrides);
    group_names_[name] = rig_.setup.groups.size();
    table.refuse_the_rest();
    rig_.setup.groups.push_back(group);
  }
}

void RigBuilder::read_poses(Table& root) {
  for (auto& [name, table] : root.tables("pose")) {
    if (!add_name(table, names_.poses, name, "pose")) continue;
    std::vector<PosePlace> pose;
    std::size_t group = rig_.setup.groups.size();
    const bool has_from = table.has("from") && !names_.axes.contains("from");
    const bool from_zero = has_from && is_from_zero(table);
    for (const std::string& word : table.keys()) {
      if (has_from && word == "from") continue;
      const AxisId axis = named<AxisId>(table, word.c_str(), names_.axes, word, "axis");
      if (axis == no<AxisId>) continue;
      const AxisLimits& limits = rig_.setup.axes[index(axis)].limits;
      const double to = table.number(word.c_str(), places_of(limits, from_zero)).value_or(0);
      if (rig_.axes[index(axis)].motor)
        table.problem(Code::wrong_control, word.c_str(), fmt::format("'{}' is a motor and has no place", word),
                      "leave it out of the pose");
      pose.push_back(
          {id_at<CoordinateId>(index(axis)), from_zero ? to_nano(to) : counted_inside(limits, to), from_zero});
      std::size_t own = 0;
      while (own < rig_.setup.groups.size() && !contains(rig_.setup.groups[own].axes, axis)) ++own;
      if (pose.size() > 1 && (own != group || own == rig_.setup.groups.size()))
        table.problem(Code::two_groups, word.c_str(), fmt::format("axis '{}' is not in the group of the others", word),
                      "a pose is reached on a straight line: all its axes in one [group.name]");
      if (pose.size() == 1) group = own;
    }
    if (table.keys().size() == (has_from ? 1u : 0u))
      table.problem(Code::missing_key, "", "the pose names no axis", "an axis and where it shall be: x = 10");
    names_.places.push_back(std::move(pose));
  }
}

}  // namespace gyrax
