#include <gyrax/engine/parts.hpp>

#include "asks.hpp"

namespace gyrax::detail {
namespace {

template <class Row, class Field>
auto column(const std::vector<Row>& rows, Field field) {
  std::vector<decltype(field(rows.front()))> values;
  values.reserve(rows.size());
  for (const Row& row : rows) values.push_back(field(row));
  return values;
}

Wiring wiring_of(const AxisSetup& a) { return a.wiring; }
AxisLimits limits_of(const AxisSetup& a) { return a.limits; }
Drive drive_of(const AxisSetup& a) { return a.drive; }
LinkId measured_by(const AxisSetup& a) { return a.position == PositionKind::measured ? a.wiring.link : no<LinkId>; }
Bounds bounds_of(const AxisSetup& a) {
  const MotionLimits& full = a.limits.full();
  return {a.limits.low(), a.limits.high(), full.speed, full.accel, full.jerk, full.decel, full.decel_jerk};
}

ZoneBits hold_to_run(const Setup& s) {
  ZoneBits zones = 0;
  for (std::size_t z = 0; z < s.zones.size(); ++z)
    if (s.zones[z].hold_to_run) zones |= bit(id_at<ZoneId>(z));
  return zones;
}

BindSetup bind_setup(const Setup& s) {
  return {s.bindings,
          s.layers,
          s.notches,
          s.gestures,
          column(s.axes, [](const AxisSetup& a) { return a.zone; }),
          column(s.switches, [](const SwitchSetup& one) { return one.zone; }),
          hold_to_run(s)};
}

std::vector<Axis> axes(const Setup& setup) {
  std::vector<Axis> all;
  all.reserve(setup.axes.size());
  for (const AxisSetup& axis : setup.axes) all.emplace_back(axis, 0);
  for (std::size_t g = 0; g < setup.groups.size(); ++g)
    for (const AxisId axis : setup.groups[g].axes) all[index(axis)].group = g;
  return all;
}

std::vector<Measured> measured(const Setup& setup) {
  std::vector<Measured> all;
  for (std::size_t link = 0; link < setup.links.size(); ++link)
    for (std::size_t a = 0; a < setup.axes.size(); ++a)
      if (const AxisSetup& axis = setup.axes[a]; measured_by(axis) == id_at<LinkId>(link))
        all.push_back({id_at<AxisId>(a), axis.wiring.link, axis.zone, axis.following_error,
                       Runaway(axis.runaway, axis.limits.speed(), axis.in_position)});
  return all;
}

std::vector<Worked> worked(const Setup& setup) {
  std::vector<Worked> all;
  for (std::size_t a = 0; a < setup.axes.size(); ++a)
    if (setup.axes[a].duty.any()) all.push_back({id_at<AxisId>(a), Duty(setup.axes[a].duty)});
  return all;
}

std::vector<Braked> brakes(const Setup& setup) {
  constexpr double slow_share = 0.02;
  std::vector<Braked> all;
  for (std::size_t a = 0; a < setup.axes.size(); ++a)
    if (setup.axes[a].brake.any())
      all.push_back({id_at<AxisId>(a), slow_share * setup.axes[a].limits.speed(), {}, Brake(setup.axes[a].brake)});
  return all;
}

std::vector<Staggered> staggered(const Setup& setup) {
  std::vector<Staggered> all;
  for (std::size_t a = 0; a < setup.axes.size(); ++a)
    if (setup.axes[a].power_after > Span{})
      all.push_back({.axis = id_at<AxisId>(a), .after = setup.axes[a].power_after});
  return all;
}

bool has_end_switch(const AxisSetup& axis) { return axis.low_end != no<InputId> || axis.high_end != no<InputId>; }

/// Whether some action moves it.
bool is_acted_on(const Setup& setup, AxisId id) {
  for (const ActionSetup& action : setup.actions)
    for (const auto* list : {&action.moves, &action.homes})
      for (const AxisId moved : *list)
        if (moved == id) return true;
  return false;
}

/// Whether something takes it to a place that counts from its own zero.
bool goes_from_zero(const Setup& setup, AxisId id) {
  for (const BindingSetup& b : setup.bindings) {
    if (const auto* go = b.as<effect::Go>(); go && go->from_zero && index(go->coordinate) == index(id)) return true;
    if (const auto* pose = b.as<effect::Pose>())
      for (const PosePlace& place : pose->places)
        if (place.from_zero && index(place.coordinate) == index(id)) return true;
  }
  return false;
}

std::vector<std::optional<Time>> confirmations(const Setup& setup) {
  std::size_t groups = 0;
  for (const ActionSetup& action : setup.actions)
    if (action.group >= groups) groups = action.group + std::size_t{1};
  return std::vector<std::optional<Time>>(groups);
}

std::vector<GroupPlace> groups(const Setup& setup) {
  return column(setup.groups, [&](const GroupSetup& group) {
    GroupPlace place{.zone = group.zone};
    for (const AxisId id : group.axes) {
      const AxisSetup& axis = setup.axes[index(id)];
      place.needs = place.needs || !axis.needs_inputs.empty() || has_end_switch(axis);
      place.needs =
          place.needs || !axis.needs.empty() || axis.duty.any() || axis.brake.any() || axis.power_after > Span{};
      place.homes = place.homes || axis.homed != no<InputId> || axis.homing.any();
      place.acted_on = place.acted_on || is_acted_on(setup, id);
      place.from_zero = place.from_zero || goes_from_zero(setup, id);
      place.needs = place.needs || place.homes || place.acted_on || place.from_zero;
      place.turns = place.turns || !is_place(axis.drive);
    }
    return place;
  });
}

/// By group, what any of its axes needs: the switches, or the inputs.
template <class Id>
Lists<Id> needed(const Setup& setup, std::vector<Id> AxisSetup::*list) {
  std::vector<typename Lists<Id>::Entry> all;
  for (std::size_t g = 0; g < setup.groups.size(); ++g)
    for (const AxisId axis : setup.groups[g].axes)
      for (const Id one : setup.axes[index(axis)].*list) all.push_back({g, one});
  return {setup.groups.size(), all};
}

}  // namespace

EngineParts::EngineParts(const Setup& setup, Recompute how_much)
    : signal(setup.handsets, setup.controls, how_much),
      bind(bind_setup(setup), setup.controls.size(), how_much),
      links(setup.links, column(setup.axes, wiring_of), setup.inputs),
      motion(column(setup.axes, limits_of), setup.groups, how_much),
      envelope(column(setup.axes, bounds_of), how_much),
      output(setup.links, column(setup.axes, wiring_of), column(setup.axes, drive_of),
             column(setup.switches, [](const SwitchSetup& s) { return s.wiring; }), how_much),
      zones(setup.zones.begin(), setup.zones.end()),
      axes(detail::axes(setup)),
      commands(setup.axes.size()),
      why(setup.axes.size()),
      groups(detail::groups(setup)),
      measured(detail::measured(setup)),
      worked(detail::worked(setup)),
      brakes(detail::brakes(setup)),
      staggered(detail::staggered(setup)),
      switches(setup.switches.begin(), setup.switches.end()),
      actions(setup.actions.begin(), setup.actions.end()),
      confirmed(confirmations(setup)),
      needs(needed(setup, &AxisSetup::needs)),
      needs_inputs(needed(setup, &AxisSetup::needs_inputs)),
      requests(setup.axes.size()),
      homing_requests(setup.axes.size()),
      overrides(setup.axes.size(), 1),
      measured_by(column(setup.axes, detail::measured_by)),
      valid_for(column(setup.links, [](const LinkSetup& link) { return link.frame_valid_for; })),
      stations(setup.stations),
      recompute(how_much),
      reduced(setup.notches.reduced),
      max_tick(setup.max_tick) {
  for (const Switch& one : switches)
    timed_switches = timed_switches || one.setup.pulse > Span{} || one.setup.max_on > Span{};
  for (std::size_t a = 0; a < axes.size(); ++a) {
    if (!axes[a].homing.any()) continue;
    const AxisId id = id_at<AxisId>(a);
    homed_here.push_back(id);
    motion.set_travel(id, -max_position, max_position);
    envelope.set_travel(id, -max_position, max_position);
  }
  keep_overrides(*this);
}

}  // namespace gyrax::detail
