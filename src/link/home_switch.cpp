#include "home_switch.hpp"

#include <algorithm>

namespace gyrax {

double far_zero(const AxisSetup& axis, double start) {
  constexpr double share = 0.4;
  const HomingSetup& homing = axis.homing;
  if (!homing.any()) return 0;
  const double near = homing.up ? homing.at - homing.way : homing.at;
  const double low = std::max(axis.limits.low(), near), high = std::min(axis.limits.high(), near + homing.way);
  return low + share * (high - low) - start;
}

std::vector<HomeSwitch> home_switches(const Rig& rig, LinkId link, const std::vector<double>& starts) {
  std::vector<HomeSwitch> all;
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisSetup& axis = rig.setup.axes[a];
    const HomingSetup& homing = axis.homing;
    if (axis.wiring.link != link || !homing.any() || rig.inputs[index(homing.home)].link != link) continue;
    all.push_back({id_at<AxisId>(a), homing.home, homing.at - far_zero(axis, starts[axis.wiring.channel]), homing.up});
  }
  return all;
}

}  // namespace gyrax
