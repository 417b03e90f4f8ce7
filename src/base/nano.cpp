#include <gyrax/base/nano.hpp>

#include <limits>

namespace gyrax {

bool is_position(double value) noexcept { return value >= -max_position && value <= max_position; }

Nano to_nano(double value) noexcept {
  if (!is_position(value)) return 0;
  const double scaled = value * 1e9;
  const Nano whole = static_cast<Nano>(scaled);
  const double rest = scaled - static_cast<double>(whole);
  // Without a branch: no processor can guess which way a number rounds.
  return whole + Nano{rest >= 0.5} - Nano{rest <= -0.5};
}

Nano nano_below(double value) noexcept {
  const Nano nearest = to_nano(value);
  return from_nano(nearest) > value ? nearest - 1 : nearest;
}

Nano nano_above(double value) noexcept {
  const Nano nearest = to_nano(value);
  return from_nano(nearest) < value ? nearest + 1 : nearest;
}

Nano saturated_product(std::int64_t count, Nano each) noexcept {
  Nano product = 0;
  if (!__builtin_mul_overflow(count, each, &product)) return product;
  return (count < 0) == (each < 0) ? std::numeric_limits<Nano>::max() : std::numeric_limits<Nano>::min();
}

double from_nano(Nano value) noexcept { return static_cast<double>(value) / 1e9; }

}  // namespace gyrax
