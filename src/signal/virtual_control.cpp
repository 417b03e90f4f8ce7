#include <gyrax/signal/virtual_control.hpp>

#include "../base/size.hpp"

#include <cmath>

namespace gyrax {
namespace {

/// One of two motors: `along` and `across` are speed and turn, the latter reversed for the right one.
double drive(double along, double across) noexcept {
  const double left = size(along + across), right = size(along - across), most = left > right ? left : right;
  const double asked = along + across;
  return most > 1 ? asked / most : asked;
}

std::optional<double> tilt(double axis, double second, double third, double range) noexcept {
  constexpr double least = 0.25;
  if (axis * axis + second * second + third * third < least * least) return std::nullopt;
  return within_one(arc_tangent(axis, std::sqrt(second * second + third * third)) / range);
}

}  // namespace

std::size_t parts_of(VirtualControl::How how) noexcept {
  switch (how) {
    case VirtualControl::How::none: return 0;
    case VirtualControl::How::key: return 1;
    case VirtualControl::How::tilt_x:
    case VirtualControl::How::tilt_y: return 3;
    default: return 2;
  }
}

std::optional<double> made_value(const VirtualControl& virtual_control,
                                 const std::array<double, VirtualControl::parts_at_most>& p) noexcept {
  switch (virtual_control.how) {
    case VirtualControl::How::difference: return within_one(p[0] - p[1]);
    case VirtualControl::How::mean: return (p[0] + p[1]) / 2;
    case VirtualControl::How::greater: return size(p[1]) > size(p[0]) ? p[1] : p[0];
    case VirtualControl::How::drive_left: return drive(p[0], p[1]);
    case VirtualControl::How::drive_right: return drive(p[0], -p[1]);
    // At rest gravity reads as an acceleration upwards: the side that is lowered reads negative.
    case VirtualControl::How::tilt_x: return tilt(-p[0], p[1], p[2], virtual_control.range);
    case VirtualControl::How::tilt_y: return tilt(-p[1], p[0], p[2], virtual_control.range);
    case VirtualControl::How::none:
    case VirtualControl::How::key: break;
  }
  return std::nullopt;
}

double arc_tangent(double y, double x) noexcept {
  constexpr double half_pi = 1.57079632679489661923;
  constexpr double c[] = {-0.3333314528, 0.1999355085, -0.1420889944, 0.1065626393,
                          -0.0752896400, 0.0429096138, -0.0161657367, 0.0028662257};
  const double height = size(y);
  const bool steep = height > x;
  const double t = steep ? x / height : height / x, s = t * t;
  double sum = 0;
  for (int i = 7; i >= 0; --i) sum = (sum + c[i]) * s;
  const double angle = t + t * sum, out = steep ? half_pi - angle : angle;
  return y < 0 ? -out : out;
}

}  // namespace gyrax
