/// What an engine did in every tick, for whoever looks at it afterwards: a summary, a plot, a table.
///
/// In: each tick's output, with where the machine really was. Out: columns by axis, zone and switch.
///
///     Trace trace(rig, 1000);
///     trace.add(now, engine, out, links);
///     trace.axes[0][tick].position
#pragma once

#include <gyrax/engine/engine.hpp>
#include <gyrax/rig/rig.hpp>

#include <vector>

namespace gyrax {

/// One axis in one tick, in its unit.
struct AxisSample {
  double asked = 0;                           ///< jog asked for, [-1, 1]
  double position = 0, speed = 0, accel = 0;  ///< commanded
  double real_position = 0, real_speed = 0;   ///< of the machine
  AxisStatus why;
  Mode mode = Mode::off;
};
using AxisTrace = std::vector<AxisSample>;  ///< by tick

struct Trace {
  Trace() = default;
  /// Empty, with room for `ticks`.
  Trace(const Rig& rig, std::size_t ticks);

  /// The tick that `engine` has just done into `out`; `real_position` and `real_speed` are asked of each AxisId.
  template <class Machine>
  void add(Time now, const Engine& engine, const TickBuffers& out, const Machine& machine) {
    add(now, engine, out);
    for (std::size_t a = 0; a < axes.size(); ++a) {
      const AxisId id = id_at<AxisId>(a);
      axes[a].back().real_position = machine.position(id);
      axes[a].back().real_speed = machine.speed(id);
    }
  }

  Span period{};
  std::size_t ticks = 0;
  std::vector<AxisTrace> axes;                      ///< by AxisId
  std::vector<std::vector<State>> zones;            ///< by ZoneId, then tick
  std::vector<std::vector<std::uint8_t>> switches;  ///< by SwitchId, then tick
  std::vector<std::vector<double>> overrides;       ///< by OverrideId, then tick; percent
  std::vector<Time> times;                          ///< by tick, ascending

  Time at(std::size_t tick) const { return times[tick]; }
  /// How long a tick lasted: until the next one.
  Span length_of(std::size_t tick) const { return tick + 1 < ticks ? times[tick + 1] - times[tick] : period; }
  /// The last tick that is not after `time`; the first one if there is none.
  std::size_t tick_of(Time time) const;

 private:
  void add(Time now, const Engine& engine, const TickBuffers& out);
};

}  // namespace gyrax
