/// Takes a program's readings where no engine does: a thread that reads the handsets as soon as they say something, so
/// that nothing is dropped while the program is busy with a screen or a file.
///
/// In: live handsets. Out: their items, in order, through a fixed queue. Never: a wait of the reading for whoever takes
/// them. What does not fit is lost, and counted.
///
///     LiveHandsets handsets(Seats::open(), clock);
///     ReadingThread reading(handsets);
///     for (HandsetItem item; reading.pop(item);) …
#pragma once

#include <gyrax/handset/live.hpp>
#include <gyrax/threads/queue.hpp>

#include <atomic>
#include <memory>
#include <thread>

namespace gyrax {

class EventDescriptor;

class ReadingThread {
 public:
  /// `handsets` have to outlive it, and nobody else takes their readings meanwhile. `capacity`: items that may wait.
  /// Errors: std::system_error where the system has no descriptor or thread left.
  explicit ReadingThread(LiveHandsets& handsets, std::size_t capacity = 4096);
  ~ReadingThread();
  ReadingThread(const ReadingThread&) = delete;
  ReadingThread& operator=(const ReadingThread&) = delete;

  /// For one thread. False: there is nothing new.
  bool pop(HandsetItem& item) noexcept { return items_.pop(item); }
  /// Items that did not fit so far.
  std::uint64_t lost() const noexcept { return lost_.load(std::memory_order_relaxed); }

 private:
  void run() noexcept;

  LiveHandsets& handsets_;
  Queue<HandsetItem> items_;
  std::atomic<std::uint64_t> lost_{0};
  std::unique_ptr<EventDescriptor> end_;  // set when the thread is to end
  std::thread thread_;
};

}  // namespace gyrax
