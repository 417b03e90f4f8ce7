/// A rig on a recorded session and its simulated machines, faster than time and the same every time.
///
/// In: a rig, a session. Out: everything that happened: a trace of every tick, and the events. Never: a clock, except
/// to tell how fast it went.
///
///     gyrax::Rehearsal done = gyrax::rehearse(rig, session);
///     done.trace.axes[0][tick].position
#pragma once

#include <gyrax/engine/engine.hpp>
#include <gyrax/link/simulated.hpp>
#include <gyrax/rehearsal/player.hpp>
#include <gyrax/rehearsal/trace.hpp>
#include <gyrax/rig/rig.hpp>

#include <vector>

namespace gyrax {

struct Rehearsal {
  Trace trace;
  std::vector<Event> events;
  std::uint64_t readings = 0, readings_lost = 0, events_lost = 0;
  double took_s = 0;  ///< by the wall's clock, the loop alone; the only number here that differs between two runs
};

/// Runs the whole session. Errors: SessionError where the session does not fit the rig.
Rehearsal rehearse(const Rig& rig, const Session& session);

}  // namespace gyrax
