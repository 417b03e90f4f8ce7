// A board in a rig: what its keys say, what is refused, what is found, and what `check` tells.
#include "support/rigs.hpp"

#include <gyrax/rig/findings.hpp>
#include <gyrax/rig/predictions.hpp>
#include <gyrax/rig/review.hpp>

#include <doctest/doctest.h>

#include <string>

using namespace gyrax;

namespace {

const std::string sound = R"(gyrax = 1
[link.head]
kind = "board"
[link.head.board]
serial = "/dev/none"
[axis.tilt]
unit = "deg"
travel = [-45, 45]
speed = 120
accel = 600
servo = { ends = [-60, 60], pulse_us = [900, 2100] }
channel = 0
pin = "J3"
lost = { place = 10, speed = 30 }
[axis.table]
unit = "deg"
travel = [-180, 180]
speed = 90
accel = 240
increments = [0.1, 1]
steps = [16000, 360]
channel = 1
amps = { moving = 1.5, standing = 0.2 }
[axis.pump]
unit = "%"
accel = 100
channel = 2
[switch.lamp]
channel = 5
amps = 3
becomes = "on"
[bind]
"menu.right" = "ready"
"menu.left" = "stow"
"shoulder.right" = "enable"
"face.east" = "stop"
"menu.centre" = "reset"
"stick.left.x" = { jog = "tilt" }
"stick.left.y" = { jog = "pump" }
"stick.right.x" = { jog = "table" }
"hat.x" = { step = "table" }
"face.south" = { set = "lamp" }
)";

std::string with(const std::string& from, const std::string& to) {
  std::string text = sound;
  const std::size_t at = text.find(from);
  REQUIRE(at != std::string::npos);
  return text.replace(at, from.size(), to);
}

std::string problems(const std::string& text) {
  try {
    parse_rig(text, "rig.toml");
  } catch (const RigError& error) {
    return error.what();
  }
  return {};
}

}  // namespace

TEST_CASE("What a rig says of a board, and what check tells of it") {
  const Rig rig = parse_rig(sound, "rig.toml");
  const LinkInfo& link = rig.links[0];
  REQUIRE(link.axis_channels.size() == 3);
  CHECK(link.axis_channels[0].kind == wire::ChannelKind::servo);
  CHECK(link.axis_channels[0].lost == wire::Loss::place);
  CHECK(link.axis_channels[1].kind == wire::ChannelKind::stepper);
  CHECK(link.axis_channels[1].lost == wire::Loss::stay);
  CHECK(link.axis_channels[2].kind == wire::ChannelKind::motor);
  CHECK(link.axis_channels[2].lost == wire::Loss::off);
  CHECK(link.switch_channels[0].number == 5);
  const std::string text = review_text(rig);
  for (const char* one :
       {"servo on channel 0 of head, pin J3; when it hears nothing it goes to its place 10, 30 a second",
        "stepper on channel 1 of head, 16000 steps for 360; when it hears nothing it slows down and stays",
        "motor on channel 2 of head; when it hears nothing it slows down, then has no power",
        "switch on channel 5 of head; when it hears nothing it goes on",
        "axis table: head counts its steps from where it stands when power comes; a step that is lost is not noticed",
        "head: board, serial /dev/none, baud 115200, address 1, rate_hz 100, round_trip_ms 100",
        "4.5 A when everything moves, 3.2 A while it stands",
        // Two frames, as channels 3 and 4 are nobody's: 29 + 3 · 9 and 29 + 9 there, 36 + 3 · 9 and 36 + 9 back.
        "4 channels: 94 bytes there and 108 back, 94 % of the wire"}) {
    CAPTURE(one);
    CAPTURE(text);
    CHECK(text.find(one) != std::string::npos);
  }
  CHECK(findings(rig).empty());
}

