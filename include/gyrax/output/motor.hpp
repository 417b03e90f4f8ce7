/// From a share of full power to what a motor's drive is told.
///
/// In: the share, [-1, 1]. Out: a signed share in millionths, past the dead band in which the motor would only hum.
/// Never: anything but 0 for 0; more than full power.
///
///     MotorMap pump{0.08};
///     pump.power(0.5) == 540'000           // 8 % and half of the rest
#pragma once

#include <gyrax/output/counted.hpp>

#include <cstdint>

namespace gyrax {

struct MotorMap {
  static constexpr bool is_place = false;
  static constexpr std::int32_t full = 1'000'000;
  double dead_band = 0;  ///< [0, 1): share of full power below which it does not turn
  bool reversed = false;

  /// sign · (dead_band + (1 − dead_band) · |share|), in millionths, rounded to the nearest; below half a millionth 0.
  /// What is not a number gives 0.
  std::int32_t power(double share) const noexcept;
  /// A motor has no place, only a speed, in percent of full power; without power from here it has none at all.
  AxisWord word(const AxisCommand& command) const noexcept;
  WordMeaning meaning() const noexcept;
};

}  // namespace gyrax
