// Ways in which something once moved, went on moving or could not be stopped although no hand asked for it. Each is a
// story of its own; bench_hostile looks for more of them.
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace gyrax;
using namespace std::chrono_literals;
using testing::Stand;

namespace {

using test::changed;

/// jog_and_step with y beside x in one group, which can do a tenth of what x can, and poses of both.
const std::string plane = test::jog_and_step + R"(
[axis.y]
unit = "mm"
travel = [0, 100]
speed = 50
accel = 20
decel = 40
jerk = { accel = 200, decel = 400 }
increments = [0.05]
[group.plane]
axes = ["x", "y"]
[pose.far]
x = 90
y = 90
[pose.right]
x = 90
)" + test::bind(R"("thumb.left" = { pose = "far" })") +
                          test::bind(R"("thumb.right" = { pose = "right" })") +
                          test::bind(R"("stick.left.y" = { jog = "y" })") +
                          test::under(R"(while."shoulder.left")", R"("hat.up" = { step = "y" })");

Reading reading(const Stand& s, const char* control, std::int32_t raw, Span age = {}) {
  return {HandsetId{0}, find_control(control)->id, 0, s.now() - age, s.now(), raw};
}

bool told(const Stand& s, Event::Kind kind, Interlock what) {
  return std::any_of(s.events().begin(), s.events().end(),
                     [&](const Event& e) { return e.kind == kind && e.obstacle.what == what; });
}

/// Let everything go, reset if need be, and live again.
void live_again(Stand& s) {
  for (const SlotInfo& slot : s.rig().slots) s.move(slot.name, 0);
  s.run(0.5);
  if (s.state() == State::tripped) s.tap("menu.centre");
  s.make_live();
}

}  // namespace

TEST_CASE("1. A key let go in the very reading that reveals a gap, or is refused for its age, is let go") {
  struct Way {
    const char* what;
    void (*let_go)(Stand&, const char*);
  };
  const Way ways[] = {
      {"the reading after a gap", [](Stand& s, const char* key) { s.miss("pad", 3).release(key).tick(); }},
      {"a reading that is too old", [](Stand& s, const char* key) { s.say(reading(s, key, 0, 150ms)).tick(); }},
      {"a repeated number", [](Stand& s, const char* key) { s.miss("pad", -1).release(key).tick(); }},
      {"unplugged, and plugged in in the same tick", [](Stand& s, const char*) { s.unplug("pad").plug("pad").tick(); }},
  };
  const char* const keys[] = {"face.north", "face.west", "thumb.left", "hat.right"};
  for (const Way& way : ways)
    for (const char* key : keys) {
      CAPTURE(way.what);
      CAPTURE(key);
      Stand s(test::rig(changed(plane, R"({ step = "x" })", R"({ step = "x", repeat = [[0.05, 50]] })")));
      s.make_live();
      REQUIRE(s.state() == State::live);
      s.press(key).run(0.3);
      way.let_go(s, key);
      s.run(0.5);
      live_again(s);
      REQUIRE(s.state() == State::live);
      const double x = s.command("x").p, y = s.command("y").p;
      s.run(0.5);
      CHECK(s.command("x").p == x);
      CHECK(s.command("y").p == y);
    }
}

TEST_CASE("1. What is on while a key is held goes off when nobody knows the key any more") {
  for (const bool live : {false, true}) {
    Stand s(test::rig(changed(test::jog_and_step, R"(set = "lamp")", R"(set = "lamp", to = "momentary")")));
    s.make_ready();
    if (live) s.make_live();
    s.press("face.south").tick();
    REQUIRE(s.switched_on("lamp"));
    s.miss("pad", 1).release("face.south").tick();
    CHECK_FALSE(s.switched_on("lamp"));
  }
}

TEST_CASE("2. Enable by a long press that is let go in a reading that reveals a gap does not enable") {
  Stand s(test::rig(changed(test::jog_and_step, R"("shoulder.right" = "enable")",
                            R"("shoulder.right".hold = { enable = "all", hold_s = 0.5 })")));
  s.make_ready();
  s.press("shoulder.right").run(0.3).miss("pad", 1).release("shoulder.right").run(0.5);
  CHECK(s.state() == State::ready);
}

