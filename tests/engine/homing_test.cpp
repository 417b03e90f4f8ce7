// Homing by Gyrax itself: an axis that only counts learns where it is; what it loses that by; and how a homing fails.
#include "support/random.hpp"
#include "support/rigs.hpp"

#include <gyrax/rig/words.hpp>
#include <gyrax/testing/limit_checker.hpp>
#include <gyrax/testing/stand.hpp>

#include <doctest/doctest.h>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <string>

using namespace gyrax;
using testing::Stand;

namespace {

/// x is measured; y counts, and nothing measures it. Both run to a switch.
const std::string homing = test::assembled(test::jog_and_step + R"(
[axis.x]
homing = { switch = "x_home", towards = "low", speed = 20, slow = 2, back_off = 3, at = -2, then = 5 }
[axis.y]
unit = "mm"
travel = [0, 60]
speed = 50
accel = 200
start = 0
position = "assumed"
homing = { switch = "y_home", towards = "high", speed = 10, slow = 1, at = 61 }
[input.x_home]
[input.y_home]
[input.x_far]
[action.home]
homes = ["x", "y"]
limit_s = 1000
[bind]
"stick.left.y" = { jog = "y" }
"thumb.left" = { action = "home" }
"face.west" = { zero = "x" }
"thumb.right" = { go = "x", to = 60 }
)");

std::string text() { return test::changed(homing, "\"face.west\" = { go = \"x\", to = 60 }\n", ""); }
Rig homing_rig(const std::string& rig = text()) { return test::rig(rig); }

InputId input(const Stand& s, const std::string& name) {
  const auto& all = s.rig().inputs;
  return id_at<InputId>(static_cast<std::size_t>(std::ranges::find(all, name, &InputInfo::name) - all.begin()));
}
/// Where the machine really is, and where it was told to be.
double off(Stand& s, const std::string& axis) {
  return std::abs(s.links().position(s.axis_id(axis)) - s.command(axis).p);
}
std::string said(const Stand& s) {
  std::string all;
  for (const Event& event : s.events())
    if (event.kind == Event::Kind::action || event.kind == Event::Kind::action_refused ||
        event.kind == Event::Kind::homed || event.kind == Event::Kind::move_refused)
      all += say(s.rig(), event) + "\n";
  return all;
}
bool says(const Stand& s, const std::string& words) { return said(s).find(words) != std::string::npos; }
std::size_t homings(const Stand& s, std::int64_t homed) {
  return static_cast<std::size_t>(std::ranges::count_if(
      s.events(), [&](const Event& e) { return e.kind == Event::Kind::homed && e.number == homed; }));
}
void home(Stand& s) {
  s.type("home");
  for (int i = 0; i < 200 && (i == 0 || s.stage("home") == ActionStage::running); ++i) s.run(0.1);
}

}  // namespace

TEST_CASE(
    "An axis that is not homed has no travel and goes nowhere; homed it is where the rig says, to the last digit") {
  Stand s(homing_rig());
  s.run(0.1).make_live();
  CHECK(says(s, "x is not homed: where it is is not known, and its travel does not hold"));
  CHECK(off(s, "x") > 30);
  // Slowly, and beyond what its travel would be if its far end counted from there.
  s.move("stick.left.x", -1).run(1);
  CHECK(s.command("x").v == doctest::Approx(-10));
  CHECK(s.command("x").p < -5);
  s.move("stick.left.x", 0).run(0.3);
  s.press("thumb.right").run(0.2).release("thumb.right").run(0.1);
  CHECK(says(s, "nobody knows where it is before it is homed"));
  CHECK(s.tap("face.west").run(0.1).count(Event::Kind::zero_refused) == 1);

  home(s);
  CHECK_MESSAGE(says(s, "home is done"), said(s));
  CHECK(says(s, "x is homed\n"));
  CHECK(s.command("x").p == 5);
  CHECK(s.command("y").p == 60);  // off its switch at 61 by what it backs off, and inside
  // As exact as a report's time at the slow speed.
  CHECK(off(s, "x") <= 2 * 0.004 + 0.002);
  CHECK(off(s, "y") <= 1 * 0.004 + 0.002);
  CHECK(s.count(Event::Kind::fault) == 0);

  // Its travel holds now, at full speed, and steps count from there.
  s.move("stick.left.x", -1).run(0.1);
  s.run(1);
  CHECK(s.command("x").p == 0);
  s.move("stick.left.x", 0).run(0.3);
  for (int i = 0; i < 20; ++i) s.tap("hat.right").run(0.05);
  s.run(0.2);
  CHECK(to_nano(s.command("x").p) == to_nano(1));
  s.press("thumb.right").run(3).release("thumb.right");
  CHECK(s.command("x").p == 60);
  CHECK(s.tap("face.west").run(0.1).count(Event::Kind::zero) == 1);

  // Again, from anywhere, and it is the same place.
  home(s);
  CHECK(homings(s, 1) == 4);
  CHECK(off(s, "x") <= 2 * 0.004 + 0.002);
}

