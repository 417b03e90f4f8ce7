/// A rig on a recorded session and its simulated machines, faster than time and the same every time.
///
/// In: a rig, a session. Out: everything that happened, tick by tick to watchers, in memory that does not grow; or all
/// of it at once. Never: a clock, except to tell how fast it went.
///
///     gyrax::Rehearsal done = gyrax::rehearse(rig, session);
///     done.trace.axes[0][tick].position
#pragma once

#include <gyrax/engine/engine.hpp>
#include <gyrax/link/simulated.hpp>
#include <gyrax/rehearsal/player.hpp>
#include <gyrax/rehearsal/trace.hpp>
#include <gyrax/rig/rig.hpp>

#include <span>
#include <vector>

namespace gyrax {

/// What a rehearsal or a replay came to as a whole.
struct Account {
  std::uint64_t readings = 0, readings_lost = 0, events_lost = 0;
  bool asks_known = true;  ///< false: of ticks that say what came out, and not what was asked
  double took_s = 0;       ///< by the wall's clock, the loop alone; the only number here that differs between two runs
};

struct Rehearsal : Account {
  Trace trace;
  std::vector<Event> events;
};

/// Runs the whole session. Errors: SessionError where the session does not fit the rig.
Rehearsal rehearse(const Rig& rig, const Session& session);
/// The same, with nothing kept: each of `watchers` looks at every tick.
Account rehearse(const Rig& rig, const Session& session, std::span<TickWatcher* const> watchers);

}  // namespace gyrax
