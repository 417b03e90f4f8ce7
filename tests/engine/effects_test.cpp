// What hands can ask of motion beyond jog and step: handwheels, following, poses, keys that grow, reduced speed.
#include <gyrax/testing/limit_checker.hpp>
#include <gyrax/testing/stand.hpp>

#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <cmath>

using namespace gyrax;
using testing::Stand;

namespace {

/// jog_and_step, and a second axis in a group with x; a wheel on x; a trigger and a throttle that are followed; a pose.
Stand stand(const std::string& more = "") {
  return Stand(test::rig(test::jog_and_step + test::axis("y", R"(jerk = { accel = 20000 }
increments = [0.05]
)") + R"([group.plane]
axes = ["x", "y"]
path_speed = 50
reduced_speed = 10
[axis.tilt]
unit = "deg"
travel = [-45, 45]
speed = 90
accel = 400
jerk = { accel = 20000 }
[pose.park]
x = 80
y = 20
[reduced]
percent = 50
accel_percent = 25
start = "off"

[bind]
"dial.1" = { handwheel = "x" }
"dial.2" = { handwheel = "-y", by = 2, max_owed = 0.5 }
"thumb.left" = { reduced = "momentary" }
"thumb.right" = { reduced = "toggle" }

[while."shoulder.left"]
"trigger.left" = { follow = "tilt", range = [-30, 30], catch_up = 5 }
"menu.centre" = { pose = "park" }
"hat.down" = { jog = "y", stages = [[0, 10], [0.2, 50], [0.6, 100]] }
)" + more));
}

bool told(const Stand& s, Event::Kind kind, Interlock what) {
  for (const Event& e : s.events())
    if (e.kind == kind && e.obstacle.what == what) return true;
  return false;
}

}  // namespace

TEST_CASE("A handwheel moves by whole increments for each count, and refuses in words what it cannot do") {
  Stand s = stand();
  s.turn("dial.1", 5).tick();
  CHECK(told(s, Event::Kind::wheel_refused, Interlock::stowed));
  s.turn("dial.1", 5).tick(20).turn("dial.1", 5).tick();
  CHECK(s.count(Event::Kind::wheel_refused) == 1);  // once a second at most
  s.make_live();
  REQUIRE(s.state() == State::live);
  for (int i = 0; i < 100; ++i) s.turn("dial.1", i % 10 == 5 ? -3 : 7).tick();
  s.run(1);
  CHECK(s.frames()[0].axes[0].position == (90 * 7 - 10 * 3) * 50'000'000LL);
  CHECK(s.command("x").p == 30);
  // A jog comes first; counts during one are refused and said.
  s.move("stick.left.x", 1).tick(10).turn("dial.1", 1).tick();
  CHECK(told(s, Event::Kind::wheel_refused, Interlock::not_neutral));
  s.move("stick.left.x", 0).run(1);
  s.turn("dial.1", 4000).tick();
  CHECK(told(s, Event::Kind::wheel_refused, Interlock::end_of_travel_high));
  s.run(4);
  CHECK(s.command("x").p <= 100);
  CHECK(s.command("x").p > 99.94);
}

TEST_CASE("A handwheel that may not run ahead: the axis stops when the wheel stops") {
  Stand s = stand();
  s.make_live();
  for (int i = 0; i < 200; ++i) s.turn("dial.2", -20).tick();  // 2 mm a tick is more than it can do
  const double at_stop = s.command("y").p;
  CHECK(at_stop > 2);  // no faster than it can stop within 0.5 mm
  s.run(2);
  // From 50 mm/s by hand: 200 mm/s², full after 1/20 s, stops in 50 / 200 + 0.05 = 0.3 s, over 50 · 0.3 / 2 mm.
  CHECK(s.command("y").p - at_stop <= 7.5 + 0.1);
  CHECK(s.frames()[0].axes[1].position % 100'000'000 == 0);  // still on the grid of the counts
  CHECK(s.count(Event::Kind::wheel_refused) == 0);           // that is what it is for
}

TEST_CASE("Follow: it comes slowly to meet the control, then goes with it; letting go of the layer stops it") {
  Stand s = stand();
  s.move("trigger.left", 1).make_live();
  REQUIRE(s.state() == State::live);  // a followed control may be anywhere: the axis comes to it
  CHECK(s.command("tilt").p == 0);
  s.press("shoulder.left").run(0.5);
  CHECK(s.command("tilt").v == doctest::Approx(5));
  // 0.6 beyond a dead zone of 0.05 are 4.74 deg: it comes past.
  s.move("trigger.left", 0.6).run(2);
  CHECK(s.command("tilt").p == doctest::Approx(-30 + 60 * 0.55 / 0.95).epsilon(0.01));
  s.move("trigger.left", 1).run(0.3);
  CHECK(s.command("tilt").v > 20);
  s.run(1);
  CHECK(s.command("tilt").p == 30);
  s.move("trigger.left", 0).run(0.2).release("shoulder.left").run(1);
  CHECK(s.command("tilt").v == 0);
  CHECK(s.command("tilt").p > -30);
}

TEST_CASE("A pose: both axes together while the key is held; let go it holds, pressed again it goes on") {
  Stand s = stand();
  s.make_live().press("shoulder.left").press("menu.centre").run(0.8);
  const double x = s.command("x").p;
  CHECK(x > 5);
  CHECK(s.command("y").p == doctest::Approx(x / 4));
  CHECK(std::hypot(s.command("x").v, s.command("y").v) == doctest::Approx(50));
  s.release("menu.centre").run(0.5);
  CHECK(s.command("x").v == 0);
  CHECK(s.command("x").p < 79);
  CHECK(s.command("y").p == doctest::Approx(s.command("x").p / 4));
  s.press("menu.centre").run(3);
  CHECK(s.command("x").p == 80);
  CHECK(s.command("y").p == 20);
  // A stop on the way ends it on the line.
  s.release("menu.centre").release("shoulder.left").move("stick.left.x", -1).run(0.6).move("stick.left.x", 0).run(0.5);
  s.press("shoulder.left").press("menu.centre").run(0.3).press("face.east").run(0.5);
  CHECK(s.state() == State::stowed);
  CHECK(s.command("x").v == 0);
}

TEST_CASE("A key's jog grows in stages: a tap nudges, a long press travels, and release brakes at once") {
  Stand s = stand();
  s.make_live().press("shoulder.left").tick().press("hat.down").tick(5).release("hat.down").run(0.5);
  const double nudge = s.command("y").p;
  CHECK(nudge > 0);
  CHECK(nudge < 0.2);
  s.press("hat.down").run(0.19);
  CHECK(s.command("y").v == doctest::Approx(5));
  s.run(0.3);
  CHECK(s.command("y").v == doctest::Approx(25));
  s.run(0.6);
  CHECK(s.command("y").v == doctest::Approx(50));
  const double before = s.command("y").v;
  s.release("hat.down").tick();
  CHECK(s.command("y").v < before);
}

TEST_CASE("Reduced speed: speed, acceleration and path speed, in flight, latched or held; and it is told") {
  Stand s = stand();
  s.make_live().move("stick.left.x", 1).run(1);
  CHECK(s.command("x").v == doctest::Approx(50));
  s.press("thumb.left").run(0.5);
  CHECK(s.command("x").v == doctest::Approx(10));  // the group's
  s.release("thumb.left").run(0.5);
  CHECK(s.command("x").v > 40);
  s.tap("thumb.right");
  CHECK(s.engine().bind().reduced());
  CHECK(s.count(Event::Kind::reduced) == 4);  // at first nobody knows the key that holds it
  s.run(1);
  CHECK(s.command("x").v == doctest::Approx(10));
  s.move("stick.left.x", 0).run(0.5).press("shoulder.left").move("trigger.left", 1).run(0.5);
  CHECK(s.command("tilt").a <= 100 * (1 + 1e-9));
}

TEST_CASE("An endless axis turns and turns") {
  Stand s(test::rig(test::one_axis + R"(
[axis.table]
unit = "deg"
travel = "endless"
speed = 3600
accel = 36000

[bind]
"stick.left.x" = { jog = "table" }
)"));
  s.make_live().move("stick.left.x", 1).run(10);
  CHECK(s.command("table").p > 10 * 3000);
  CHECK(s.command("table").v == 3600);
  CHECK(s.state() == State::live);
}

TEST_CASE(
    "A servo that nobody measures is slow until it has met the control that it follows, though its knob never rests") {
  Stand s(test::rig(test::one_axis + test::servo("lamp") + R"(
[bind]
"throttle" = { follow = "lamp", range = [-30, 30], catch_up = 20 }
)"));
  s.move("throttle", 0.4).make_live();
  const auto tremble_for = [&](double share, double seconds) {
    double fastest = 0;
    for (int i = 0; i < static_cast<int>(seconds * 500); ++i) {
      s.move("throttle", share + (i % 2 == 0 ? 0.004 : -0.004)).tick();
      fastest = std::max(fastest, std::abs(s.command("lamp").v));
    }
    return fastest;
  };
  CHECK(tremble_for(0.2, 2) <= 6.0001);  // a tenth of its speed, on the way
  tremble_for(0.2, 3);
  CHECK(tremble_for(0.9, 2) > 30);
}

TEST_CASE("Nothing starts in a tick that has seen a stop, also where the stop is over already") {
  Stand s(test::rig(test::jog_and_step));
  s.tick().press("face.east").release("face.east").press("menu.right").tick();
  CHECK(s.state() == State::stowed);
  s.release("menu.right").tick().press("menu.right").tick();
  CHECK(s.state() == State::ready);
}

TEST_CASE("What is on while its key is held goes off with the key, whatever became of the zone meanwhile") {
  Stand s(test::rig(test::jog_and_step + test::under("switch.lamp", R"(becomes = "keep")") +
                    test::bind(R"("thumb.left" = { set = "lamp", to = "momentary" })")));
  s.make_ready().press("thumb.left").tick();
  REQUIRE(s.switched_on("lamp"));
  s.press("face.east").tick().release("face.east").tick();
  REQUIRE(s.state() == State::stowed);
  REQUIRE(s.switched_on("lamp"));
  s.release("thumb.left").tick();
  CHECK_FALSE(s.switched_on("lamp"));
}

TEST_CASE("Readings that are lost leave switches as the rig says of a lost handset, other trips as it says of those") {
  for (const bool lost : {true, false}) {
    CAPTURE(lost);
    Stand s(test::rig(test::jog_and_step + test::under("switch.lamp", R"(becomes = { handset_gap = "keep" })")));
    s.make_live().press("face.south").tick().release("face.south").tick();
    REQUIRE(s.switched_on("lamp"));
    if (lost) s.lose("pad", 1).tick();
    if (!lost) s.tick_after(std::chrono::seconds(1));
    REQUIRE(s.state() != State::live);
    CHECK(s.switched_on("lamp") == lost);
  }
}
