// A descriptor that one thread sets and another waits for. Private.
#pragma once

#include <sys/eventfd.h>
#include <unistd.h>
#include <cerrno>
#include <cstdint>
#include <system_error>

namespace gyrax {

class EventDescriptor {
 public:
  EventDescriptor() : fd_(::eventfd(0, EFD_NONBLOCK | EFD_CLOEXEC)) {
    if (fd_ < 0) throw std::system_error(errno, std::generic_category(), "no event descriptor");
  }
  ~EventDescriptor() { ::close(fd_); }
  EventDescriptor(const EventDescriptor&) = delete;
  EventDescriptor& operator=(const EventDescriptor&) = delete;
  int get() const noexcept { return fd_; }
  void set() noexcept {
    const std::uint64_t one = 1;
    [[maybe_unused]] const ssize_t written = ::write(fd_, &one, sizeof one);
  }
  void clear() noexcept {
    std::uint64_t ignored = 0;
    [[maybe_unused]] const ssize_t got = ::read(fd_, &ignored, sizeof ignored);
  }

 private:
  int fd_;
};

}  // namespace gyrax
