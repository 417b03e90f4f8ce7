// Where the switch is that an axis is homed to, for simulated far ends: they count from wherever the axis stands.
// Private to the link room.
#pragma once

#include <gyrax/rig/rig.hpp>

#include <vector>

namespace gyrax {

/// What a far end's zero is by the machine's own scale, where the axis begins at `start` by the far end's: as if its
/// machine had been left at 40 % of its travel. 0 of an axis that Gyrax does not home.
double far_zero(const AxisSetup& axis, double start);

struct HomeSwitch {
  AxisId axis{};
  InputId input{};
  double at = 0;    ///< by the far end's scale
  bool up = false;  ///< it is on from there upwards; else from there downwards
  bool is_on(double position) const noexcept { return up ? position >= at : position <= at; }
};
/// Those of a link whose axis and input both hang on it.
std::vector<HomeSwitch> home_switches(const Rig& rig, LinkId link, const std::vector<double>& starts);

}  // namespace gyrax
