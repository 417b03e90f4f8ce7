// A rig whose gantry hangs on a controller that takes lines, in one of the demo's dialects.
#pragma once

#include <gyrax/files/text_file.hpp>

#include <string>

namespace gyrax::test {

/// One of the demo's, without its head.
inline std::string dialect_text(const std::string& name) {
  const std::string text = gyrax::read_text("demo/dialects/" + name + ".toml", 1u << 20).text;
  return text.substr(text.find("[dialect."));
}

/// `more`: further keys of [link.gantry.controller].
inline std::string on_a_controller(const std::string& dialect = "brook", const std::string& more = "",
                                   const std::string& wire = R"(serial = "/nowhere/gantry")") {
  return R"(gyrax = 1
[link.gantry]
kind = "controller"
silence_ms = 400
[link.gantry.controller]
)" + wire +
         "\ndialect = \"" + dialect + "\"\nletters = { focus = \"Z\" }\nswitches = { lamp = [\"M7\", \"M9\"] }\n" +
         more +
         R"(
[input.door]
start = "on"
[switch.lamp]
[axis.x]
unit = "mm"
travel = [-200, 700]
speed = 180
accel = 900
decel = 1400
following_error = 40
increments = [0.01, 0.1, 1]
[axis.y]
unit = "mm"
travel = [-150, 600]
speed = 180
accel = 900
decel = 1400
following_error = 40
increments = [0.01, 0.1, 1]
[axis.focus]
unit = "mm"
travel = [0, 120]
speed = 30
accel = 300
following_error = 10
[override]
notches = [1, 50, 100]
start = 100
[bind]
"stick.left" = { jog = ["x", "y"] }
"stick.right.y" = { jog = "focus" }
"hat.x" = { step = "x" }
"hat.y" = { step = "y" }
"thumb.left" = { increment = "down" }
"thumb.right" = { increment = "up" }
"menu.right" = "ready"
"shoulder.right" = "enable"
"face.east" = "stop"
"menu.centre" = "reset"
"face.south" = { set = "lamp" }
)" + dialect_text(dialect);
}

}  // namespace gyrax::test
