// What a rig can say of hands: shapes, virtual controls, gestures, layers, numbers, stations; and everything wrong with
// it, told at once.
#include <gyrax/rig/review.hpp>
#include <gyrax/rig/rig.hpp>

#include "support/golden.hpp"
#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <algorithm>

using namespace gyrax;

namespace {

const std::string wrong = R"(gyrax = 1
[link.b]
kind = "simulated"
[axis.x]
unit = "mm"
travel = [0, 10]
speed = 1
accel = 1
increments = [0.1]
needs = ["pump"]
[axis.m]
unit = "%"
travel = [0, 3]
accel = 10
motor = { dead_band = 120 }
[layer.one]
[handset.pad]
calibration = "nothing.toml"
[handset.pad.control]
"stick.left" = { dead_zone = 10, hysteresis = 12, expo = 20, curve = [[50, 20]] }
"face.south" = { dead_zone = 3, debounce_ms = 5 }
"trigger.left" = { press = [30, 60], straight = 5 }
[handset.pad.virtual]
"stick.left.x" = { mean = ["trigger.left", "trigger.right"] }
"lever" = { difference = ["trigger.left"] }
"pull" = { key = "stick.left.y", beyond = 40, back = 60 }
"both" = { mean = ["trigger.left", "trigger.right"], tilt = [] }
[handset.keypad]
[station.a]
handsets = ["pad"]

[handset.pad.bind]
"levr" = { jog = "x" }
"face.south".tripple = { step = "x" }
"face.south".tap = { step = "x" }
"face.east".hold = "stop"
"face.west + face.west + stick.left.x" = { adjust = "chosn" }
"face.west" = { step = "x", hold_s = 1, repeat = [[0, 100]] }

[handset.pad.in.onee]
"face.east" = { override = "x", to = 30 }
)";

std::string problems_of(const std::string& text) {
  try {
    test::rig(text);
  } catch (const RigError& error) {
    std::string all;
    for (const Problem& p : error.problems()) all += sentence(p) + "\n";
    return all;
  }
  return "none\n";
}

const ControlSetup& control(const Rig& rig, const std::string& name) {
  for (std::size_t s = 0; s < rig.slots.size(); ++s)
    if (rig.slots[s].name == name) return rig.setup.controls[s];
  throw std::invalid_argument(name);
}

}  // namespace

TEST_CASE("Everything that is wrong with hands is told at once, with its place and what would be right") {
  test::check_golden("tests/golden/hands_problems.txt", problems_of(wrong));
}

TEST_CASE("What only the whole rig can tell: two holds of one key, a gesture on a stop, nothing that chooses") {
  const std::string base = test::jog_and_step;
  const auto told = [&](const std::string& more, const char* what) {
    const std::string all = problems_of(base + more);
    const bool found = all.find(what) != std::string::npos;
    if (!found) MESSAGE(all);
    return found;
  };
  CHECK(told(test::bind(R"("thumb.left".hold = [{ override = "up" }, { override = "down", hold_s = 3 }])"),
             "'thumb.left' has two holds of different times in one layer"));
  CHECK(told(test::bind(R"("thumb.left".press = "stop")") + test::bind(R"("thumb.left".tap = { override = "up" })"),
             "'thumb.left' is a stop, and has a gesture beside it"));
  CHECK(told(test::bind(R"("dial.1" = { adjust = "chosen" })"),
             "something adjusts the chosen number, and nothing chooses one"));
  CHECK(told(test::bind(R"("thumb.left" = { override = 33 })"), "33 is not one of its notches"));
  CHECK(
      told("[station.a]\nhandsets = [\"pad\", \"pad2\"]\n[handset.pad2]\n[station.b]\nhandsets = [\"pad2\", \"pad\"]\n",
           "handset 'pad2' is in a station already"));
}

TEST_CASE("Shapes, virtual controls and gestures arrive in the setup as they were written") {
  const Rig rig = test::rig(
      test::one_axis + R"(
[handset.pad.control]
"stick.left" = { dead_zone = 12, hysteresis = 3, outer = 5, straight = 20, curve = [[50, 20], [80, 50]] }
"trigger.left" = { smoothing_ms = 30, expo = 25, press = [70, 30] }
"face.north" = { debounce_ms = 6 }
"dial.2" = { detent = 4, reversed = true }
[handset.pad.virtual]
"lever" = { difference = ["trigger.right", "trigger.left"], dead_zone = 4 }
"gain" = { greater = ["trigger.right", "trigger.left"] }
"track" = { speed = "stick.left.y", turn = "stick.left.x" }
"pull" = { key = "stick.left.y", beyond = -60, back = -40 }
[gestures]
tap_ms = 200
)" + test::bind(R"("stick.left.x" = { jog = "x" })") +
      test::bind(R"("trigger.left" = { override = "up" })") +
      test::bind(R"("face.north" = { step = "x", repeat = [[0.5, 4]] })") +
      test::bind(R"("dial.2" = { handwheel = "x" })") + test::bind(R"("lever" = { jog = "x", share = 10 })") +
      test::bind(R"("gain" = { jog = "x", share = 10 })") + test::bind(R"("track.left" = { jog = "x", share = 1 })") +
      test::bind(R"("pull" = { step = "x" })") + test::bind(R"("thumb.left + thumb.right" = { step = "x", by = 5 })") +
      test::bind(R"("thumb.left" = { step = "x" })"));
  const ControlSetup& stick = control(rig, "stick.left.x");
  CHECK(stick.shape.zone.inner == 0.12);
  CHECK(stick.shape.zone.hysteresis == 0.03);
  CHECK(stick.shape.zone.outer == 0.05);
  CHECK(stick.shape.straight.inner == 0.2);
  CHECK(stick.shape.straight.hysteresis == 0.05);
  CHECK(stick.shape.curve(0.5) == 0.2);
  CHECK(control(rig, "stick.left.y").shape.zone.inner == 0.12);
  CHECK(control(rig, "trigger.left").smoothing_s == 0.03);
  CHECK(control(rig, "trigger.left").press_at == 0.7);
  CHECK(control(rig, "trigger.left").release_below == 0.3);
  CHECK(control(rig, "face.north").debounce == std::chrono::milliseconds(6));
  CHECK(control(rig, "dial.2").detent == 4);
  CHECK(control(rig, "lever").calibration.kind() == ControlKind::centred);
  CHECK(control(rig, "lever").shape.zone.inner == 0.04);
  CHECK(control(rig, "gain").calibration.kind() == ControlKind::one_sided);
  CHECK(control(rig, "track.left").virtual_control.how == VirtualControl::How::drive_left);
  CHECK(control(rig, "pull").virtual_control.lower);
  CHECK(rig.setup.gestures.tap == std::chrono::milliseconds(200));
  // Parts come before what is made of them.
  for (std::size_t s = 0; s < rig.slots.size(); ++s)
    for (std::size_t i = 0; i < parts_of(rig.setup.controls[s].virtual_control.how); ++i)
      CHECK(index(rig.setup.controls[s].virtual_control.parts[i]) < s);
  const std::string review = review_text(rig);
  CHECK(review.find("thumb.left: steps x by +1 increment (waits up to 80 ms for its other gestures)") !=
        std::string::npos);
  CHECK(review.find("thumb.left and thumb.right together: steps x by +5 increments") != std::string::npos);
}
