#include <gyrax/signal/dead_zone.hpp>

#include <cmath>

namespace gyrax {
namespace {

double within_one(double value) noexcept { return value > 1 ? 1 : value < -1 ? -1 : value; }

}  // namespace

double axial_dead_zone(double value, double edge) noexcept {
  const double size = value < 0 ? -value : value;
  if (!(size > edge)) return 0;
  const double stretched = within_one((size - edge) / (1 - edge));
  return value < 0 ? -stretched : stretched;
}

Deflection radial_dead_zone(Deflection value, double edge) noexcept {
  const double r = std::sqrt(value.x * value.x + value.y * value.y);
  if (!(r > edge)) return {};
  // At r = 1 the factor is exactly 1; beyond, it exceeds 1 and a part at its end is limited to exactly its end.
  const double factor = (1 - edge / r) / (1 - edge);
  return {within_one(value.x * factor), within_one(value.y * factor)};
}

}  // namespace gyrax
