// A rig whose servo, stepper and lamp hang on a board.
#pragma once

#include <string>

namespace gyrax::test {

/// `wire`: "serial = …", "tcp = …" or "udp = …".
inline std::string on_a_board(const std::string& wire = R"(serial = "/dev/none")") {
  return R"(gyrax = 1
[link.bridge]
kind = "board"
silence_ms = 100
valid_ms = 60
[link.bridge.board]
)" + wire +
         R"(
[axis.tilt]
unit = "deg"
travel = [-45, 45]
speed = 120
accel = 600
start = 0
servo = { ends = [-60, 60], pulse_us = [900, 2100] }
channel = 0
[axis.table]
unit = "deg"
travel = [-180, 180]
speed = 90
accel = 240
increments = [0.1, 1]
steps = [16000, 360]
channel = 1
[switch.lamp]
channel = 3
[override]
notches = [50, 100]
start = 100
[bind]
"stick.left.x" = { jog = "tilt" }
"stick.right.x" = { jog = "table" }
"hat.x" = { step = "table" }
"menu.right" = "ready"
"shoulder.right" = "enable"
"face.east" = "stop"
"menu.centre" = "reset"
"face.south" = { set = "lamp" }
)";
}

}  // namespace gyrax::test
