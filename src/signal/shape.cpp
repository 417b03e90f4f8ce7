#include <gyrax/signal/shape.hpp>

#include "../base/size.hpp"

#include <cmath>

namespace gyrax {
namespace {

double distance(Deflection d) noexcept { return std::sqrt(d.x * d.x + d.y * d.y); }

/// `value` scaled so that a size of `before` becomes `after`. Beyond the circle nothing is scaled: full is full
/// already.
Deflection resized(Deflection value, double before, double after) noexcept {
  const double factor = before < 1 ? after / before : after;
  return {within_one(value.x * factor), within_one(value.y * factor)};
}

double straightened(double weaker, double stronger, const Zone& straight, Edge& edge) noexcept {
  const double share = edge.pass(size(weaker) / stronger, straight);
  return weaker < 0 ? -share * stronger : share * stronger;
}

}  // namespace

double Edge::pass(double size, const Zone& zone) noexcept {
  const double back = zone.inner - zone.hysteresis, full = 1 - zone.outer;
  if (!(size > (farthest_ > 0 ? back : zone.inner))) {
    farthest_ = 0;
    return 0;
  }
  if (size > full) size = full;
  const double turn = size > farthest_ ? size : farthest_;
  farthest_ = turn;
  const double out = turn == full ? 1 : (turn - zone.inner) / (full - zone.inner);
  return size == turn ? out : out * ((size - back) / (turn - back));
}

double shaped(double value, const Shape& shape, ShapeState& state) noexcept {
  const double out = shape.curve(state.zone.pass(size(value), shape.zone));
  return value < 0 ? 0.0 - out : out;
}

Deflection shaped(Deflection value, const Shape& shape, ShapeState& state) noexcept {
  const double r = distance(value), counts = state.zone.pass(r, shape.zone);
  if (counts == 0) return {};
  Deflection out = resized(value, r, counts);
  if (shape.straight.inner > 0) {
    const double x = size(out.x), y = size(out.y);
    if (x < y) out.x = straightened(out.x, y, shape.straight, state.straight);
    if (y < x) out.y = straightened(out.y, x, shape.straight, state.straight);
  }
  if (shape.curve.is_straight()) return out;
  const double before = distance(out);
  return before > 0 ? resized(out, before, shape.curve(before)) : out;
}

double Smoothing::advance(double target, double dt_s, double delay_s) noexcept {
  if (dt_s > 0) value_ += (target - value_) * (dt_s / (delay_s + dt_s));
  if (size(target - value_) < same) value_ = target;
  return value_;
}

}  // namespace gyrax
