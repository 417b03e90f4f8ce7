#include <gyrax/permit/inputs.hpp>

namespace gyrax {

void InputWatch::see(double value, Time measured) noexcept {
  const double high = bounds_.high - (beyond_ == Beyond::high ? bounds_.hysteresis : 0);
  const double low = bounds_.low + (beyond_ == Beyond::low ? bounds_.hysteresis : 0);
  const Beyond now = value > high ? Beyond::high : value < low ? Beyond::low : Beyond::no;
  if (now != beyond_) since_ = measured;
  beyond_ = now;
}

}  // namespace gyrax
