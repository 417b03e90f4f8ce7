#include <gyrax/threads/pacer.hpp>

#include <poll.h>
#include <sys/timerfd.h>
#include <unistd.h>
#include <cerrno>
#include <system_error>

namespace gyrax {

void Lateness::note(Span late_by, Span period) noexcept {
  ++ticks;
  if (late_by > worst) worst = late_by;
  if (late_by * 2 > period) ++late;
  std::size_t row = 0;
  while (row < bounds_us.size() && late_by >= std::chrono::microseconds(bounds_us[row])) ++row;
  ++counts[row];
}

Pacer::Pacer(const BootClock& clock, Span period, std::optional<Span> shortest, int wake_fd)
    : clock_(clock),
      period_(period),
      shortest_(wake_fd >= 0 ? shortest : std::nullopt),
      wake_fd_(wake_fd),
      timer_fd_(::timerfd_create(CLOCK_BOOTTIME, TFD_CLOEXEC | TFD_NONBLOCK)),
      last_(clock.now()) {
  if (timer_fd_ < 0) throw std::system_error(errno, std::generic_category(), "no timer");
  due_ = last_ + period_;
}

Pacer::~Pacer() { ::close(timer_fd_); }

void Pacer::sleep_until(Time time) noexcept {
  const std::int64_t ns = clock_.since_boot_ns(time);
  itimerspec at{};
  at.it_value.tv_sec = ns / 1'000'000'000;
  at.it_value.tv_nsec = ns % 1'000'000'000;
  ::timerfd_settime(timer_fd_, TFD_TIMER_ABSTIME, &at, nullptr);
  pollfd wait{timer_fd_, POLLIN, 0};
  while (clock_.now() < time) ::poll(&wait, 1, -1);
}

Time Pacer::wait() noexcept {
  if (shortest_) {
    const std::int64_t ns = clock_.since_boot_ns(due_);
    itimerspec at{};
    at.it_value.tv_sec = ns / 1'000'000'000;
    at.it_value.tv_nsec = ns % 1'000'000'000;
    ::timerfd_settime(timer_fd_, TFD_TIMER_ABSTIME, &at, nullptr);
    pollfd wait[2] = {{timer_fd_, POLLIN, 0}, {wake_fd_, POLLIN, 0}};
    while (::poll(wait, 2, -1) < 0 && errno == EINTR) {
    }
    if ((wait[1].revents & POLLIN) != 0 && clock_.now() < last_ + *shortest_) sleep_until(last_ + *shortest_);
  } else {
    sleep_until(due_);
  }
  const Time now = clock_.now();
  last_ = now;
  if (now < due_) return now;  // woken early by what there is to read
  lateness_.note(now - due_, period_);
  const std::int64_t passed = (now - due_) / period_;
  lateness_.missed += static_cast<std::uint64_t>(passed);
  due_ += period_ * (passed + 1);
  return now;
}

}  // namespace gyrax
