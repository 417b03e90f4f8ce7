#include <gyrax/base/time.hpp>

namespace gyrax {

double to_seconds(Span span) noexcept { return static_cast<double>(span.count()) * 1e-9; }

double to_seconds(Time time) noexcept { return to_seconds(time.time_since_epoch()); }

Span from_seconds(double seconds) noexcept {
  constexpr double max_s = 9.2e9;
  if (!(seconds > -max_s && seconds < max_s)) return Span{0};
  const double ns = seconds * 1e9;
  return Span{static_cast<std::int64_t>(ns < 0 ? ns - 0.5 : ns + 0.5)};
}

}  // namespace gyrax