TEST_CASE("While Gyrax homes an axis, hands do not move it; the others wait for their turn") {
  Stand s(homing_rig());
  s.run(0.1).make_live().type("home").run(0.5);
  CHECK(s.stage("home") == ActionStage::running);
  CHECK(s.command("x").v < 0);
  CHECK(s.why("x").blocked == Obstacle{.what = Interlock::action_runs, .action = s.action_id("home")});
  CHECK_FALSE(s.why("x").asked);
  CHECK(s.command("y").v == 0);
  s.move("stick.left.y", 1).run(0.3);
  CHECK(s.command("y").v == 0);
  CHECK(s.why("y").blocked.what == Interlock::action_runs);
  s.move("stick.left.y", 0);
  // Enable that is let go ends it, and nothing goes on afterwards.
  s.release("shoulder.right").run(0.5);
  CHECK(says(s, "home is stopped"));
  const double x = s.command("x").p;
  s.press("shoulder.right").run(1);
  CHECK(s.state() == State::live);
  CHECK(s.command("x").p == x);
  CHECK(homings(s, 1) == 0);
}

TEST_CASE("Axes of one group are homed one after the other, each at its own speed; ticks that come late lose nothing") {
  const std::string group = "[group.bridge]\naxes = [\"x\", \"y\"]\n";
  Stand s(homing_rig(text() + group));
  s.run(0.1).make_live().type("home");
  double fastest_x = 0, fastest_y = 0;
  for (int i = 0; i < 20'000 && (i == 0 || s.stage("home") == ActionStage::running); ++i) {
    // Every other tick three times as long: several reports come at once.
    s.tick_after(std::chrono::milliseconds(i % 2 == 0 ? 2 : 18));
    if (homings(s, 1) < 2) fastest_x = std::max(fastest_x, std::abs(s.command("x").v));
    fastest_y = std::max(fastest_y, std::abs(s.command("y").v));
  }
  CHECK_MESSAGE(says(s, "home is done"), said(s));
  CHECK(fastest_x == doctest::Approx(20));
  CHECK(fastest_y == doctest::Approx(10));
  CHECK(s.count(Event::Kind::fault) == 0);
  CHECK(off(s, "x") <= 2 * 0.02 + 0.002);
}

TEST_CASE("What makes an axis lose its place, and what does not") {
  struct Case {
    const char* what;
    std::string axis_text;
    std::function<void(Stand&)> happens;
    bool x, y;  // lose it
  };
  const auto unpowered = [](Stand& s) { s.tap("face.east").run(1); };
  for (const Case& one : {
           Case{"enable is let go", "", [](Stand& s) { s.release("shoulder.right").run(1); }, false, false},
           Case{"power goes: who is measured knows", "", unpowered, false, true},
           Case{"power goes, and a screw keeps it there", "keeps = true, ", unpowered, false, false},
           Case{"its link is silent", "keeps = true, ",
                [](Stand& s) {
                  s.links().bench(LinkId{0}).silence(true);
                  s.run(0.5);
                  s.links().bench(LinkId{0}).silence(false);
                  s.run(0.5);
                },
                true, true},
           Case{"it does not follow", "keeps = true, ",
                [](Stand& s) {
                  s.links().break_axis(s.axis_id("x"), sim::AxisFault::stuck);
                  s.move("stick.left.x", 1).run(1);
                },
                true, false},
       }) {
    CAPTURE(one.what);
    Stand s(homing_rig(test::changed(text(), "slow = 1, ", "slow = 1, " + one.axis_text)));
    s.run(0.1).make_live();
    home(s);
    REQUIRE(homings(s, 1) == 2);
    const std::size_t before = homings(s, 0);
    one.happens(s);
    CHECK(homings(s, 0) - before == (one.x ? 1 : 0) + (one.y ? 1 : 0));
  }
}

