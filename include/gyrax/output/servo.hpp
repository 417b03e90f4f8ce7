/// From an angle to a servo's pulse in whole microseconds.
///
/// In: the position of a servo's axis (deg or mm). Out: the pulse, between the servo's own two ends. Never: a pulse
/// beyond those ends, whatever the trim.
///
///     auto tilt = ServoMap::make(-60, 60, 900, 2100, false, 12);
///     tilt->pulse_us(0) == 1512
#pragma once

#include <gyrax/output/counted.hpp>

#include <cstdint>
#include <optional>

namespace gyrax {

class ServoMap {
 public:
  static constexpr bool is_place = true;
  /// Pulses that make() takes, in µs.
  static constexpr int min_us = 200, max_us = 5000;

  /// `low` and `high`: positions of the servo's two ends (low < high, finite); `low_us` and `high_us`: the pulses
  /// there, low_us < high_us, within [min_us, max_us]. `reversed` puts `low` at high_us. `trim_us` is added to every
  /// pulse, and may use up what lies between travel and ends, not more. Error: nullopt.
  static std::optional<ServoMap> make(double low, double high, int low_us, int high_us, bool reversed,
                                      int trim_us) noexcept;

  /// The pulse for a position: the line through the two ends, plus trim, rounded to the nearest µs (halves up), within
  /// [low_us, high_us]. A position that is NaN gives the middle.
  int pulse_us(double position) const noexcept;
  /// Whether a position's pulse lies between the ends without being cut off there.
  bool reaches(double position) const noexcept;
  /// The position that a pulse stands for; the inverse of the line, for pulses between the ends.
  double position(int pulse_us) const noexcept;

  /// Whole microseconds of pulse, and as many a second.
  AxisWord word(const AxisCommand& command) const noexcept;
  WordMeaning meaning() const noexcept;

  double low() const noexcept { return low_; }
  double high() const noexcept { return high_; }
  int trim_us() const noexcept { return trim_us_; }
  bool reversed() const noexcept { return reversed_; }
  int low_us() const noexcept { return low_us_; }
  int high_us() const noexcept { return high_us_; }

 private:
  ServoMap() = default;
  double exact_us(double position) const noexcept;
  double low_ = 0, high_ = 0;
  int low_us_ = 0, high_us_ = 0, trim_us_ = 0;
  bool reversed_ = false;
};

}  // namespace gyrax
