/// A rig on a recorded session and its simulated machines, faster than time and the same every time.
///
/// In: a rig, a session. Out: everything that happened: a trace of every tick, and the events. Never: a clock, except to
/// tell how fast it went.
///
///     gyrax::Rehearsal done = gyrax::rehearse(rig, session);
///     done.trace.axis(AxisId{0}).position[tick]
#pragma once

#include <gyrax/engine/engine.hpp>
#include <gyrax/handset/session.hpp>
#include <gyrax/link/simulated.hpp>
#include <gyrax/rig/rig.hpp>

#include <vector>

namespace gyrax {

/// One axis over all ticks, in its unit.
struct AxisTrace {
  std::vector<double> asked;     ///< jog asked for, [-1, 1]
  std::vector<double> position, speed, accel;  ///< commanded
  std::vector<double> real_position, real_speed;  ///< of the simulated machine
  std::vector<AxisStatus> why;
  std::vector<Mode> mode;
};

struct Trace {
  Span period{};
  std::size_t ticks = 0;
  std::vector<AxisTrace> axes;               ///< by AxisId
  std::vector<std::vector<State>> zones;     ///< by ZoneId, then tick
  std::vector<std::vector<std::uint8_t>> switches;  ///< by SwitchId, then tick
  std::vector<double> rate;                  ///< percent

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
