#include <gyrax/wire/far_clock.hpp>

#include <algorithm>

namespace gyrax::wire {
namespace {

using std::chrono::duration_cast;
using std::chrono::microseconds;

/// Of a resonator without a crystal: two percent.
constexpr std::int64_t drifts_one_in = 50;

Span between(std::uint32_t later_us, std::uint32_t earlier_us) noexcept {
  return microseconds(static_cast<std::int32_t>(later_us - earlier_us));
}

}  // namespace

Span FarClock::within(Time now) const noexcept { return within_ + std::max(Span{}, now - near_) / drifts_one_in; }

std::optional<Span> FarClock::hear(const Answer& answer) noexcept {
  const Span held = std::max(Span{}, between(answer.clock_us, answer.heard_at_us));
  const Span round_trip = answer.arrived - answer.sent - held;
  if (round_trip < Span{}) return std::nullopt;
  if (known_ && round_trip / 2 > within(answer.arrived)) return round_trip;
  known_ = true;
  near_ = answer.sent + round_trip / 2;
  far_us_ = answer.heard_at_us;
  within_ = round_trip / 2;
  return round_trip;
}

std::uint32_t FarClock::far(Time now) const noexcept {
  return far_us_ + static_cast<std::uint32_t>(duration_cast<microseconds>(now - near_).count());
}

Time FarClock::earliest(std::uint32_t far_us, Time now) const noexcept {
  return std::min(now, near_ + between(far_us, far_us_) - within(now));
}

}  // namespace gyrax::wire
