// Small rigs for tests.
#pragma once

#include <gyrax/rig/rig.hpp>

#include <string>

namespace gyrax::test {

/// The bindings that every zone needs.
inline const std::string permits = R"(
[[bind]]
control = "menu.right"
permit = "ready"
[[bind]]
control = "menu.left"
permit = "stow"
[[bind]]
control = "shoulder.right"
permit = "enable"
[[bind]]
control = "face.east"
permit = "stop"
[[bind]]
control = "menu.centre"
permit = "reset"
)";

/// One measured axis, 0 … 100 mm, 50 mm/s, gains with 200 mm/s² and 20000 mm/s³, loses with 400 and 40000, on a link without
/// lag. A stop from full speed takes 135 ms.
inline const std::string one_axis = R"(gyrax = 1
[link.machine]
kind = "simulated"
[link.machine.simulated]
lag_ms = 0
[handset.pad]
[axis.x]
unit = "mm"
travel = [0, 100]
speed = 50
accel = 200
decel = 400
jerk = { accel = 20000, decel = 40000 }
increments = [0.01, 0.05, 1]
increment = 0.05
)" + permits;

/// one_axis with a jog, steps, notches and a switch.
inline const std::string jog_and_step = one_axis + R"(
[override]
notches = [10, 50, 100]
start = 100
[switch.lamp]
[[bind]]
control = "stick.left.x"
jog = "x"
[[bind]]
control = "hat.right"
step = "x"
[[bind]]
control = "hat.left"
step = { axis = "x", by = -1 }
[[bind]]
control = "hat.up"
override = "up"
[[bind]]
control = "hat.down"
override = "down"
[[bind]]
control = "face.south"
set = "lamp"
[[bind]]
control = "face.north"
jog = { axis = "x", share = 20, reversed = true }
[[bind]]
control = "face.west"
go = { axis = "x", to = 60 }
[[bind]]
control = "face.north"
while = "shoulder.left"
step = { axis = "x", by = 10 }
)";

inline Rig rig(const std::string& text) { return parse_rig(text, "rig.toml"); }

}  // namespace gyrax::test
