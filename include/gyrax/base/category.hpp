/// Categories of a stop, as IEC 60204-1, 9.2.2, names them.
#pragma once

#include <cstdint>

namespace gyrax {

/// zero: power off at once; one: a controlled stop, then power off; two: a controlled stop, power stays.
enum class Category : std::uint8_t { zero = 0, one = 1, two = 2 };

}  // namespace gyrax
