#include <gyrax/rehearsal/trace.hpp>

#include <algorithm>

namespace gyrax {

Trace::Trace(const Rig& rig, std::size_t most)
    : period(rig.period),
      axes(rig.axes.size()),
      zones(rig.zones.size()),
      switches(rig.switches.size()),
      overrides(rig.setup.notches.overrides.size()) {
  const auto make_room = [&](auto& columns) {
    for (auto& column : columns) column.reserve(most);
  };
  make_room(axes);
  make_room(zones);
  make_room(switches);
  make_room(overrides);
  times.reserve(most);
}

void Trace::add(Time now, const Engine& engine, const TickBuffers& out) {
  for (std::size_t a = 0; a < axes.size(); ++a) {
    const AxisCommand& c = out.commands[a];
    axes[a].push_back({engine.requests()[a].jog, c.p, c.v, c.a, 0, 0, out.why[a], c.mode});
  }
  for (std::size_t z = 0; z < zones.size(); ++z) zones[z].push_back(engine.permit(id_at<ZoneId>(z)).state());
  for (std::size_t s = 0; s < switches.size(); ++s) switches[s].push_back(out.switches[s]);
  for (std::size_t r = 0; r < overrides.size(); ++r)
    overrides[r].push_back(engine.bind().numbers().percent(id_at<OverrideId>(r)));
  times.push_back(now);
  ++ticks;
}

std::size_t Trace::tick_of(Time time) const {
  const auto after = std::upper_bound(times.begin(), times.end(), time);
  return after == times.begin() ? 0 : static_cast<std::size_t>(after - times.begin()) - 1;
}

}  // namespace gyrax
