/// The watchdog of an axis that does what it was not told, long before it is far from where it should be.
///
/// In: each report of where the axis is, with what it was told. Out: the cause, or none. Never: a judgement of how far
/// it is off; that is the following error's.
///
///     const Cause wrong = runaway.judge(measured, position, {told.p, told.v, at_rest});
#pragma once

#include <gyrax/base/time.hpp>
#include <gyrax/permit/cause.hpp>

#include <array>
#include <cstddef>

namespace gyrax {

/// How long each sign may last; zero: it is not watched. A machine follows with a lag of its own, some tens of
/// milliseconds, in which it still does what it was told before: the times are longer than that.
struct RunawayTimes {
  Span moves_at_rest = std::chrono::milliseconds(250);    ///< told to stand, and it moves
  Span wrong_way = std::chrono::milliseconds(150);        ///< told to move one way, and it moves the other
  Span overspeed = std::chrono::milliseconds(100);        ///< told to move, and it is half as fast again, or more
  Span position_frozen = std::chrono::milliseconds(200);  ///< told to move, and its report does not change at all
};

class Runaway {
 public:
  static constexpr double moving_share = 0.05;  ///< of full speed: this much counts as moving
  static constexpr double much_faster = 1.5;    ///< than it is told, and moving_share more: too fast
  /// A sign is looked for over so long, in whole reports. Over less the resolution of a report is most of its speed.
  static constexpr Span min_interval = std::chrono::milliseconds(20);

  /// `speed`: the axis's full one, unit/s, > 0; a twentieth of it counts as moving. `in_position`: a report this near
  /// to where it was told to stand agrees with that, ≥ 0.
  Runaway(const RunawayTimes& times, double speed, double in_position) noexcept;

  /// What the axis is told in this tick.
  struct Told {
    double position = 0, speed = 0;
    bool at_rest = true;
  };
  /// `measured` never goes backwards. The first sign that has lasted for its time, as often as it is asked.
  Cause judge(Time measured, double position, const Told& told) noexcept;
  /// The axis has no power: nothing is told.
  void forget() noexcept { started_ = false; }

 private:
  static constexpr std::size_t signs = 4, kept_peaks = 8;
  int way_of(const Told& told) const noexcept;
  void begin(Time measured, double position, const Told& told) noexcept;
  void note(const Told& told) noexcept;

  std::array<Span, signs> times_;
  double slow_, in_position_;
  bool started_ = false;
  // Since `at_`: an interval long enough for a speed.
  Time at_{};
  double from_ = 0;
  bool at_rest_ = true;
  int way_ = 0;  // told to move this way all the time; 0: it was not
  std::array<double, kept_peaks> peaks_{};
  std::size_t peak_ = 0;  // the one of this interval
  int went_ = 0;          // the way that it moved in the interval before
  std::array<Span, signs> lasted_{};
};

}  // namespace gyrax
