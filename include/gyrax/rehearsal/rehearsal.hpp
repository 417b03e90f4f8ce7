/// A rig on a recorded session and its simulated machines, faster than time and the same every time.
///
/// In: a rig, a session. Out: everything that happened: a trace of every tick, and the events. Never: a clock, except to
/// tell how fast it went.
///
///     gyrax::Rehearsal done = gyrax::rehearse(rig, session);
///     done.trace.axes[0][tick].position
#pragma once

#include <gyrax/engine/engine.hpp>
#include <gyrax/link/simulated.hpp>
#include <gyrax/rehearsal/player.hpp>
#include <gyrax/rig/rig.hpp>

#include <vector>

namespace gyrax {

/// One axis in one tick, in its unit.
struct AxisSample {
  double asked = 0;                           ///< jog asked for, [-1, 1]
  double position = 0, speed = 0, accel = 0;  ///< commanded
  double real_position = 0, real_speed = 0;   ///< of the simulated machine
  AxisStatus why;
  Mode mode = Mode::off;
};
using AxisTrace = std::vector<AxisSample>;  ///< by tick

struct Trace {
  Span period{};
  std::size_t ticks = 0;
  std::vector<AxisTrace> axes;                      ///< by AxisId
  std::vector<std::vector<State>> zones;            ///< by ZoneId, then tick
  std::vector<std::vector<std::uint8_t>> switches;  ///< by SwitchId, then tick
  std::vector<double> rate;                         ///< percent

  Time at(std::size_t tick) const { return Time{period * static_cast<std::int64_t>(tick)}; }
  std::size_t tick_of(Time time) const { return static_cast<std::size_t>(time.time_since_epoch() / period); }
};

struct Rehearsal {
  Trace trace;
  std::vector<Event> events;
  std::uint64_t readings = 0, readings_lost = 0, events_lost = 0;
  double took_s = 0;  ///< by the wall's clock, the loop alone; the only number here that differs between two runs
};

/// Runs the whole session. Errors: SessionError where the session does not fit the rig.
Rehearsal rehearse(const Rig& rig, const Session& session);

}  // namespace gyrax
