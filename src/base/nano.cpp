#include <gyrax/base/nano.hpp>

namespace gyrax {

bool is_position(double value) noexcept { return value >= -greatest_position && value <= greatest_position; }

Nano to_nano(double value) noexcept {
  if (!is_position(value)) return 0;
  const double scaled = value * 1e9;
  const Nano whole = static_cast<Nano>(scaled);
  const double rest = scaled - static_cast<double>(whole);
  if (rest >= 0.5) return whole + 1;
  if (rest <= -0.5) return whole - 1;
  return whole;
}

double from_nano(Nano value) noexcept { return static_cast<double>(value) / 1e9; }

}  // namespace gyrax
