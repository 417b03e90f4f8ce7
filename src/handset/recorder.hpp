// What devices send, kept while somebody records. Started and stopped by the viewer's thread, filled by the handsets';
// the engine's has nothing to do with it. Private.
#pragma once

#include <gyrax/handset/live.hpp>

#include <mutex>
#include <optional>

namespace gyrax {

class Recorder {
 public:
  // The viewer's thread.
  void start(Time now);
  /// What was recorded, times from its start, and its length; nothing if it was not started.
  std::pair<std::vector<SessionHandset>, Span> stop(Time now);

  // The handsets' thread.
  bool recording() const;
  /// True once after a start: whoever is in a seat has to be told by plugged().
  bool begins();
  /// `seen` took its seat at `at`: what is known of its sticks comes first.
  void plugged(std::size_t seat, const SeenHandset& seen, Time at);
  void unplugged(std::size_t seat, Time at);
  /// Events with stamps of `clock`'s kernel clock, in µs.
  void events(std::size_t seat, const std::vector<InputEvent>& events, const BootClock& clock);

 private:
  struct Recording {
    Time zero{};
    bool fresh = true;
    std::vector<SessionHandset> handsets;  // by seat; not plugged in so far: without a span
  };
  mutable std::mutex lock_;
  std::optional<Recording> recording_;
};

}  // namespace gyrax
