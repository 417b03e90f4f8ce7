/// How much a deflection counts: a curve from 0 to 1 that never falls.
///
/// In: a size in [0, 1]. Out: a size in [0, 1]; 0 gives exactly 0, 1 exactly 1. Never: a fall, a jump.
///
///     Curve fine = *Curve::expo(0.6);          // gentle in the middle
///     Curve own = *Curve::through(points);     // {{0.5, 0.2}, {0.8, 0.5}}
#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

namespace gyrax {

class Curve {
 public:
  /// Points that through() takes, besides the two ends.
  static constexpr std::size_t max_points = 8;
  struct Point {
    double in = 0, out = 0;
  };

  /// What comes in goes out.
  Curve() = default;
  /// out = in + share·(in³ − in). `share` in [0, 1]; never falls there, as its slope is least at 0: 1 − share. Error:
  /// nullopt.
  static std::optional<Curve> expo(double share) noexcept;
  /// A monotone cubic through (0, 0), the points and (1, 1). `in` rises, 0 < in < 1; `out` never falls, 0 ≤ out ≤ 1; at
  /// most max_points. Error: nullopt. Source: F. N. Fritsch and R. E. Carlson, "Monotone piecewise cubic
  /// interpolation", SIAM J. Numer. Anal. 17 (1980), 238 to 246: slopes are limited to a circle of radius 3.
  static std::optional<Curve> through(std::span<const Point> points) noexcept;

  double operator()(double size) const noexcept;
  bool is_straight() const noexcept { return expo_ == 0 && at_.empty(); }
  double expo_share() const noexcept { return expo_; }
  /// The points given to through(), without the ends.
  std::span<const Point> points() const noexcept {
    return at_.size() > 2 ? std::span(at_).subspan(1, at_.size() - 2) : std::span<const Point>();
  }

 private:
  double expo_ = 0;
  // None where there are no points: most curves are straight, and memory may be short.
  std::vector<Point> at_;
  std::vector<double> slope_;
};

}  // namespace gyrax
