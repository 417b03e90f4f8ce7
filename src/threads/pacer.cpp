#include <gyrax/threads/pacer.hpp>

#include <sys/timerfd.h>
#include <unistd.h>
#include <algorithm>
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

Pacer::Pacer(const BootClock& clock, Span period, std::optional<Span> shortest, std::initializer_list<int> wake)
    : clock_(clock),
      period_(period),
      shortest_(shortest),
      timer_fd_(::timerfd_create(CLOCK_BOOTTIME, TFD_CLOEXEC | TFD_NONBLOCK)),
      last_(clock.now()) {
  if (timer_fd_ < 0) throw std::system_error(errno, std::generic_category(), "no timer");
  due_ = last_ + period_;
  wait_.push_back({timer_fd_, POLLIN, 0});
  if (!shortest) return;
  for (const int fd : wake)
    if (fd >= 0) wait_.push_back({fd, POLLIN, 0});
}

Pacer::~Pacer() { ::close(timer_fd_); }

/// The timer stays armed over early wake-ups.
void Pacer::arm(Time time) noexcept {
  if (time == armed_) return;
  armed_ = time;
  const std::int64_t ns = clock_.since_boot_ns(time);
  itimerspec at{};
  at.it_value.tv_sec = ns / 1'000'000'000;
  at.it_value.tv_nsec = ns % 1'000'000'000;
  ::timerfd_settime(timer_fd_, TFD_TIMER_ABSTIME, &at, nullptr);
}

void Pacer::sleep_until(Time time) noexcept {
  arm(time);
  while (clock_.now() < time) ::poll(wait_.data(), 1, -1);
}

bool Pacer::has_news() const noexcept {
  return std::any_of(wait_.begin() + 1, wait_.end(), [](const pollfd& one) { return one.revents != 0; });
}

Time Pacer::wait() noexcept {
  if (wait_.size() > 1) {
    arm(due_);
    while (::poll(wait_.data(), wait_.size(), -1) < 0 && errno == EINTR) {
    }
    if (has_news() && clock_.now() < last_ + *shortest_) sleep_until(std::min(last_ + *shortest_, due_));
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
