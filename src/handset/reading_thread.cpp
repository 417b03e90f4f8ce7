#include <gyrax/handset/reading_thread.hpp>

#include <poll.h>
#include <sys/eventfd.h>
#include <unistd.h>
#include <cerrno>
#include <system_error>

namespace gyrax {

ReadingThread::ReadingThread(LiveHandsets& handsets, std::size_t capacity)
    : handsets_(handsets), items_(capacity), end_(::eventfd(0, EFD_NONBLOCK | EFD_CLOEXEC)) {
  if (end_ < 0) throw std::system_error(errno, std::generic_category(), "no event descriptor");
  thread_ = std::thread([this] { run(); });
}

ReadingThread::~ReadingThread() {
  const std::uint64_t one = 1;
  [[maybe_unused]] const ssize_t written = ::write(end_, &one, sizeof one);
  thread_.join();
  ::close(end_);
}

void ReadingThread::run() noexcept {
  pollfd wait[] = {{end_, POLLIN, 0}, {handsets_.wake_descriptor(), POLLIN, 0}};
  while (wait[0].revents == 0) {
    for (HandsetItem item; handsets_.pop(item);)
      if (!items_.push(item)) lost_.fetch_add(1, std::memory_order_relaxed);
    ::poll(wait, std::size(wait), -1);
  }
}

}  // namespace gyrax
