#include "plain_loop.hpp"

namespace plain {

void tick(std::span<Axis> axes, std::span<const std::int32_t> raw, double dt_s, std::span<double> out) {
  for (std::size_t i = 0; i < axes.size(); ++i) {
    Axis& a = axes[i];
    const double side = raw[i] < a.centre ? a.centre - a.minimum : a.maximum - a.centre;
    double x = (raw[i] - a.centre) / side;
    x = x > 1 ? 1 : x < -1 ? -1 : x;
    const double size = x < 0 ? -x : x;
    x = size < a.dead_zone ? 0 : (size - a.dead_zone) / (1 - a.dead_zone) * (x < 0 ? -1 : 1);
    x = x * x * x;
    a.p += x * a.speed * dt_s;
    a.p = a.p > a.high ? a.high : a.p < a.low ? a.low : a.p;
    out[i] = a.p;
  }
}

}  // namespace plain
