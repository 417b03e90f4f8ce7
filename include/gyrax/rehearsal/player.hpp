/// A recorded session's hands, at an engine's pace.
///
/// In: a session and the rig that it is for. Out: the readings, as they arrive. Never: a clock.
///
///     gyrax::Player hands(session, rig);
///     engine.tick({now, hands.until(now), reports}, out);
#pragma once

#include <gyrax/base/reading.hpp>
#include <gyrax/handset/session.hpp>
#include <gyrax/rig/rig.hpp>

#include <span>
#include <vector>

namespace gyrax {

/// Plays a session's readings to an engine. Errors: SessionError where the rig has no such handset, link or axis.
class Player {
 public:
  Player(const Session& session, const Rig& rig);

  /// All readings that have arrived by `now` since the last call, in order.
  std::span<const Reading> until(Time now) noexcept;
  std::size_t size() const noexcept { return readings_.size(); }

 private:
  std::vector<Reading> readings_;
  std::size_t next_ = 0;
};

}  // namespace gyrax