TEST_CASE("What is wrong with a board in a rig, with its place and what would be right") {
  struct Case {
    const char *from, *to, *words;
  };
  const Case cases[] = {
      {"serial = \"/dev/none\"\n", "", "link.head.board: 'serial' is missing; its wire: "},
      {"serial = \"/dev/none\"\n", "serial = \"/dev/none\"\ntcp = \"a:1\"\n", "names more than one wire"},
      {"serial = \"/dev/none\"\n", "tcp = \"nowhere\"\n", "link.head.board.tcp: 'nowhere' is no host and port"},
      {"serial = \"/dev/none\"\n", "udp = \"host:0\"\n", "link.head.board.udp: 'host:0' is no host and port"},
      {"serial = \"/dev/none\"\n", "serial = \"/dev/none\"\nbaud = 12345\n",
       "link.head.board.baud: 12345 is no speed of a serial line"},
      {"[link.head.board]\nserial = \"/dev/none\"\n", "", "link.head.board"},
      {"channel = 1\n", "channel = 0\n", "axis.table.channel: channel 0 of head is tilt's already"},
      {"channel = 5\n", "channel = 2\n", "switch.lamp.channel: channel 2 of head is pump's already"},
      {"channel = 1\n", "", "axis.table: 'channel' is missing; the number of its channel on head, 0 to 63"},
      {"channel = 1\n", "channel = 64\n", "axis.table.channel: 64"},
      {"moving = 1.5, ", "", "axis.table.amps: 'moving' is missing"},
      {"moving = 1.5", "moving = -1", "axis.table.amps.moving: -1"},
      {"amps = 3\n", "amps = 2000\n", "switch.lamp.amps: 2000"},
      {"kind = \"board\"\n", "kind = \"board\"\nsupply_a = 0\n", "link.head.supply_a: 0"},
      {"steps = [16000, 360]\n", "", "axis.table: 'steps' is missing; a pair [steps, way]"},
      {"steps = [16000, 360]\n", "steps = [0, 360]\n", "axis.table.steps: is no number of steps"},
      {"steps = [16000, 360]\n", "steps = [1.5, 360]\n", "axis.table.steps: is no number of steps"},
      {"lost = { place = 10, speed = 30 }\n", "lost = { place = 50, speed = 30 }\n", "axis.tilt.lost.place: 50"},
      {"lost = { place = 10, speed = 30 }\n", "lost = { place = 10 }\n", "axis.tilt.lost: 'speed' is missing"},
      {"lost = { place = 10, speed = 30 }\n", "lost = \"centre\"\n", "axis.tilt.lost"},
      {"channel = 2\n", "channel = 2\nlost = { place = 0, speed = 1 }\n", "axis.pump.lost: a motor has no place"},
      {"kind = \"board\"\n[link.head.board]\nserial = \"/dev/none\"\n", "kind = \"simulated\"\n",
       "link head is of the kind \"simulated\" and has no channels"},
  };
  for (const Case& one : cases) {
    const std::string told = problems(with(one.from, one.to));
    CAPTURE(one.to);
    CAPTURE(told);
    CHECK(told.find(one.words) != std::string::npos);
  }
}

TEST_CASE("What is to be found in a board's rig") {
  struct Case {
    const char *from, *to, *code, *words;
  };
  const Case cases[] = {
      {"serial = \"/dev/none\"\n", "serial = \"/dev/none\"\nbaud = 9600\nrate_hz = 20\n", "wire_too_slow",
       "4 channels, 20 times a second, are 3600 bytes a second, and 9600 baud carry 960"},
      {"steps = [16000, 360]\n", "steps = [200, 360]\n", "step_below_step",
       "a step of 0.1 deg is less than one step of its motor, 1.8 deg"},
      {"kind = \"board\"\n", "kind = \"board\"\nsupply_a = 4\n", "supply_too_small",
       "head gets 4 A, and takes 4.5 A when everything moves at once"},
      {"kind = \"board\"\n", "kind = \"board\"\nvalid_ms = 8\n", "stops_between_frames",
       "a frame is valid for 8 ms, and the next one comes after 10 ms"},
      {"kind = \"board\"\n", "kind = \"board\"\nsilence_ms = 20\n", "silent_between_reports",
       "it may be silent for 20 ms, and reports every 10 ms, 17.5 ms late"},
  };
  for (const Case& one : cases) {
    CAPTURE(one.code);
    std::string all;
    for (const Finding& finding : findings(parse_rig(with(one.from, one.to), "rig.toml")))
      all += std::string(finding.about->code) + ": " + finding.what + "\n";
    CAPTURE(all);
    CHECK(all.find(std::string(one.code) + ": " + one.words) != std::string::npos);
  }
}
