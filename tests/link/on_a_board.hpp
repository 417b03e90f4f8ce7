// A rig whose servo, stepper and lamp hang on a board; and one with several boards on one bus.
#pragma once

#include <fmt/format.h>

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

/// So many boards of three steppers each.
inline std::string on_a_bus(int boards, const std::string& serial = "/dev/none") {
  std::string text = "gyrax = 1\n";
  for (int b = 0; b < boards; ++b) {
    text += fmt::format(
        "[link.b{0}]\nkind = \"board\"\nsilence_ms = 150\nvalid_ms = 100\n[link.b{0}.board]\nserial = \"{2}\"\n"
        "duplex = \"half\"\naddress = {1}\nrate_hz = 40\n",
        b, b + 1, serial);
    for (int a = 0; a < 3; ++a)
      text += fmt::format(
          "[axis.a{0}{1}]\nlink = \"b{0}\"\nunit = \"mm\"\ntravel = [0, 100]\nspeed = 50\naccel = 100\n"
          "steps = [100, 1]\nchannel = {1}\n",
          b, a);
  }
  return text +
         "[bind]\n\"menu.right\" = \"ready\"\n\"shoulder.right\" = \"enable\"\n\"face.east\" = \"stop\"\n"
         "\"menu.centre\" = \"reset\"\n\"stick.left.x\" = { jog = \"a00\" }\n";
}

}  // namespace gyrax::test
