/// Wakes a loop at absolute times, and keeps count of how late it came.
///
/// In: a period. Out: the time of each wake-up. Never: a wake-up to make up for one that was missed; the next one is at
/// the next point of the same grid.
///
///     Pacer pacer(clock, period);
///     while (…) { const Time now = pacer.wait(); … }
#pragma once

#include <gyrax/threads/boot_clock.hpp>

#include <poll.h>
#include <array>
#include <cstdint>
#include <initializer_list>
#include <optional>
#include <vector>

namespace gyrax {

/// How late wake-ups came: a count for each bound, and one for all beyond the last.
struct Lateness {
  static constexpr std::array<std::int64_t, 9> bounds_us{50, 100, 200, 500, 1000, 2000, 5000, 10'000, 20'000};
  std::array<std::uint64_t, bounds_us.size() + 1> counts{};
  Span worst{};
  std::uint64_t ticks = 0;
  std::uint64_t late = 0;    ///< more than half a period after its time
  std::uint64_t missed = 0;  ///< points of the grid that passed without a wake-up
  void note(Span late_by, Span period) noexcept;
};

class Pacer {
 public:
  /// `period` > 0. With `shortest`, `wait` returns early when one of `wake`, descriptors or -1, has something to read,
  /// but not sooner than `shortest` after the last time. Errors: std::system_error where the kernel gives no timer.
  Pacer(const BootClock& clock, Span period, std::optional<Span> shortest = std::nullopt,
        std::initializer_list<int> wake = {});
  ~Pacer();
  Pacer(const Pacer&) = delete;
  Pacer& operator=(const Pacer&) = delete;

  /// Waits for the next time and returns the clock's. The first is a period after the constructor.
  Time wait() noexcept;
  const Lateness& lateness() const noexcept { return lateness_; }

 private:
  void arm(Time time) noexcept;
  void sleep_until(Time time) noexcept;
  bool has_news() const noexcept;

  BootClock clock_;
  Span period_;
  std::optional<Span> shortest_;
  int timer_fd_;
  std::vector<pollfd> wait_;  // the timer, then what wakes early
  Time due_, last_, armed_{};
  Lateness lateness_;
};

}  // namespace gyrax
