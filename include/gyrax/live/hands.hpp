/// Where a live engine's readings come from: real handsets, a recorded session's at its own pace, others, or several at
/// once.
///
/// In: the time. Out: items in order. Never: a wait.
#pragma once

#include <gyrax/handset/live.hpp>
#include <gyrax/rehearsal/player.hpp>

#include <atomic>
#include <optional>
#include <vector>

namespace gyrax {

class Hands {
 public:
  virtual ~Hands() = default;
  /// The next item that has arrived by `now`; false if there is none.
  virtual bool next(HandsetItem& item, Time now) noexcept = 0;
  virtual void sign(HandsetId, Sign) noexcept {}
  virtual void grab_keypads(bool) noexcept {}
  /// Readable while there are new items; -1 where nothing tells.
  virtual int wake_descriptor() const noexcept { return -1; }
};

/// Real ones.
class DeviceHands final : public Hands {
 public:
  explicit DeviceHands(LiveHandsets& handsets) : handsets_(handsets) {}
  bool next(HandsetItem& item, Time) noexcept override { return handsets_.pop(item); }
  void sign(HandsetId handset, Sign sign) noexcept override { handsets_.sign(handset, sign); }
  void grab_keypads(bool mine) noexcept override { handsets_.grab_keypads(mine); }
  int wake_descriptor() const noexcept override { return handsets_.wake_descriptor(); }

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

/// Several sources at once: their items in the order in which they arrived. A source is a class of Hands, and is named
/// where a program puts its sources together.
class SeveralHands final : public Hands {
 public:
  /// They have to outlive it. Errors: std::system_error where the system has no descriptor left.
  explicit SeveralHands(std::vector<Hands*> sources);
  ~SeveralHands() override;
  SeveralHands(const SeveralHands&) = delete;
  SeveralHands& operator=(const SeveralHands&) = delete;
  bool next(HandsetItem& item, Time now) noexcept override;
  void sign(HandsetId handset, Sign sign) noexcept override;
  void grab_keypads(bool mine) noexcept override;
  int wake_descriptor() const noexcept override { return wake_; }

 private:
  struct Source {
    Hands* hands = nullptr;
    std::optional<HandsetItem> next;  // taken from it, and not its turn yet
  };
  std::vector<Source> sources_;
  int wake_ = -1;  // readable where one of theirs is
};

/// A session's hands, with real ones beside them.
///
/// A handset that the session has is played; the rig's others are real. A real device in the place of a played handset
/// does nothing but stop: its first press of a stop is that stop, and ends the recording, whose handsets are gone then.
/// A stop that is a virtual control is not seen there.
class SupervisedHands final : public Hands {
 public:
  /// Errors: as of Player. The rig and `real` have to outlive it.
  SupervisedHands(const Session& session, const Rig& rig, Hands& real);
  bool next(HandsetItem& item, Time now) noexcept override;
  void sign(HandsetId handset, Sign sign) noexcept override { real_.sign(handset, sign); }
  void grab_keypads(bool mine) noexcept override { real_.grab_keypads(mine); }
  int wake_descriptor() const noexcept override { return real_.wake_descriptor(); }
  /// Whether a real stop ended the recording. From any thread.
  bool stopped() const noexcept { return stopped_.load(std::memory_order_relaxed); }

 private:
  bool is_stop(const Reading& reading) const noexcept;
  void stop(const Reading& reading, Time now) noexcept;
  void say(HandsetId handset, ControlId control, std::int32_t raw, Time now) noexcept;

  const Rig& rig_;
  PlayedHands played_;
  Hands& real_;
  HandsetBits of_session_ = 0, there_ = 0;  // that the session has; of these, those that are plugged in
  std::vector<std::uint32_t> numbers_;      // by HandsetId: the last reading that was played
  std::vector<Calibration> ends_;           // by SlotId: of the real device
  std::vector<Reading> last_words_;         // of the session's handsets
  std::size_t told_ = 0;                    // of the last words
  std::atomic<bool> stopped_{false};
};

}  // namespace gyrax
