// Homed as a state of an axis: until then slow, jogged and stepped only; and it says so.
#include "support/rigs.hpp"

#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <string>

using namespace gyrax;
using testing::Stand;

namespace {

const std::string homing = test::assembled(test::jog_and_step + R"(
[input.x_homed]
[input.chain]
start = "on"
[axis.y]
unit = "mm"
travel = [0, 100]
speed = 50
accel = 200
start = 0
position = "assumed"
[bind]
"trigger.left" = { follow = "y" }
)");

Rig homing_rig(const std::string& y = "") {
  return test::rig(test::changed(test::changed(homing, "increment = 0.05\n", "increment = 0.05\nhomed = \"x_homed\"\n"),
                                 "position = \"assumed\"\n", "position = \"assumed\"\n" + y));
}

std::string said(const Stand& s, Event::Kind kind) {
  std::string all;
  for (const Event& event : s.events())
    if (event.kind == kind) all += say(s.rig(), event) + "\n";
  return all;
}

double fastest(Stand& s, double seconds) {
  double most = 0;
  for (int i = 0; i < static_cast<int>(seconds * 500); ++i) most = std::max(most, std::abs(s.tick().command("x").v));
  return most;
}

}  // namespace

TEST_CASE("What is not homed is jogged and stepped, slowly, and goes nowhere; homed it goes on at full speed") {
  Stand s(homing_rig());
  s.run(0.1).make_live();
  CHECK(s.state() == State::live);
  CHECK(said(s, Event::Kind::homed) ==
        "x is not homed (x_homed is not on): it is only jogged and stepped, at 20 % of its speed\n");
  s.move("stick.left.x", 1);
  CHECK(fastest(s, 1) == doctest::Approx(10));
  s.links().set_input(InputId{0}, 1);
  CHECK(fastest(s, 0.6) == doctest::Approx(50));
  CHECK(said(s, Event::Kind::homed).find("x is homed\n") != std::string::npos);
  // Lost while it jogs: it slows down.
  s.links().set_input(InputId{0}, 0);
  s.run(0.4);
  CHECK(s.command("x").v == doctest::Approx(10));
  s.move("stick.left.x", 0).run(0.5);
  const double from = s.command("x").p;
  s.tap("hat.right").run(0.3);
  CHECK(s.command("x").p == doctest::Approx(from + 0.05));
  s.press("face.west").run(0.3);
  CHECK(s.command("x").p == doctest::Approx(from + 0.05));
  CHECK(said(s, Event::Kind::move_refused).find("x_homed is not on") != std::string::npos);
  // It has to be let go once it is homed.
  s.links().set_input(InputId{0}, 1);
  s.run(0.3);
  CHECK(s.command("x").p == doctest::Approx(from + 0.05));
  s.release("face.west").run(0.1);
  s.press("face.west").run(0.3);
  CHECK(std::abs(s.command("x").v) > 10);
  // Lost on its way: it stops, and stands.
  s.links().set_input(InputId{0}, 0);
  s.run(0.5);
  CHECK(s.command("x").v == 0);
  const double stands = s.command("x").p;
  s.links().set_input(InputId{0}, 1);
  s.run(0.5);
  CHECK(s.command("x").p == stands);
  CHECK(s.state() == State::live);
}

TEST_CASE("A followed control does not count until its axis is homed, and has to be met then; not known is not homed") {
  Stand s(homing_rig("homed = \"chain\"\n"));
  s.run(0.1).make_live();
  s.move("trigger.left", 0.5).run(1.5);
  const double follows = s.command("y").p;
  CHECK(follows > 30);
  s.links().set_input(InputId{1}, 1, false);
  s.run(0.1);
  s.move("trigger.left", 0.8).run(1);
  CHECK(s.command("y").p == follows);
  CHECK(s.why("y").blocked.what == Interlock::not_homed);
  s.links().set_input(InputId{1}, 1);
  s.run(0.5);
  CHECK(s.command("y").p == follows);
  CHECK(s.why("y").blocked.what == Interlock::not_met);
  s.move("trigger.left", 0.4).run(1);
  CHECK(s.command("y").p < follows - 4);
}

TEST_CASE("homed is a contact, of an axis with a place") {
  struct Case {
    const char* from;
    const char* to;
    const char* wrong;
  };
  for (const Case& one : {Case{"homed = \"x_homed\"", "homed = \"x_hommed\"", "there is no input 'x_hommed'"},
                          Case{"[input.x_homed]\n", "[input.x_homed]\nunit = \"V\"\n", "'x_homed' is a number of V"}}) {
    CAPTURE(one.to);
    const std::string text = test::changed(homing, "increment = 0.05\n", "increment = 0.05\nhomed = \"x_homed\"\n");
    CHECK_THROWS_WITH_AS(test::rig(test::changed(text, one.from, one.to)), doctest::Contains(one.wrong), RigError);
  }
}
