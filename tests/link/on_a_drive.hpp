// A rig whose turntable hangs on a drive.
#pragma once

#include <string>

namespace gyrax::test {

/// `wire`: "tcp = …" or "serial = …"; `more`: further keys of [link.turn.modbus].
inline std::string on_a_drive(const std::string& wire = R"(tcp = "127.0.0.1:15999")", const std::string& more = "") {
  return R"(gyrax = 1
[link.turn]
kind = "modbus"
silence_ms = 200
valid_ms = 100
[link.turn.modbus]
)" + wire +
         "\n" + more + R"(
[link.turn.modbus.tells]
heartbeat = 100
control = 101
table = { position = 102, speed = 104, type = "i32", counts = [1000, 1] }
lamp = { at = 106, bit = 3 }
[link.turn.modbus.hears]
heartbeat = 200
status = 201
table = { position = 202, speed = 204, type = "i32", counts = [1000, 1] }
load = { at = 206, type = "i16", counts = [10, 1] }
cover = { at = 207, bit = 0 }
[link.turn.modbus.states]
disabled = { status = [0x004f, 0x0040], on = 0x0006 }
ready = { status = [0x006f, 0x0021], on = 0x0007 }
switched_on = { status = [0x006f, 0x0023], on = 0x000f }
enabled = { status = [0x006f, 0x0027], is = "on", on = 0x000f, off = 0x0006 }
quick_stop = { status = [0x006f, 0x0007] }
fault_reaction = { status = [0x004f, 0x000f], is = "fault" }
fault = { status = [0x004f, 0x0008], is = "fault", off = 0x0080 }
[input.load]
unit = "%"
start = 20
[input.cover]
start = "on"
[switch.lamp]
[axis.table]
unit = "deg"
travel = [-180, 180]
speed = 60
accel = 300
decel = 400
following_error = 12
increments = [0.1, 1]
[override]
notches = [50, 100]
start = 100
[bind]
"stick.left.x" = { jog = "table" }
"hat.x" = { step = "table" }
"menu.right" = "ready"
"shoulder.right" = "enable"
"face.east" = "stop"
"menu.centre" = "reset"
"face.south" = { set = "lamp" }
)";
}

}  // namespace gyrax::test
