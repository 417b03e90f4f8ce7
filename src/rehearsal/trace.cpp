#include <gyrax/rehearsal/trace.hpp>

#include <algorithm>
#include <limits>

namespace gyrax {

TickSample::TickSample(const Rig& rig)
    : axes(rig.axes.size()),
      zones(rig.zones.size()),
      switches(rig.switches.size()),
      overrides(rig.setup.notches.overrides.size()),
      inputs(rig.inputs.size()) {}

void TickSampler::take(Time now, const Engine& engine, const TickBuffers& out) {
  sample_.at = now;
  for (std::size_t a = 0; a < sample_.axes.size(); ++a) {
    const AxisCommand& c = out.commands[a];
    sample_.axes[a] = {engine.requests()[a].jog, c.p, c.v, c.a, 0, 0, out.why[a], c.mode};
  }
  for (std::size_t z = 0; z < sample_.zones.size(); ++z) sample_.zones[z] = engine.permit(id_at<ZoneId>(z)).state();
  std::ranges::copy(out.switches, sample_.switches.begin());
  for (std::size_t r = 0; r < sample_.overrides.size(); ++r)
    sample_.overrides[r] = engine.bind().numbers().percent(id_at<OverrideId>(r));
  for (std::size_t i = 0; i < sample_.inputs.size(); ++i) {
    const InputId input = id_at<InputId>(i);
    const bool known = engine.links().input(input, now) != InputState::unknown;
    sample_.inputs[i] = known ? engine.links().input_value(input) : std::numeric_limits<double>::quiet_NaN();
  }
}

namespace {

/// Each list of `lists` with the element of its own list.
template <class Lists, class Elements, class Do>
void each(Lists& lists, Elements& elements, Do act) {
  for (std::size_t i = 0; i < lists.size(); ++i) act(lists[i], elements[i]);
}

}  // namespace

Trace::Trace(const Rig& rig, std::size_t most)
    : period(rig.period),
      axes(rig.axes.size()),
      zones(rig.zones.size()),
      switches(rig.switches.size()),
      overrides(rig.setup.notches.overrides.size()),
      inputs(rig.inputs.size()) {
  const auto make_room = [&](auto& columns) {
    for (auto& column : columns) column.reserve(most);
  };
  make_room(axes);
  make_room(zones);
  make_room(switches);
  make_room(overrides);
  make_room(inputs);
  times.reserve(most);
}

void Trace::add(const TickSample& sample) {
  const auto append = [](auto& column, const auto& value) { column.push_back(value); };
  each(axes, sample.axes, append);
  each(zones, sample.zones, append);
  each(switches, sample.switches, append);
  each(overrides, sample.overrides, append);
  each(inputs, sample.inputs, append);
  times.push_back(sample.at);
  ++ticks;
}

std::size_t Trace::tick_of(Time time) const {
  const auto after = std::upper_bound(times.begin(), times.end(), time);
  return after == times.begin() ? 0 : static_cast<std::size_t>(after - times.begin()) - 1;
}

void watch(const Trace& trace, std::span<const Event> events, TickWatcher& watcher) {
  TickSample sample;
  sample.axes.resize(trace.axes.size());
  sample.zones.resize(trace.zones.size());
  sample.switches.resize(trace.switches.size());
  sample.overrides.resize(trace.overrides.size());
  sample.inputs.resize(trace.inputs.size());
  for (std::size_t t = 0; t < trace.ticks; ++t) {
    const auto take = [t](const auto& column, auto& value) { value = column[t]; };
    each(trace.axes, sample.axes, take);
    each(trace.zones, sample.zones, take);
    each(trace.switches, sample.switches, take);
    each(trace.overrides, sample.overrides, take);
    each(trace.inputs, sample.inputs, take);
    sample.at = trace.at(t);
    std::size_t now = 0;
    while (now < events.size() && (t + 1 == trace.ticks || events[now].at < trace.at(t + 1))) ++now;
    watcher.tick(sample, events.first(now));
    events = events.subspan(now);
  }
}

}  // namespace gyrax
