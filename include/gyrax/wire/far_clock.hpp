/// The clock of a far end against ours, from the shortest round trips.
///
/// In: when a frame was sent, when its answer came, and what the far end says of the time between by its own clock.
/// Out: its clock now; when, by ours, it was what it was. Never: a better knowledge than half of a round trip.
///
///     FarClock clock;
///     clock.hear({sent, now, heard_at_us, clock_us});
///     clock.earliest(clock_us, now)
#pragma once

#include <gyrax/base/time.hpp>

#include <cstdint>
#include <optional>

namespace gyrax::wire {

class FarClock {
 public:
  struct Answer {
    Time sent{}, arrived{};
    std::uint32_t heard_at_us = 0;  ///< when the far end heard what it answers, by its clock
    std::uint32_t clock_us = 0;     ///< when it answered
  };
  /// How long the two were on their way together; nullopt where that cannot be.
  std::optional<Span> hear(const Answer& answer) noexcept;
  void forget() noexcept { known_ = false; }
  bool known() const noexcept { return known_; }
  /// By how much it may be off: half of the round trip it was learnt from, and 2 % of the time since.
  Span within(Time now) const noexcept;
  /// Half of the round trip that it was learnt from.
  Span half_trip() const noexcept { return within_; }
  /// Its clock now.
  std::uint32_t far(Time now) const noexcept;
  /// The earliest that it can have been when its clock was that; never after `now`.
  Time earliest(std::uint32_t far_us, Time now) const noexcept;

 private:
  bool known_ = false;
  Time near_{};
  std::uint32_t far_us_ = 0;
  Span within_{};
};

}  // namespace gyrax::wire
