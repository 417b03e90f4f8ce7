// The size of a number, and what is within one. Private to the core, but for the envelope, which shares no code with
// what it checks.
#pragma once

namespace gyrax {

/// Without its sign. (std::abs of a double is no constant expression, and minus zero stays itself here.)
constexpr double size(double value) noexcept { return value < 0 ? -value : value; }

/// The nearest number in [-1, 1].
constexpr double within_one(double value) noexcept { return value > 1 ? 1 : value < -1 ? -1 : value; }

}  // namespace gyrax
