#include "ways.hpp"

#include <algorithm>
#include <cmath>

namespace gyrax {

std::vector<Way> ways_of(const Rig& rig, AxisId axis) {
  std::vector<Way> ways;
  for (std::size_t row = 0; row < rig.setup.bindings.size(); ++row) {
    const Effect& effect = rig.setup.bindings[row].effect;
    bool moves = false;
    each_moved(effect, [&](CoordinateId c) { moves = moves || index(c) == index(axis); });
    if (!moves) continue;
    Way way{id_at<BindingId>(row)};
    visit_held(effect, [&]<class E>(const E& e) {
      if constexpr (requires { e.by; }) way.direction = e.by < 0 ? -1 : 1;
      if constexpr (requires { e.share; }) way.direction = e.share < 0 ? -1 : 1;
    });
    ways.push_back(way);
  }
  return ways;
}

std::optional<BindingId> word_for(const Rig& rig, ZoneId zone, HandsetId beside, bool (*is_it)(const Effect&)) {
  const auto& stations = rig.setup.stations;
  const HandsetBits there = index(beside) < stations.size() ? stations[index(beside)] : bit(beside);
  std::optional<BindingId> best;
  // Without a layer, with a plain press, if there is one.
  const auto cost = [&](std::size_t row) {
    const BindingSetup& b = rig.setup.bindings[row];
    return (b.layer != no<LayerId> ? 4 : 0) + (b.gesture != Gesture::press ? 2 : 0) +
           (rig.setup.controls[index(b.slot)].handset != beside ? 1 : 0);
  };
  for (std::size_t row = 0; row < rig.setup.bindings.size(); ++row) {
    const BindingSetup& b = rig.setup.bindings[row];
    if (!is_it(b.effect) || !has(zones_of(b.effect), zone)) continue;
    if (!has(there, rig.setup.controls[index(b.slot)].handset)) continue;
    if (!best || cost(row) < cost(index(*best))) best = id_at<BindingId>(row);
  }
  return best;
}

double start_for(const Rig& rig, AxisId axis, const Way& way) {
  const AxisSetup& setup = rig.setup.axes[index(axis)];
  if (rig.axes[index(axis)].endless || rig.axes[index(axis)].motor) return setup.start;
  const double low = setup.limits.low(), high = setup.limits.high(), spare = (high - low) * 0.02;
  const double far_low = low + spare, far_high = high - spare;
  const Effect& effect = rig.setup.bindings[index(way.binding)].effect;
  const auto away_from = [&](double goal) { return goal - far_low > far_high - goal ? far_low : far_high; };
  if (const auto* go = std::get_if<effect::Go>(&effect)) return away_from(from_nano(go->goal));
  if (const auto* pose = std::get_if<effect::Pose>(&effect))
    for (const PosePlace& place : pose->places)
      if (index(place.coordinate) == index(axis)) return away_from(from_nano(place.goal));
  if (std::holds_alternative<effect::Follow>(effect)) return setup.start;
  return way.direction > 0 ? far_low : far_high;
}

Rig homed(Rig rig) {
  for (AxisSetup& axis : rig.setup.axes) axis.homing = {};
  for (ActionSetup& action : rig.setup.actions) action.homes.clear();
  return rig;
}

const std::string& sentence(const Rig& rig, const Way& way) { return rig.bindings[index(way.binding)].sentence; }

}  // namespace gyrax
