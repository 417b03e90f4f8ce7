/// A recorded session's hands, at an engine's pace.
///
/// In: a session and the rig that it is for. Out: the readings, as they arrive. Never: a clock.
///
///     gyrax::Player hands(session, rig);
///     engine.tick({now, hands.until(now), reports}, out);
#pragma once

#include <gyrax/base/reading.hpp>
#include <gyrax/handset/decoder.hpp>
#include <gyrax/handset/session.hpp>
#include <gyrax/rig/rig.hpp>

#include <span>
#include <vector>

namespace gyrax {

/// Plays a session's readings to an engine: an event is decoded when its time has come. The session has to last as
/// long. Errors: SessionError where the rig has no such handset, link or axis.
class Player {
 public:
  Player(const Session& session, const Rig& rig);

  /// All readings that have arrived by `now` since the last call, in order. Valid until the next call.
  std::span<const Reading> until(Time now);

 private:
  /// One handset's recording, and how far it is played.
  class Part {
   public:
    Part(const SessionHandset& handset, const SeatWish& wish, HandsetId id, Time end);
    void until(Time now, std::vector<Reading>& out);

   private:
    const SessionHandset* handset_;
    Time end_;
    EventDecoder decoder_;
    std::size_t next_ = 0, stretch_ = 0;  // of the events, of the stretches in which it is plugged in
    bool plugged_ = false;
  };
  std::vector<Part> parts_;
  std::vector<Reading> readings_;
};

}  // namespace gyrax
