// Everything hands can do through a whole engine: layers, notches, gestures, several handsets, switches, motors.
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include "support/random.hpp"
#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <algorithm>

using namespace gyrax;
using testing::Stand;

namespace {

/// A carriage with an override of its own, a rotary axis, a pump's motor that needs its valve, and two handsets.
const std::string bench = R"(gyrax = 1
[link.bench]
kind = "simulated"
[override]
notches = [10, 50, 100]
start = 50
)" + test::axis("x", R"(increments = [0.01, 0.1, 1]
increment = 0.1
)") + test::axis("y", R"(increments = [0.1, 1]
)") + R"([axis.turn]
unit = "deg"
travel = [-180, 180]
speed = 90
accel = 300
increments = [0.5]
[group.carriage]
axes = ["x", "y"]
[group.carriage.override]
notches = [5, 25, 100]
start = 100
[axis.pump]
unit = "%"
accel = 200
decel = 400
jerk = { accel = 2000, decel = 8000 }
motor = { dead_band = 10, rest_ms = 100 }
needs = ["valve"]
[switch.valve]
becomes = { otherwise = "keep", handset_gone = "off" }
[switch.horn]
[handset.pad]
[handset.pad.virtual]
"lever" = { difference = ["trigger.right", "trigger.left"] }
[handset.keypad]
device = { id = "1209:0002" }
)";

std::string permits(const std::string& handset, const char* ready, const char* enable, const char* stop,
                    const char* reset) {
  std::string lines;
  const auto add = [&](const char* control, const char* word) {
    lines += std::string("\"") + control + "\" = \"" + word + "\"\n";
  };
  add(ready, "ready");
  add(enable, "enable");
  add(stop, "stop");
  add(reset, "reset");
  return test::under("handset." + handset + ".bind", lines);
}

const std::string both = bench + permits("pad", "menu.right", "shoulder.right", "face.east", "menu.centre") +
                         permits("keypad", "key.kp_enter", "key.kp0", "key.kp_point", "key.kp_minus") +
                         R"([handset.pad.bind]
"stick.left.x" = { jog = "x" }
"thumb.left" = { layer = "rotary" }
"hat.right" = { step = "x", repeat = [[0.4, 5], [1, 20]] }
"hat.up" = { override = "up" }
"hat.down" = { override = "carriage", to = "down" }
"hat.left" = { increment = "carriage", to = 1 }
"dial.1" = { adjust = "chosen" }
"thumb.right" = { choose = ["override", "increment.x"] }
"face.south".hold = { set = "valve", hold_s = 0.5 }
"face.north" = { set = "horn", to = "momentary" }
"lever" = { jog = "pump" }
[handset.pad.in.rotary]
"stick.left.x" = { jog = "turn" }
[handset.keypad.bind]
"key.kp6" = { jog = "x" }
"stick.right.x" = { jog = "y" }
"dial.2" = { handwheel = "y" }
)";

Stand stand() { return Stand(test::rig(both)); }

void live(Stand& s) {
  s.tap("pad/menu.right").press("pad/shoulder.right").tick();
  REQUIRE(s.state() == State::live);
}

std::string last(const Stand& s, Event::Kind kind) {
  for (auto e = s.events().rbegin(); e != s.events().rend(); ++e)
    if (e->kind == kind) return say(s.rig(), *e);
  return {};
}

}  // namespace

TEST_CASE("A latched layer: the stick takes the rotary axis, from neutral only, and nothing jumps") {
  Stand s = stand();
  live(s);
  s.move("pad/stick.left.x", 1).run(0.5);
  CHECK(s.command("x").v > 10);
  s.tap("pad/thumb.left").run(1);
  CHECK(last(s, Event::Kind::layer) == "layer rotary is now on");
  CHECK(s.command("x").v == 0);
  CHECK(s.command("turn").p == 0);
  CHECK(s.why("turn").blocked.what == Interlock::not_neutral);
  s.move("pad/stick.left.x", 0).tick().move("pad/stick.left.x", 1).run(0.5);
  CHECK(s.command("turn").v == doctest::Approx(45));  // half of 90: the shared override
  CHECK(s.command("x").v == 0);
}

