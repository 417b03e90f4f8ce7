/// What an engine did in every tick, for whoever looks at it: a summary, a plot, a table, a test.
///
/// In: each tick's output, with where the machine really was. Out: that as a sample, which watchers take one by one; or
/// all of them in columns by axis, zone and switch, which grow with time.
///
///     TickSampler sampler(rig);
///     for (TickWatcher* one : watchers) one->tick(sampler.sample(now, engine, out, links), events);
#pragma once

#include <gyrax/engine/engine.hpp>
#include <gyrax/rig/rig.hpp>

#include <span>
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

/// Everything in one tick.
struct TickSample {
  TickSample() = default;
  explicit TickSample(const Rig& rig);

  Time at{};
  std::vector<AxisSample> axes;        ///< by AxisId
  std::vector<State> zones;            ///< by ZoneId
  std::vector<std::uint8_t> switches;  ///< by SwitchId
  std::vector<double> overrides;       ///< by OverrideId; percent
  std::vector<double> inputs;          ///< by InputId; NaN: not known
};

/// Looks at each tick in its order, and at what happened in it. Nothing that it is given lasts longer than the call.
class TickWatcher {
 public:
  virtual ~TickWatcher() = default;
  virtual void tick(const TickSample& sample, std::span<const Event> events) = 0;
};

/// Makes the samples of an engine.
class TickSampler {
 public:
  explicit TickSampler(const Rig& rig) : sample_(rig) {}

  /// The tick that `engine` has just done into `out`; `position` and `speed` of the machine are asked of each AxisId.
  /// Valid until the next call.
  template <class Machine>
  const TickSample& sample(Time now, const Engine& engine, const TickBuffers& out, const Machine& machine) {
    take(now, engine, out);
    for (std::size_t a = 0; a < sample_.axes.size(); ++a) {
      sample_.axes[a].real_position = machine.position(id_at<AxisId>(a));
      sample_.axes[a].real_speed = machine.speed(id_at<AxisId>(a));
    }
    return sample_;
  }

 private:
  void take(Time now, const Engine& engine, const TickBuffers& out);
  TickSample sample_;
};

/// All samples, in columns.
struct Trace {
  Trace() = default;
  /// Empty, with room for `ticks`.
  Trace(const Rig& rig, std::size_t ticks);
  void add(const TickSample& sample);

  Span period{};
  std::size_t ticks = 0;
  std::vector<AxisTrace> axes;                      ///< by AxisId
  std::vector<std::vector<State>> zones;            ///< by ZoneId, then tick
  std::vector<std::vector<std::uint8_t>> switches;  ///< by SwitchId, then tick
  std::vector<std::vector<double>> overrides;       ///< by OverrideId, then tick; percent
  std::vector<std::vector<double>> inputs;          ///< by InputId, then tick; NaN: not known
  std::vector<Time> times;                          ///< by tick, ascending

  Time at(std::size_t tick) const { return times[tick]; }
  /// How long a tick lasted: until the next one.
  Span length_of(std::size_t tick) const { return tick + 1 < ticks ? times[tick + 1] - times[tick] : period; }
  /// The last tick that is not after `time`; the first one if there is none.
  std::size_t tick_of(Time time) const;
};

/// Has a watcher look at a trace, with `events` in the ticks in which they happened.
void watch(const Trace& trace, std::span<const Event> events, TickWatcher& watcher);

}  // namespace gyrax
