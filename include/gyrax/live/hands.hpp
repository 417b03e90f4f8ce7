/// Where a live engine's readings come from: real handsets, or a recorded session's at its own limits.
///
/// In: the time. Out: items in order. Never: a wait.
#pragma once

#include <gyrax/handset/live.hpp>
#include <gyrax/rehearsal/player.hpp>

namespace gyrax {

class Hands {
 public:
  virtual ~Hands() = default;
  /// The next item that has arrived by `now`; false if there is none.
  virtual bool next(HandsetItem& item, Time now) noexcept = 0;
  virtual void sign(HandsetId, Sign) noexcept {}
  virtual void grab_keypads(bool) noexcept {}
  /// Has something to read when there are new items; -1 where nothing tells.
  virtual int wake_descriptor() const noexcept { return -1; }
  virtual void clear_wake() noexcept {}
};

/// Real ones.
class DeviceHands final : public Hands {
 public:
  explicit DeviceHands(LiveHandsets& handsets) : handsets_(handsets) {}
  bool next(HandsetItem& item, Time) noexcept override { return handsets_.pop(item); }
  void sign(HandsetId handset, Sign sign) noexcept override { handsets_.sign(handset, sign); }
  void grab_keypads(bool mine) noexcept override { handsets_.grab_keypads(mine); }
  int wake_descriptor() const noexcept override { return handsets_.wake_descriptor(); }
  void clear_wake() noexcept override { handsets_.clear_wake(); }

 private:
  LiveHandsets& handsets_;
};

/// A session's. The rig has to be fitted to its devices (gyrax::fit). Errors: as of Player.
class PlayedHands final : public Hands {
 public:
  PlayedHands(const Session& session, const Rig& rig) : player_(session, rig) {}
  bool next(HandsetItem& item, Time now) noexcept override;

 private:
  Player player_;
  std::span<const Reading> arrived_;
};

}  // namespace gyrax
