/// The one clock of a live engine: CLOCK_BOOTTIME, which goes on while the computer is suspended, from a zero of its
/// own.
///
///     BootClock clock;                       // zero is now
///     Time now = clock.now();
#pragma once

#include <gyrax/base/time.hpp>

namespace gyrax {

class BootClock {
 public:
  BootClock();
  Time now() const noexcept;
  /// The engine's time of a stamp of the same kernel clock, in ns since the boot.
  Time at(std::int64_t since_boot_ns) const noexcept { return Time{Span{since_boot_ns - zero_ns_}}; }
  /// The kernel's own number for a time, in ns since the boot.
  std::int64_t since_boot_ns(Time time) const noexcept { return time.time_since_epoch().count() + zero_ns_; }

 private:
  std::int64_t zero_ns_;
};

}  // namespace gyrax