TEST_CASE("A homing that cannot go on stops, and says why") {
  struct Case {
    const char* what;
    std::function<void(Stand&)> happens;
    const char* said;
  };
  for (const Case& one : {
           Case{"its switch never comes on", [](Stand& s) { s.links().set_input(input(s, "x_home"), 0); },
                "x_home did not change within the way"},
           Case{"its switch never goes off", [](Stand& s) { s.links().set_input(input(s, "x_home"), 1); },
                "x_home did not change within the way"},
           Case{"nobody knows what its switch is", [](Stand& s) { s.links().set_input(input(s, "x_home"), 0, false); },
                "nobody knows what x_home is"},
           Case{"it runs onto another switch", [](Stand& s) { s.links().set_input(input(s, "x_far"), 1); },
                "x_far, the switch at its end, is on"},
       }) {
    CAPTURE(one.what);
    Stand s(homing_rig(test::changed(text(), "increment = 0.05\n", "increment = 0.05\nends = { low = \"x_far\" }\n")));
    s.run(0.1).make_live().type("home").run(0.5);
    CHECK(s.command("x").v != 0);
    one.happens(s);
    s.run(70);
    CHECK_MESSAGE(says(s, one.said), said(s));
    CHECK(s.stage("home") == ActionStage::idle);
    CHECK(s.command("x").v == 0);
    CHECK(homings(s, 1) == 0);
    CHECK(s.state() == State::live);
  }
}

TEST_CASE("Wherever it begins and whatever its switch: never above its limits, and right to a report's time") {
  test::Random random(18);
  for (int round = 0; round < 40; ++round) {
    CAPTURE(round);
    const bool up = random.chance(0.5);
    const double speed = random.scale(1, 50), slow = std::min(speed, random.scale(0.2, 5)), back = random.scale(0.1, 5);
    const double at = up ? random.in(95, 110) : random.in(-10, 5);
    const std::string line = fmt::format(
        "homing = {{ switch = \"x_home\", towards = \"{}\", speed = {:.4f}, slow = {:.4f}, back_off = {:.4f}, "
        "at = {:.4f}, way = 400 }}",
        up ? "high" : "low", speed, slow, back, at);
    const std::string old = text().substr(text().find("homing = {"),
                                          text().find('\n', text().find("homing = {")) - text().find("homing = {"));
    Stand s(homing_rig(test::changed(text(), old, line)));
    const AxisId x = s.axis_id("x");
    const double here = s.links().position(x);
    // Somewhere else, also on its switch or beyond it.
    const double begins = random.in(-12, 112);
    sim::Bench& bench = s.links().bench(LinkId{0});
    bench.place(0, bench.position(0) + begins - here);
    s.run(0.1).make_live();
    testing::LimitChecker limits(*AxisLimits::make(-max_position, max_position, s.rig().setup.axes[0].limits.full()));
    limits.start(s.command("x").p);
    s.type("home");
    bool was = false;
    int stops = random.whole(0, 2);
    for (int i = 0; i < 400'000; ++i) {
      s.tick();
      const bool is = homings(s, 1) > 0;
      const AxisCommand& now = s.command("x");
      if (is != was) limits.start(now.p, now.v, now.a);
      if (is == was) limits.tick(now.p, now.v, now.a, 0.002);
      was = is;
      if (s.stage("home") == ActionStage::idle && stops == 0) break;
      // Let go on the way, and once more.
      if (stops > 0 && !is && random.chance(0.001)) {
        --stops;
        s.release("shoulder.right").run(0.5).press("shoulder.right").run(0.2);
        REQUIRE(s.stage("home") == ActionStage::idle);
        limits.start(s.command("x").p);
        s.type("home");
      } else if (is) {
        stops = 0;
        if (s.command("y").v != 0) break;
      }
    }
    REQUIRE_MESSAGE(homings(s, 1) > 0, said(s));
    CHECK(limits.worst() == 0);
    CHECK(s.count(Event::Kind::fault) == 0);
    CHECK(off(s, "x") <= slow * 0.004 + 0.002);
    CHECK(s.command("x").p >= 0);
    CHECK(s.command("x").p <= 100);
  }
}

