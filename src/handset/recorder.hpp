// What devices send, kept while somebody records. Started and stopped by the viewer's thread; who sits where comes from
// the opening thread, events from the reading one, which never waits. Private.
#pragma once

#include <gyrax/handset/live.hpp>
#include <gyrax/threads/queue.hpp>

#include <array>
#include <atomic>
#include <mutex>
#include <optional>

namespace gyrax {

class Recorder {
 public:
  explicit Recorder(const BootClock& clock);

  // The viewer's thread.
  void start(Time now);
  /// What was recorded, times from its start, and its length; nothing if it was not started.
  std::pair<std::vector<SessionHandset>, Span> stop(Time now);

  // The opening thread.
  bool recording() const;
  /// True once after a start: whoever is in a seat has to be told by plugged().
  bool begins();
  /// `seen` took its seat at `at`: what is known of its sticks comes first.
  void plugged(std::size_t seat, const SeenHandset& seen, Time at);
  /// If the reading thread has not said so.
  void unplugged(std::size_t seat, Time at);
  /// Takes over the events so far. The viewer's thread may as well.
  void collect();

  // The reading thread.
  void event(std::size_t seat, const InputEvent& event) noexcept {
    if (wanted_.load(std::memory_order_relaxed)) keep({seat, event, false});
  }
  void gone(std::size_t seat, Time at) noexcept {
    if (wanted_.load(std::memory_order_relaxed)) keep({seat, {clock_.since_boot_ns(at) / 1000, 0, 0, 0}, true});
  }

 private:
  struct Recording {
    Time zero{};
    bool fresh = true;
    std::vector<SessionHandset> handsets;  // by seat; not plugged in so far: without a span
  };
  struct Kept {
    std::size_t seat;
    InputEvent event;
    bool gone;  // no event: the device was unplugged at its time
  };
  void keep(const Kept& one) noexcept;
  void take_kept();

  const BootClock clock_;
  std::atomic<bool> wanted_{false};
  Queue<Kept> kept_;
  std::array<bool, max_handsets> full_{};  // the reading thread's: events of this seat did not fit
  mutable std::mutex lock_;                // of all that follows, and of taking from kept_
  std::optional<Recording> recording_;
};

}  // namespace gyrax
