#include <gyrax/signal/curve.hpp>

#include <array>
#include <cmath>

namespace gyrax {

std::optional<Curve> Curve::expo(double share) noexcept {
  if (!(share >= 0 && share <= 1)) return std::nullopt;
  Curve curve;
  curve.expo_ = share;
  return curve;
}

std::optional<Curve> Curve::through(std::span<const Point> points) noexcept {
  if (points.size() > max_points) return std::nullopt;
  Curve curve;
  curve.at_.reserve(points.size() + 2);
  curve.at_.push_back({0, 0});
  for (const Point& point : points) {
    const Point& last = curve.at_.back();
    if (!(point.in > last.in && point.in < 1 && point.out >= last.out && point.out <= 1)) return std::nullopt;
    curve.at_.push_back(point);
  }
  curve.at_.push_back({1, 1});

  std::array<double, max_points + 1> rise{};
  const std::size_t last = curve.at_.size() - 1;
  curve.slope_.resize(last + 1);
  for (std::size_t i = 0; i < last; ++i)
    rise[i] = (curve.at_[i + 1].out - curve.at_[i].out) / (curve.at_[i + 1].in - curve.at_[i].in);
  curve.slope_[0] = rise[0];
  curve.slope_[last] = rise[last - 1];
  for (std::size_t i = 1; i < last; ++i) curve.slope_[i] = (rise[i - 1] + rise[i]) / 2;
  for (std::size_t i = 0; i < last; ++i) {
    if (rise[i] == 0) {
      curve.slope_[i] = curve.slope_[i + 1] = 0;
      continue;
    }
    const double a = curve.slope_[i] / rise[i], b = curve.slope_[i + 1] / rise[i], square = a * a + b * b;
    if (!(square > 9)) continue;
    const double share = 3 / std::sqrt(square);
    curve.slope_[i] = share * a * rise[i];
    curve.slope_[i + 1] = share * b * rise[i];
  }
  return curve;
}

double Curve::operator()(double size) const noexcept {
  if (!(size > 0)) return 0;
  if (size >= 1) return 1;
  if (at_.empty()) return size + expo_ * (size * size * size - size);
  std::size_t i = 0;
  while (size >= at_[i + 1].in) ++i;
  const Point &from = at_[i], &to = at_[i + 1];
  const double run = to.in - from.in, t = (size - from.in) / run, u = 1 - t;
  // The cubic of two values and two slopes, as a walk from the nearer value.
  const double bend = t * u * run * (slope_[i] * u - slope_[i + 1] * t);
  const double out = from.out + (to.out - from.out) * (t * t * (3 - 2 * t)) + bend;
  return out < from.out ? from.out : out > to.out ? to.out : out;
}

}  // namespace gyrax
