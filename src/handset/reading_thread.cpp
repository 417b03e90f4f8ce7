#include "descriptor.hpp"

#include <gyrax/handset/reading_thread.hpp>

#include <poll.h>

namespace gyrax {

ReadingThread::ReadingThread(LiveHandsets& handsets, std::size_t capacity)
    : handsets_(handsets), items_(capacity), end_(std::make_unique<EventDescriptor>()) {
  thread_ = std::thread([this] { run(); });
}

ReadingThread::~ReadingThread() {
  end_->set();
  thread_.join();
}

void ReadingThread::run() noexcept {
  pollfd wait[] = {{end_->get(), POLLIN, 0}, {handsets_.wake_descriptor(), POLLIN, 0}};
  while (wait[0].revents == 0) {
    for (HandsetItem item; handsets_.pop(item);)
      if (!items_.push(item)) lost_.fetch_add(1, std::memory_order_relaxed);
    ::poll(wait, std::size(wait), -1);
  }
}

}  // namespace gyrax