TEST_CASE(
    "Whatever is done to it: what counts as homed is where it says, inside its travel, and nothing trips by itself") {
  test::Random random(19);
  std::size_t homed_ticks = 0, done = 0;
  for (int round = 0; round < 25; ++round) {
    CAPTURE(round);
    std::string quick = test::changed(text(), "speed = 20, slow = 2", "speed = 50, slow = 5");
    quick = test::changed(quick, "speed = 10, slow = 1", "speed = 50, slow = 5");
    Stand s(homing_rig(test::changed(quick, "increment = 0.05\n", "increment = 0.05\nends = { low = \"x_home\" }\n")));
    const AxisId x = s.axis_id("x");
    s.run(0.1).make_live();
    bool cut = false, held = true, disturbed = false;
    double settled_s = 0;
    for (int i = 0; i < 20'000; ++i) {
      if (random.chance(0.002)) s.type("home");
      if (random.chance(0.002)) s.move("stick.left.x", random.chance(0.5) ? 0 : random.in(-1, 1));
      if (random.chance(0.001)) s.tap("hat.right");
      if (random.chance(0.0001)) (held ? s.release("shoulder.right") : s.press("shoulder.right")), held = !held;
      if (random.chance(0.00005)) s.tap("face.east");
      if (random.chance(0.001)) s.press("thumb.right");
      if (random.chance(0.004)) s.release("thumb.right");
      if (random.chance(cut ? 0.02 : 0.0001)) s.links().bench(LinkId{0}).silence(cut = !cut);
      // Now and then everything is put right.
      if (random.chance(0.0004)) {
        s.links().bench(LinkId{0}).silence(cut = false);
        s.move("stick.left.x", 0).release("thumb.right").release("shoulder.right").run(0.4);
        s.tap("menu.centre").run(0.3).tap("menu.right").run(0.2).press("shoulder.right").run(0.1);
        held = true;
        s.type("home");
      }
      s.tick();
      settled_s = s.command("x").v == 0 && !cut ? settled_s + 0.002 : 0;
      // Where reports were lost on the way, two of them are farther apart.
      if (!s.engine().homed(x)) {
        disturbed = cut || (disturbed && s.stage("home") == ActionStage::running);
        continue;
      }
      ++homed_ticks;
      const double apart_s = disturbed ? 0.11 : 0.006;
      if (s.command("x").p < -2.1 - 5 * apart_s || s.command("x").p > 100)
        FAIL("beyond its travel at ", s.command("x").p);
      if (settled_s > 0.1 && off(s, "x") > 5 * apart_s) FAIL("it is off by ", off(s, "x"));
    }
    for (const Event& event : s.events()) {
      done += event.kind == Event::Kind::action && event.number == static_cast<std::int64_t>(ActionStep::done) ? 1 : 0;
      if (event.kind == Event::Kind::fault) CHECK_MESSAGE(event.cause == Cause::link_silent, say(s.rig(), event));
    }
  }
  CHECK(homed_ticks > 20'000);
  CHECK(done > 5);
}

TEST_CASE("A rig that cannot be homed so is refused, and says what would be right") {
  struct Case {
    const char *from, *to, *told;
  };
  for (const Case& one : {
           Case{"switch = \"x_home\", ", "", "where the axis is home"},
           Case{"switch = \"x_home\"", "switch = \"x_hom\"", "there is no input 'x_hom'"},
           Case{"[input.x_home]\n", "[input.x_home]\nunit = \"V\"\n", "'x_home' is a number of V"},
           Case{"towards = \"low\", ", "", "the way to its switch"},
           Case{"slow = 2", "slow = 21", "in [1e-6, 20] mm/s"},
           Case{"then = 5", "then = -1", "in [0, 100] mm"},
           Case{"homes = [\"x\", \"y\"]", "homes = [\"x\"]", "nothing homes 'y'"},
           Case{"homes = [\"x\", \"y\"]", "homes = [\"x\", \"y\", \"x\"]", "'x' is homed twice"},
           Case{"homes = [\"x\", \"y\"]", "homes = [\"x\", \"y\"]\nwhen = [\"ready\"]", "needs enable held"},
           Case{"increment = 0.05\n", "increment = 0.05\nhomed = \"x_far\"\n", "'homed' or 'homing', not both"},
           Case{"[axis.y]\nunit = \"mm\"",
                "[axis.y]\nunit = \"mm\"\nservo = { ends = [0, 60], pulse_us = [900, 2100] }",
                "the pulse of a servo is its place"},
       }) {
    CAPTURE(std::string(one.to));
    try {
      homing_rig(test::changed(text(), one.from, one.to));
      FAIL("it was taken");
    } catch (const RigError& error) {
      const std::string said = error.what();
      CHECK_MESSAGE(said.find(one.told) != std::string::npos, said);
    }
  }
}
