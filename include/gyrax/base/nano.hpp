/// Counted positions: whole nano-units (1 nm, 1 ndeg) in 64 bits, so that exact means exact.
///
///     gyrax::Nano goal = gyrax::to_nano(0.05);    // 50'000'000, which ten times is 0.5 to the last digit
#pragma once

#include <cstdint>

namespace gyrax {

using Nano = std::int64_t;

/// The greatest magnitude that to_nano takes, in the axis's unit (mm or deg).
inline constexpr double max_position = 4e9;

/// The nearest whole nano-unit; halves away from zero. A value that is not finite or beyond ±max_position
/// gives 0: check with is_position first.
Nano to_nano(double value) noexcept;
/// The double nearest to a counted position.
double from_nano(Nano value) noexcept;
/// The greatest counted position that is not above a countable value, and the least that is not below.
Nano nano_below(double value) noexcept;
Nano nano_above(double value) noexcept;
/// The product, or the end of the range that it is beyond.
Nano saturated_product(std::int64_t count, Nano each) noexcept;
/// Whether a value can be counted: finite and within ±max_position. NaN cannot.
bool is_position(double value) noexcept;

}  // namespace gyrax
