#include <gyrax/threads/boot_clock.hpp>

#include <ctime>

namespace gyrax {
namespace {

std::int64_t boot_ns() noexcept {
  timespec now{};
  ::clock_gettime(CLOCK_BOOTTIME, &now);
  return std::int64_t{now.tv_sec} * 1'000'000'000 + now.tv_nsec;
}

}  // namespace

BootClock::BootClock() : zero_ns_(boot_ns()) {}

Time BootClock::now() const noexcept { return at(boot_ns()); }

}  // namespace gyrax