namespace {

/// Enable on a trigger with a squeeze.
std::string three_positions() {
  return changed(test::jog_and_step, R"("shoulder.right" = "enable")",
                 R"("trigger.right" = { enable = "all", squeeze = 80 })");
}

}  // namespace

TEST_CASE("3. A squeeze stops again after readings were lost, or the handset was away, in the middle of one") {
  for (const bool unplugged : {false, true}) {
    Stand s(test::rig(three_positions()));
    s.make_ready().move("trigger.right", 0.6).tick();
    REQUIRE(s.state() == State::live);
    s.move("trigger.right", 1).tick();
    if (unplugged) {
      s.unplug("pad").run(0.1).plug("pad").tick();
    } else {
      s.lose("pad", 2).tick();
    }
    for (const SlotInfo& slot : s.rig().slots) s.move(slot.name, 0);
    s.run(0.3);
    if (s.state() == State::tripped) s.tap("menu.centre");
    if (s.state() == State::stowed) s.make_ready();
    s.move("trigger.right", 0.6).tick();
    REQUIRE(s.state() == State::live);
    s.move("stick.left.x", 1).run(0.2).move("trigger.right", 1).tick();
    CHECK(s.state() == State::stopping);
  }
}

TEST_CASE("4. What is squeezed through does not enable, however it came there, and it is said") {
  Stand s(test::rig(three_positions()));
  s.make_ready().move("trigger.right", 1).tick();
  CHECK(s.state() == State::ready);
  CHECK(told(s, Event::Kind::refused, Interlock::squeezed));
  s.move("trigger.right", 0.6).run(0.2);
  CHECK(s.state() == State::ready);
  s.move("trigger.right", 0).tick().move("trigger.right", 0.6).tick();
  CHECK(s.state() == State::live);
  // While a long press is under way.
  Stand h(test::rig(changed(three_positions(), R"("trigger.right" = { enable = "all", squeeze = 80 })",
                            R"("trigger.right".hold = { enable = "all", squeeze = 80, hold_s = 0.5 })")));
  h.make_ready()
      .move("trigger.right", 0.6)
      .run(0.2)
      .move("trigger.right", 1)
      .run(0.2)
      .move("trigger.right", 0.6)
      .run(0.5);
  CHECK(h.state() == State::ready);
}

TEST_CASE("5. A stop ends each axis of a pose by its own deceleration; letting the key go stays on the line") {
  struct Way {
    const char* what;
    void (*stop)(Stand&);
  };
  const Way ways[] = {
      {"stop", [](Stand& s) { s.press("face.east"); }},
      {"stow", [](Stand& s) { s.press("menu.left"); }},
      {"enable", [](Stand& s) { s.release("shoulder.right"); }},
      {"a fault", [](Stand& s) { s.unplug("pad"); }},
  };
  for (const Way& way : ways) {
    CAPTURE(way.what);
    Stand s(test::rig(plane));
    s.make_live().press("thumb.left").run(1.2);
    const double v = s.command("x").v, before = s.command("x").p;
    REQUIRE(v > 10);
    way.stop(s);
    s.tick();
    // x alone: 400 mm/s² after 10 ms.
    s.tick(static_cast<std::size_t>((v / 400 + 0.01) / 0.002) + 2);
    CHECK(s.command("x").v == 0);
    CHECK(s.command("x").p - before < v * 0.002 + v * (v / 400 + 0.01) / 2 + 0.1);
    s.run(3);
    CHECK(s.command("y").v == 0);
  }
  Stand s(test::rig(plane));
  s.make_live().press("thumb.left").run(1.2).release("thumb.left").run(3);
  CHECK(s.command("x").v == 0);
  CHECK(s.command("y").p == doctest::Approx(s.command("x").p).epsilon(1e-9));
}