TEST_CASE("Overrides and increments by group: up, down, picked; each with where it was set") {
  Stand s = stand();
  live(s);
  // Told when it was made ready: both.
  CHECK(last(s, Event::Kind::override) == "override.carriage is 100 % (rig.toml:30)");
  CHECK(std::ranges::any_of(s.events(), [&](const Event& e) {
    return e.kind == Event::Kind::override && say(s.rig(), e) == "override is 50 % (rig.toml:6)";
  }));
  s.tap("pad/hat.down");
  CHECK(last(s, Event::Kind::override) == "override.carriage is 25 % (rig.toml:30)");
  s.move("pad/stick.left.x", 1).run(1);
  CHECK(s.command("x").v == doctest::Approx(12.5));
  s.move("pad/stick.left.x", 0).run(0.5).tap("pad/hat.up");
  CHECK(last(s, Event::Kind::override) == "override is 100 % (rig.toml:6)");
  s.tap("pad/hat.left");
  CHECK(last(s, Event::Kind::increment) == "increment.carriage is 1 mm for x");
  const double before = s.command("x").p;
  s.tap("pad/hat.right").run(1);
  CHECK(to_nano(s.command("x").p) == to_nano(before) + 1'000'000'000);  // from where the jog came to rest, exactly
}

TEST_CASE("One dial adjusts the number that is chosen") {
  Stand s = stand();
  live(s);
  s.turn("pad/dial.1", -1).tick();
  CHECK(last(s, Event::Kind::override) == "override is 10 % (rig.toml:6)");
  s.tap("pad/thumb.right");
  CHECK(last(s, Event::Kind::chosen) == "the dial adjusts increment.x now");
  s.turn("pad/dial.1", 5).tick();
  CHECK(last(s, Event::Kind::increment) == "increment.x is 1 mm for x");
  const auto told = s.count(Event::Kind::increment);
  s.turn("pad/dial.1", 5).tick();
  CHECK(s.count(Event::Kind::increment) == told);  // at its end nothing changes, and nothing is told
}

TEST_CASE("A held step repeats, faster later, by its own stages, and a refused one ends its repetition") {
  Stand s = stand();
  live(s);
  s.press("pad/hat.right").run(2);
  s.release("pad/hat.right").run(1);
  // At 0; from 0.4 s on every 0.2 s: 0.4, 0.6, 0.8, 1.0; from 1 s on every 0.05 s: 19 more up to 1.95, and one at 2.0.
  CHECK(s.count(Event::Kind::step) == 25);
  CHECK(to_nano(s.command("x").p) == 25 * 100'000'000LL);
  s.release("pad/shoulder.right").run(0.5);
  s.press("pad/hat.right").run(2);
  CHECK(s.count(Event::Kind::step_refused) == 1);
}

TEST_CASE("Switches: after a long hold, and while held; off again when their handset is lost") {
  Stand s = stand();
  live(s);
  s.press("pad/face.south").run(0.4).release("pad/face.south").run(0.5);
  CHECK_FALSE(s.switched_on("valve"));
  s.press("pad/face.south").run(0.6).release("pad/face.south").run(0.5);
  CHECK(s.switched_on("valve"));
  s.press("pad/face.north").tick(2);
  CHECK(s.switched_on("horn"));
  s.release("pad/face.north").tick(2);
  CHECK_FALSE(s.switched_on("horn"));
  s.press("pad/face.north").tick(2).unplug("pad").run(0.5);
  CHECK(s.state() == State::tripped);
  CHECK_FALSE(s.switched_on("horn"));
  CHECK_FALSE(s.switched_on("valve"));  // handset_gone = "off", although everything else keeps it
}

TEST_CASE(
    "A link that falls silent: the engine's switches and those at the far end become what the rig says, each by "
    "itself") {
  Stand s(test::rig(both + "[switch.fan]\nbecomes = { link_silent = \"on\" }\n[switch.belt_lamp]\nstart = \"on\"\n"
                           "becomes = \"keep\"\n"));
  live(s);
  const SwitchId fan{2}, lamp{3};
  CHECK_FALSE(s.links().switched_on(fan));
  CHECK(s.links().switched_on(lamp));
  s.links().bench(LinkId{0}).silence(true);
  s.run(0.06);  // the last frame has run out; the engine still waits for a heartbeat
  CHECK(s.state() == State::live);
  CHECK(s.links().switched_on(fan));
  CHECK(s.links().switched_on(lamp));
  s.run(0.3);
  CHECK(s.state() == State::tripped);
  CHECK(s.switched_on("fan"));
  CHECK(s.switched_on("belt_lamp"));
}

TEST_CASE("A motor: refused while what it needs is off, past its dead band, and through rest when it turns round") {
  Stand s = stand();
  live(s);
  s.move("pad/trigger.right", 1).run(0.3);
  CHECK(s.command("pump").v == 0);
  CHECK(last(s, Event::Kind::move_refused) ==
        "pad lever did not move pump: valve is off, and it must be on for this; let the control go, turn valve "
        "on, then use it "
        "again");
  CHECK(s.count(Event::Kind::move_refused) == 1);
  s.press("pad/face.south").run(0.6).release("pad/face.south").run(0.2);
  CHECK(s.command("pump").v == 0);  // it came on under a lever that was held: let go first
  CHECK(s.why("pump").blocked.what == Interlock::not_neutral);
  s.move("pad/trigger.right", 0).tick().move("pad/trigger.right", 1).run(2);
  CHECK(s.command("pump").v == doctest::Approx(50));  // the shared override
  CHECK(s.frames()[0].axes[3].position == 550'000);   // 10 % and half of the rest
  s.move("pad/trigger.left", 1).move("pad/trigger.right", 0);
  double rested_s = 0;
  bool turned = false;
  for (int i = 0; i < 1000; ++i) {
    const double before = s.command("pump").v;
    s.tick();
    REQUIRE(before * s.command("pump").v >= 0);
    if (s.command("pump").v == 0 && !turned) rested_s += to_seconds(s.rig().period);
    turned = turned || s.command("pump").v < 0;
  }
  CHECK(rested_s >= 0.1);
  CHECK(rested_s < 0.11);
  CHECK(s.command("pump").v == doctest::Approx(-50));
  s.press("pad/face.south").run(0.6);  // the valve goes off under it
  s.run(0.6);
  CHECK(s.command("pump").v == 0);
  CHECK(s.why("pump").blocked.what == Interlock::switch_off);
}

TEST_CASE("One handset is in charge: another says so, takes over at rest by its own ready, and stops always") {
  Stand s = stand();
  live(s);
  CHECK(last(s, Event::Kind::in_charge) == "pad is in charge of main");
  s.press("keypad/key.kp6").run(0.2);
  CHECK(s.command("x").v == 0);
  CHECK(last(s, Event::Kind::move_refused) ==
        "keypad key.kp6 did not move x: pad is in charge; let pad come to rest, then take over with pad menu.right "
        "or keypad key.kp_enter");
  // A deflection and counts do as little, and say so once.
  const auto told = s.count(Event::Kind::move_refused);
  s.move("keypad/stick.right.x", 1).run(0.3).turn("keypad/dial.2", 5).run(0.3);
  CHECK(s.command("y").p == 0);
  CHECK(s.count(Event::Kind::move_refused) == told + 2);
  s.move("keypad/stick.right.x", 0).tick();
  s.tap("keypad/key.kp_enter").tick();
  CHECK(last(s, Event::Kind::refused).starts_with("ready was refused: pad is in charge"));
  CHECK(s.state() == State::live);
  s.release("pad/shoulder.right").run(0.2);
  s.tap("keypad/key.kp_enter").tick();
  CHECK(last(s, Event::Kind::refused).starts_with("ready was refused: keypad key.kp6 is not at neutral"));
  s.release("keypad/key.kp6").tick().tap("keypad/key.kp_enter").tick();
  CHECK(last(s, Event::Kind::in_charge) == "keypad is in charge of main");
  s.press("pad/shoulder.right").tick();
  CHECK(s.state() == State::ready);
  CHECK(last(s, Event::Kind::refused).starts_with("enable was refused: keypad is in charge"));
  s.press("keypad/key.kp0").tick().press("keypad/key.kp6").run(0.5);
  CHECK(s.command("x").v > 10);
  s.press("pad/face.east").run(1);
  CHECK(s.state() == State::stowed);
  CHECK(s.command("x").v == 0);
}

TEST_CASE("Whoever was there when it was made ready is counted on: people reach for its stop") {
  Stand s = stand();
  live(s);
  s.unplug("keypad").run(0.5);
  CHECK(s.state() == State::tripped);
  Stand alone = stand();
  alone.unplug("keypad").tick();
  live(alone);
  alone.run(0.1);
  CHECK(alone.state() == State::live);  // who was not there is not missed
  alone.plug("keypad").run(0.1).unplug("keypad").run(0.5);
  CHECK(alone.state() == State::tripped);  // who came later may be reached for, too
}

TEST_CASE("No request stays behind after any sequence of layers, unplugs, gaps and stops") {
  test::Random random;
  const char* keys[] = {"pad/thumb.left",     "pad/hat.right",       "pad/face.south",  "pad/face.north",
                        "pad/shoulder.right", "pad/menu.right",      "pad/menu.centre", "keypad/key.kp6",
                        "keypad/key.kp0",     "keypad/key.kp_enter", "pad/hat.left",    "pad/thumb.right",
                        "pad/face.east",      "keypad/key.kp_point"};
  const char* sticks[] = {"pad/stick.left.x", "pad/trigger.left", "pad/trigger.right"};
  for (int round = 0; round < 60; ++round) {
    Stand s = stand();
    for (int i = 0; i < 120; ++i) {
      const double what = random.in(0, 1);
      if (what < 0.05) {
        s.unplug("pad").tick().plug("pad");
      } else if (what < 0.08) {
        s.lose("pad", 2);
      } else if (what < 0.4) {
        s.move(sticks[static_cast<std::size_t>(random.in(0, 3))], random.in(0, 1) < 0.4 ? 0 : random.in(0, 1));
      } else {
        const char* key = keys[static_cast<std::size_t>(random.in(0, 14))];
        random.in(0, 1) < 0.5 ? s.press(key) : s.release(key);
      }
      s.tick(static_cast<std::size_t>(random.in(1, 60)));
    }
    // Everything is let go, by whatever way it was held.
    for (const char* key : keys) s.release(key);
    for (const char* stick : sticks) s.move(stick, 0);
    s.run(3);
    for (const Request& request : s.engine().requests()) REQUIRE_FALSE(request.asked());
    for (const AxisInfo& axis : s.rig().axes) REQUIRE(s.command(axis.name).v == 0);
    REQUIRE_FALSE(s.switched_on("horn"));
    REQUIRE(s.state() != State::live);
  }
}

TEST_CASE("A three-position enable: squeezed it stops, let back from there it does not move again") {
  std::string rig = test::jog_and_step;
  const std::string held = R"("shoulder.right" = "enable")";
  rig.replace(rig.find(held), held.size(), R"("trigger.right" = { enable = "all", squeeze = 80 })");
  Stand s(test::rig(rig));
  s.move("pad/trigger.right", 0).tap("pad/menu.right").move("pad/trigger.right", 0.6).tick();
  REQUIRE(s.state() == State::live);
  s.move("pad/stick.left.x", 1).run(0.5);
  CHECK(s.command("x").v == doctest::Approx(50));
  s.move("pad/trigger.right", 1).tick();
  CHECK(s.state() == State::stopping);
  CHECK(s.why("x").cause == Cause::enable_squeezed);
  s.run(0.5);
  CHECK(s.state() == State::ready);
  const double rests_at = s.command("x").p;
  s.move("pad/stick.left.x", 0).move("pad/trigger.right", 0.6).move("pad/stick.left.x", 1).run(0.5);
  CHECK(s.state() == State::ready);
  CHECK(s.command("x").p == rests_at);
  s.move("pad/stick.left.x", 0).move("pad/trigger.right", 0).move("pad/trigger.right", 0.6).tick();
  CHECK(s.state() == State::live);
}

TEST_CASE(
    "Keys together are one gesture: in either order within their time, and none of them does what it does alone") {
  // Alone the left key turns the valve, the right one blows the horn; together, 80 ms apart at most, they step x.
  const std::string rig = bench + permits("pad", "menu.right", "shoulder.right", "face.east", "menu.centre") +
                          test::under(R"(handset.pad.bind)", R"("face.south" = { set = "valve" })") +
                          test::under(R"(handset.pad.bind)", R"("face.west" = { set = "horn" })") +
                          test::under(R"(handset.pad.bind)", R"("face.south + face.west" = { step = "x" })");
  const struct {
    const char *first, *second;
    double apart_s;
    bool together;
  } cases[] = {{"pad/face.south", "pad/face.west", 0.02, true},
               {"pad/face.west", "pad/face.south", 0.06, true},
               {"pad/face.south", "pad/face.west", 0.12, false},
               {"pad/face.west", "pad/face.south", 0.2, false}};
  for (const auto& c : cases) {
    CAPTURE(c.apart_s);
    Stand s(test::rig(rig));
    live(s);
    for (int again = 1; again <= 2; ++again) {
      s.press(c.first).run(c.apart_s).press(c.second).run(0.3).release(c.first).run(0.05).release(c.second).run(0.5);
      const bool once = again % 2 == 1;
      CHECK(to_nano(s.command("x").p) == (c.together ? again * 100'000'000 : 0));  // increments of 0.1 mm
      CHECK(s.switched_on("valve") == (once && !c.together));
      CHECK(s.switched_on("horn") == (once && !c.together));
    }
  }
}

TEST_CASE("What lasts while keys are held together ends with the first that is let go") {
  const std::string rig = bench + permits("pad", "menu.right", "shoulder.right", "face.east", "menu.centre") +
                          test::under(R"(handset.pad.bind)",
                                      R"("face.south + face.west + face.north" = { set = "horn", to = "momentary" })");
  for (const char* let_go : {"pad/face.south", "pad/face.west", "pad/face.north"}) {
    CAPTURE(let_go);
    Stand s(test::rig(rig));
    live(s);
    s.press("pad/face.north").press("pad/face.south").run(0.2);
    CHECK_FALSE(s.switched_on("horn"));
    s.release("pad/face.north").release("pad/face.south").run(0.2);
    s.press("pad/face.north").press("pad/face.south").run(0.02).press("pad/face.west").run(0.2);
    CHECK(s.switched_on("horn"));
    s.release(let_go).run(0.05);
    CHECK_FALSE(s.switched_on("horn"));
  }
}