TEST_CASE("6. With power left on by category 2, everything that is worse still takes it") {
  const std::string two = test::jog_and_step + "[stops]\nstow = 2\nreading_implausible = 2\n";
  struct Way {
    const char* what;
    void (*act)(Stand&);
    Cause cause;
  };
  const Way ways[] = {
      {"stop", [](Stand& s) { s.press("face.east"); }, Cause::stop_key},
      {"unplugged", [](Stand& s) { s.unplug("pad"); }, Cause::handset_gone},
      {"link silent", [](Stand& s) { s.links().bench(LinkId{0}).silence(true); }, Cause::link_silent},
      {"the end", [](Stand& s) { s.end(); }, Cause::program_ends},
      {"following error",
       [](Stand& s) {
         static const AxisReport elsewhere[] = {{true, 40, 0}};  // a report's axes are looked at later
         s.report({LinkId{0}, 1u << 20, s.now(), s.now(), elsewhere});
       },
       Cause::following_error},
  };
  for (const Way& way : ways) {
    CAPTURE(way.what);
    for (const bool trips : {false, true}) {
      Stand s(test::rig(two));
      s.make_live();
      if (trips) {
        s.say({HandsetId{0}, ControlId{0}, 0, s.now(), s.now(), 99'999}).run(0.1);
      } else {
        s.press("menu.left").run(0.1).release("menu.left").release("shoulder.right").tick();
      }
      REQUIRE(s.state() == (trips ? State::tripped : State::stowed));
      REQUIRE(s.command("x").mode == Mode::stand);
      way.act(s);
      s.tick();
      s.run(0.2);
      CHECK(s.command("x").mode == Mode::off);
      if (about(way.cause).fault) CHECK(s.state() == State::tripped);
    }
  }
}

TEST_CASE("7. Power off in the middle of a pose: nothing lives on, and it starts from where it stands") {
  Stand s(test::rig(plane + "[stops]\nstop_key = 0\n"));
  s.make_live().press("thumb.left").run(1.2).press("face.east").tick();
  CHECK(s.command("x").mode == Mode::off);
  const double off_at = s.command("x").p;
  s.run(0.5);
  CHECK(s.command("x").p == off_at);
  live_again(s);
  REQUIRE(s.state() == State::live);
  CHECK(std::abs(s.command("x").p - off_at) < 2);
  s.run(0.5);
  CHECK(s.state() == State::live);
  CHECK(s.count(Event::Kind::fault) == 0);
}

TEST_CASE("8. In a group every axis goes by its own override, on its own and to a pose") {
  Stand s(test::rig(plane + "[axis.y.override]\nnotches = [10]\nstart = 10\n"));
  s.make_live().move("stick.left.y", 1).run(4);
  CHECK(s.command("y").v == doctest::Approx(5));
  s.move("stick.left.y", 0).run(1).move("stick.left.x", 1).run(0.5);
  CHECK(s.command("x").v == doctest::Approx(50));
  s.move("stick.left.x", 0).run(1).press("thumb.left").run(3);
  CHECK(std::abs(s.command("y").v) <= 5 * (1 + 1e-9));
}

TEST_CASE("9. A motor gets nothing while others move, and no power backwards from rounding") {
  // What rounds to nothing is nothing: a dead band of 10 % is not for 1e-12.
  const MotorMap motor{.dead_band = 0.1};
  CHECK(motor.power(-1e-12) == 0);
  CHECK(motor.power(4e-7) == 0);
  CHECK(motor.power(6e-7) > 100'000);
  Stand s(test::rig(test::one_axis + R"(
[axis.belt]
unit = "%"
accel = 233
decel = 311
jerk = { accel = 1717, decel = 4711 }
motor = { dead_band = 10 }
)" + test::bind(R"("stick.left.x" = { jog = "belt" })")));
  s.make_live();
  for (int i = 1; i < 60; ++i) {
    s.move("stick.left.x", 0.4 + 0.01 * i).tick(static_cast<std::size_t>(20 + 3 * i)).move("stick.left.x", 0);
    for (int k = 0; k < 600; ++k) {
      s.tick();
      REQUIRE(s.frames()[0].axes[1].position >= 0);
    }
  }
}

TEST_CASE("10. A control that takes over what another one followed is met at catch-up speed") {
  Stand s(test::rig(
      test::one_axis + test::bind(R"("throttle" = { follow = "x", range = [0, 100], catch_up = 5 })") +
      test::under(R"(while."shoulder.left")", R"("trigger.left" = { follow = "-x", range = [0, 100], catch_up = 5 })") +
      test::under("in.other", R"("knob.1" = { follow = "x", catch_up = 5 })") +
      test::bind(R"("thumb.left" = { layer = "other" })") + "[layer.other]\n"));
  s.move("throttle", 0.2).make_live().run(6);
  const double fast = [&] {
    double most = 0;
    s.press("shoulder.left");
    for (int i = 0; i < 400; ++i) {
      s.tick();
      most = std::max(most, std::abs(s.command("x").v));
    }
    return most;
  }();
  CHECK(fast > 4);
  CHECK(fast <= 5 * (1 + 1e-9));
}

TEST_CASE("11. A second pose asked while the first one brakes moves no axis that it does not name") {
  Stand s(test::rig(plane));
  s.make_live().press("thumb.left").run(1.2).release("thumb.left").tick();
  s.press("thumb.right").run(6);
  CHECK(s.command("x").p == 90);
  CHECK(s.command("y").p < 60);
}

namespace {

std::string permits_of(const std::string& handset) {
  return test::under("handset." + handset + ".bind", R"("menu.right" = "ready"
"shoulder.right" = "enable"
"face.east" = "stop"
"menu.centre" = "reset")");
}

/// x and y (which needs the clamp) in a group, on one link; the clamp and a pump on another; a pad and a box, each by
/// itself.
const std::string two_hands = R"(gyrax = 1
[link.machine]
kind = "simulated"
[link.far]
kind = "simulated"
[override]
notches = [10, 50, 100]
start = 50
[reduced]
percent = 20
start = "off"
[handset.pad]
[handset.box]
[switch.clamp]
link = "far"
start = "on"
becomes = "keep"
)" + test::axis("x", R"(link = "machine"
increments = [1]
)") + test::axis("y", R"(link = "machine"
needs = ["clamp"]
increments = [1]
)") + R"([axis.tilt]
unit = "deg"
travel = [-45, 45]
speed = 90
accel = 400
link = "machine"
needs = ["clamp"]
[group.plane]
axes = ["x", "y"]
[pose.far]
x = 90
y = 90
)" + permits_of("pad") + permits_of("box") +
                              R"([handset.pad.bind]
"stick.left" = { jog = ["x", "y"] }
"throttle" = { follow = "tilt", catch_up = 30 }
"hat.right" = { step = "x" }
"dial.1" = { handwheel = "x" }
"thumb.left" = { pose = "far" }
"hat.up" = { override = "up" }
[handset.box.bind]
"hat.y" = { override = "up" }
"face.south" = { reduced = "momentary" }
"face.north" = { reduced = "toggle" }
"face.west" = { set = "clamp" }
"stick.left.x" = { jog = "x" }
)";

void live_with_pad(Stand& s) {
  s.move("pad/throttle", 0.5).tick().tap("pad/menu.right").press("pad/shoulder.right").tick();
  REQUIRE(s.state() == State::live);
}

}  // namespace

TEST_CASE("12. What holds reduced speed is lost: it stays reduced, until it is pressed and let go once more") {
  struct Way {
    const char* what;
    void (*lose)(Stand&);
  };
  const Way ways[] = {{"unplugged", [](Stand& s) { s.unplug("box").run(0.1).plug("box"); }},
                      {"a gap", [](Stand& s) { s.lose("box", 1).release("box/face.south"); }},
                      {"a gap and the release at once", [](Stand& s) { s.miss("box", 1).release("box/face.south"); }}};
  for (const Way& way : ways) {
    CAPTURE(way.what);
    Stand s(test::rig(two_hands));
    s.unplug("box").run(0.1).tap("pad/menu.right").move("pad/throttle", 0.5).tick().press("pad/shoulder.right").tick();
    REQUIRE(s.state() == State::live);
    CHECK(s.engine().bind().reduced());  // nobody knows the pedal: the safe side
    s.release("pad/shoulder.right").run(0.3).plug("box").tick().press("box/face.south").tick();
    way.lose(s);
    s.tick();
    CHECK(s.engine().bind().reduced());
    s.run(0.5);
    CHECK(s.engine().bind().reduced());
    s.tap("box/face.south");
    CHECK_FALSE(s.engine().bind().reduced());
  }
}

TEST_CASE("13. What was begun before a stop or a change of state is void, and it is said") {
  const std::string tapped = test::jog_and_step + test::bind(R"("hat.right".tap = { step = "x" })") +
                             test::bind(R"("hat.right".double_tap = { step = "x", by = 5 })");
  {
    // A tap that is decided 250 ms later, with enable in between.
    Stand s(test::rig(tapped));
    s.make_ready().tap("hat.right").press("shoulder.right").tick();
    REQUIRE(s.state() == State::live);
    s.run(1);
    CHECK(s.command("x").p == 0);
    CHECK(told(s, Event::Kind::step_refused, Interlock::begun_before));
  }
  {
    // A key that was pressed before, and acts when it is let go.
    Stand s(test::rig(changed(test::jog_and_step, R"("menu.left" = "stow")", R"("menu.left".release = { set = "lamp" }
"thumb.left" = "stow")")));
    s.press("menu.left").tick().make_ready().release("menu.left").tick();
    CHECK_FALSE(s.switched_on("lamp"));
  }
  const std::string held = changed(test::jog_and_step, R"("shoulder.right" = "enable")",
                                   R"("shoulder.right".hold = { enable = "all", hold_s = 0.5 })");
  {
    Stand s(test::rig(held));
    s.press("shoulder.right").run(0.2).make_ready().run(1);
    CHECK(s.state() == State::ready);
  }
  {
    Stand s(test::rig(held));
    s.make_ready().press("shoulder.right").run(0.2).tap("face.east").run(0.1).make_ready().run(1);
    CHECK(s.state() == State::ready);
  }
  {
    // A tapped ready, which waits for a second tap, and a stop in between.
    Stand s(test::rig(changed(test::jog_and_step, R"("menu.right" = "ready")", R"("menu.right".tap = "ready")") +
                      test::bind(R"("menu.right".double_tap = { override = "up" })")));
    s.tap("menu.right").tap("face.east").run(1);
    CHECK(s.state() == State::stowed);
  }
}

TEST_CASE("14. What one axis of a group needs all of it needs, until what was asked meanwhile is let go") {
  {
    // The other hand turns the switch on again.
    Stand s(test::rig(two_hands));
    live_with_pad(s);
    s.move("pad/stick.left.x", 1).run(0.3).tap("box/face.west").run(0.5);
    CHECK(s.command("x").v == 0);
    CHECK(s.why("x").blocked.what == Interlock::switch_off);
    s.tap("box/face.west").run(0.5);
    CHECK(s.command("x").v == 0);
    CHECK(s.why("x").blocked.what == Interlock::not_neutral);
    s.move("pad/stick.left.x", 0).tick().move("pad/stick.left.x", 1).run(0.3);
    CHECK(s.command("x").v > 10);
  }
  {
    Stand s(test::rig(two_hands));
    live_with_pad(s);
    s.press("pad/thumb.left").run(1).tap("box/face.west").tap("box/face.west").run(3);
    CHECK(s.command("x").v == 0);
    CHECK(s.command("y").p == doctest::Approx(s.command("x").p).epsilon(1e-9));
    CHECK(s.command("x").p < 80);
  }
  {
    Stand s(test::rig(two_hands));
    live_with_pad(s);
    s.press("box/face.west").press("pad/hat.right").tick().run(1);
    CHECK(s.command("x").p == 0);
    CHECK(told(s, Event::Kind::step_refused, Interlock::switch_off));
  }
  {
    // A followed control: brought to where the axis is, it is followed again.
    Stand s(test::rig(two_hands));
    live_with_pad(s);
    s.run(1).move("pad/throttle", 0.8).run(1).tap("box/face.west").move("pad/throttle", 0.2).run(0.5);
    const double stands = s.command("tilt").p;
    s.tap("box/face.west").run(1);
    CHECK(s.command("tilt").p == stands);
    CHECK(s.why("tilt").blocked.what == Interlock::not_met);
    for (int i = 20; i <= 90; ++i) s.move("pad/throttle", 0.01 * i).tick(5);
    s.run(2);
    CHECK(s.command("tilt").p > stands + 5);
  }
}

TEST_CASE("15. The last check takes a move that begins and ends at rest inside one tick") {
  Stand s(test::rig(changed(changed(test::jog_and_step, "[handset.pad]", "[tick]\nperiod_ms = 10\n[handset.pad]"),
                            "increment = 0.05", "increment = 0.01")));
  s.make_live();
  for (int i = 0; i < 20; ++i) s.tap("hat.right").run(0.1);
  CHECK(s.frames()[0].axes[0].position == 20 * 10'000'000);
  CHECK(s.count(Event::Kind::fault) == 0);
}

TEST_CASE("16. An axis does not move on the word of a switch whose link is silent") {
  Stand s(test::rig(two_hands));
  live_with_pad(s);
  s.move("pad/stick.left.x", 1).run(0.3).links().bench(LinkId{1}).silence(true);
  s.run(0.15);
  CHECK(s.state() != State::live);
  CHECK(s.why("x").cause == Cause::link_silent);
}

TEST_CASE("17. A stop that is held down lets nothing begin, whoever holds it") {
  Stand s(test::rig(two_hands));
  s.press("box/face.east").move("pad/throttle", 0.5).tick().tap("pad/menu.right");
  CHECK(s.state() == State::stowed);
  CHECK(told(s, Event::Kind::refused, Interlock::stop_held));
  s.release("box/face.east").tick().tap("pad/menu.right");
  CHECK(s.state() == State::ready);
}

TEST_CASE("17. A press of stop counts however late it comes, also of a handset that was plugged in later") {
  Stand s(test::rig(two_hands));
  s.unplug("box").run(0.1).tap("pad/menu.right").move("pad/throttle", 0.5).tick().press("pad/shoulder.right").tick();
  REQUIRE(s.state() == State::live);
  s.plug("box").move("pad/stick.left.x", 1).run(0.3);
  REQUIRE(s.state() == State::live);
  s.say({HandsetId{1}, find_control("face.east")->id, 0, s.now() - 150ms, s.now(), 1}).tick();
  CHECK(s.state() == State::stopping);
}

TEST_CASE("17. Every handset that can move something can stop it, or its station can") {
  std::string without = two_hands;
  without.erase(without.rfind("\"face.east\""), sizeof "\"face.east\" = \"stop\"");
  CHECK_THROWS_WITH_AS(test::rig(without),
                       doctest::Contains("'box' can move something in zone 'main' and cannot stop it"), RigError);
  CHECK_NOTHROW(test::rig(without + "[station.desk]\nhandsets = [\"pad\", \"box\"]\n"));
}

TEST_CASE("17. Stow counts in every layer") {
  Stand s(test::rig(test::jog_and_step + test::under(R"(while."shoulder.left")", R"("menu.left" = { set = "lamp" })")));
  s.make_live().press("shoulder.left").tick().press("menu.left").run(0.5);
  CHECK(s.state() == State::stowed);
}

TEST_CASE("17. One press is one word to the permit") {
  // The rig refuses it (tests/rig/errors_test.cpp); the engine would, too.
  Rig rig = test::rig(test::jog_and_step);
  for (BindingSetup& b : rig.setup.bindings)
    if (b.as<effect::Reset>() || b.as<effect::Enable>())
      for (const BindingSetup& ready : rig.setup.bindings)
        if (ready.as<effect::Ready>()) b.slot = ready.slot;
  Stand s(rig);
  s.press("menu.right").tick();
  CHECK(s.state() == State::ready);
}

TEST_CASE("18. Steps and counts are made or told to be dropped, also while a path comes to rest") {
  Stand s(test::rig(two_hands));
  live_with_pad(s);
  s.press("pad/thumb.left").run(1).release("pad/thumb.left").tick().tap("pad/hat.right").turn("pad/dial.1", 3).run(2);
  CHECK(s.count(Event::Kind::step) == 0);
  CHECK(told(s, Event::Kind::step_refused, Interlock::on_path));
  CHECK(told(s, Event::Kind::wheel_refused, Interlock::on_path));
  // What was taken and then gives way to a jog.
  s.tap("pad/hat.right").tap("pad/hat.right").tap("pad/hat.right").tick(5);
  const double before = s.command("x").p;
  s.move("pad/stick.left.x", 1).tick().move("pad/stick.left.x", 0).run(1);
  Nano dropped = 0;
  for (const Event& e : s.events())
    if (e.kind == Event::Kind::dropped) dropped += e.number;
  CHECK(s.count(Event::Kind::step) == 3);
  CHECK(dropped > 1'000'000'000);
  CHECK(before < 90);
  // And to a stop: what was announced is where it stands, and what was dropped.
  Stand r(test::rig(test::jog_and_step));
  r.make_live();
  for (int i = 0; i < 6; ++i) r.tap("hat.right");
  r.tick(5).release("shoulder.right").run(0.5);
  Nano made = 0;
  for (const Event& e : r.events())
    made += e.kind == Event::Kind::step ? e.number : e.kind == Event::Kind::dropped ? -e.number : 0;
  CHECK(made == r.frames()[0].axes[0].position);
}

TEST_CASE(
    "19. Small ways: a gap with a repeated number, an axis outside its travel, increments without end, and others") {
  {
    Stand s(test::rig(test::jog_and_step));
    s.make_live().move("stick.left.x", 1).run(0.2).miss("pad", -1).lose("pad", 1).tick();
    CHECK(s.state() == State::stopping);
  }
  {
    // y stands outside its travel; a pose of x alone leaves it there.
    Stand s(test::rig(plane));
    s.links().bench(LinkId{0}).place(1, -0.333);
    s.run(0.2).make_live().press("thumb.right").run(4);
    CHECK(s.state() == State::live);
    CHECK(s.command("x").p == 90);
    CHECK(s.command("y").p == doctest::Approx(-0.333));
  }
  {
    Stand s(test::rig(changed(
        changed(test::jog_and_step, "increments = [0.01, 0.05, 1]\nincrement = 0.05", "increments = [4000000000]"),
        R"("hat.x" = { step = "x" })", R"("hat.left" = { step = "x", by = 1000 })")));
    s.make_live().tap("hat.left").run(1);
    CHECK(told(s, Event::Kind::step_refused, Interlock::end_of_travel_high));
    CHECK(s.command("x").p == 0);
  }
  {
    // A servo that only poses move is at its full speed after the first of them.
    Stand s(test::rig(test::one_axis + test::servo("lamp") + test::servo("head") + R"([group.lights]
axes = ["lamp", "head"]
[pose.a]
lamp = 30
head = 10
[pose.b]
lamp = -30
head = -10
)" + test::bind(R"("thumb.left" = { pose = "a" })") +
                      test::bind(R"("thumb.right" = { pose = "b" })")));
    s.make_live().press("thumb.left").run(1);
    CHECK(s.command("lamp").v == doctest::Approx(6));
    s.run(10).release("thumb.left").tick().press("thumb.right").run(0.5);
    CHECK(s.command("lamp").v == doctest::Approx(-60));
  }
  {
    // An end that is off the grid of nanometres is not passed.
    const std::string end = "33.33333333366666";
    Stand s(test::rig(
        changed(changed(changed(changed(plane, "to = 60", "to = 30"), "x = 90\ny = 90", "x = " + end + "\ny = 90"),
                        "[pose.right]\nx = 90", "[pose.right]\nx = " + end),
                "travel = [0, 100]", "travel = [0, " + end + "]")));
    s.make_live().press("thumb.right").run(3);
    CHECK(s.command("x").p == 33.333333333);
  }
}

TEST_CASE("Who may make it faster under somebody else's hands: slower anybody, faster who is in charge") {
  Stand s(test::rig(two_hands));
  live_with_pad(s);
  s.tap("box/hat.up");
  CHECK(s.engine().bind().numbers().percent(OverrideId{0}) == 50);
  CHECK(told(s, Event::Kind::number_refused, Interlock::another_in_charge));
  s.tap("box/hat.down");
  CHECK(s.engine().bind().numbers().percent(OverrideId{0}) == 10);
  s.tap("pad/hat.up");
  CHECK(s.engine().bind().numbers().percent(OverrideId{0}) == 50);
  s.tap("box/face.north");
  CHECK(s.engine().bind().reduced());
  s.tap("box/face.north");
  CHECK(s.engine().bind().reduced());
}

TEST_CASE(
    "What a dial turned before it was live is not part of a detent afterwards; a leap of a dial is none of a hand") {
  Stand s(test::rig(changed(test::jog_and_step, "[handset.pad]", "[handset.pad]\ncontrol.\"dial.1\" = { detent = 4 }") +
                    test::bind(R"("dial.1" = { handwheel = "x" })")));
  s.turn("dial.1", 2).tick().make_live().turn("dial.1", 1).run(0.5);
  CHECK(s.command("x").p == 0);
  s.turn("dial.1", 2).run(0.5);
  CHECK(s.command("x").p == 0.05);
  s.turn("dial.1", 100'000).tick();
  CHECK(s.why("x").cause == Cause::reading_implausible);
}

TEST_CASE("Who may reset when the handset in charge never comes back: anybody at neutral, by the long press") {
  Stand s(test::rig(two_hands));
  live_with_pad(s);
  s.unplug("pad").run(0.5);
  REQUIRE(s.state() == State::tripped);
  s.tap("box/menu.centre").run(0.5);
  CHECK(s.state() == State::tripped);
  CHECK(told(s, Event::Kind::refused, Interlock::handset_gone));
  s.press("box/menu.centre").run(2.2);
  CHECK(s.state() == State::stowed);
  s.release("box/menu.centre").tap("box/menu.right");
  CHECK(s.state() == State::ready);
}

TEST_CASE("A debounced stop stops at once, also right after it was told again that it is up, and while it bounces") {
  const std::string bounces =
      changed(test::jog_and_step, "[handset.pad]", "[handset.pad]\ncontrol.\"face.east\" = { debounce_ms = 50 }");
  for (const bool bouncing : {false, true}) {
    Stand s(test::rig(bounces));
    s.make_live().move("stick.left.x", 1).run(0.2);
    if (bouncing) {
      s.tap("face.east").run(0.02);  // stowed by the first edge; ready again within the bounce
      s.move("stick.left.x", 0).release("shoulder.right").run(0.01).make_live();
    }
    s.release("face.east").tick().press("face.east").tick();
    CHECK(s.state() != State::live);
  }
}

TEST_CASE("Where two keys ask a group that lacks a switch, letting one go starts nothing") {
  // The pose of both waits behind the key that was first; y would have gone alone.
  Stand s(test::rig(two_hands + test::under("handset.pad.bind", R"("face.west" = { go = "x", to = 90 })")));
  live_with_pad(s);
  s.tap("box/face.west").press("pad/face.west").tick().press("pad/thumb.left").run(0.2).tap("box/face.west").run(0.2);
  s.release("pad/face.west").run(0.5);
  CHECK(s.command("x").p == 0);
  CHECK(s.command("y").p == 0);
}

TEST_CASE(
    "What is lost first hides nothing worse: a link of category 0 takes the power of a zone that stops for a handset") {
  Stand s(test::rig(test::jog_and_step + "[stops]\nlink_silent = 0\n"));
  s.make_live().move("stick.left.x", 1).run(0.3).links().bench(LinkId{0}).silence(true);
  s.run(0.09).unplug("pad").tick();
  CHECK(s.command("x").mode == Mode::follow);
  s.run(0.03);
  CHECK(s.command("x").mode == Mode::off);
  CHECK(std::abs(s.command("x").p) > 0);
}

TEST_CASE("An axis is taken up where it rests, not where the last report saw it on its way") {
  Stand s(test::rig(changed(test::jog_and_step, "lag_ms = 0", "lag_ms = 0\nreport_ms = 90\ndelay_ms = 0")));
  s.make_live().move("stick.left.x", 1).run(0.2).release("shoulder.right").move("stick.left.x", 0);
  while (s.state() != State::ready) s.tick();
  const double rests = s.command("x").p;
  s.press("shoulder.right").tick();
  REQUIRE(s.state() == State::live);
  CHECK(s.command("x").p == rests);
}
