// Inputs by name: what an axis needs, and the switches at its ends. What is not known is not good.
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include "support/rigs.hpp"

#include <doctest/doctest.h>

using namespace gyrax;
using testing::Stand;

namespace {

Stand stand() {
  return Stand(test::rig("gyrax = 1\n" + test::jog_and_step.substr(test::jog_and_step.find('\n') + 1) +
                         test::under("input.door", "start = \"on\"") + test::under("input.low", "") +
                         test::under("input.high", "") +
                         test::under("axis.x", "needs = [\"door\"]\nends = { low = \"low\", high = \"high\" }")));
}

constexpr InputId door{0}, high{2};

void let_go_and_push(Stand& s, double share) {
  s.move("stick.left.x", 0).run(0.3).move("stick.left.x", share).run(0.3);
}

}  // namespace

TEST_CASE("An axis moves only while what it needs is on and known; it says which input, and goes on after a new push") {
  Stand s = stand();
  s.make_live();
  s.move("stick.left.x", 0.5).run(0.5);
  REQUIRE(s.command("x").v > 0);
  s.links().set_input(door, 0);
  s.run(0.05);
  CHECK(s.why("x").blocked.input == (s.command("x").v == 0 ? door : no<InputId>));
  s.run(0.5);
  CHECK(s.command("x").v == 0);
  CHECK(s.state() == State::live);
  CHECK(s.why("x").blocked.what == Interlock::input_off);
  CHECK(say(s.rig(), s.why("x").blocked) == "door is off");
  CHECK(s.count(Event::Kind::move_refused) == 1);
  s.links().set_input(door, 1);
  s.run(0.5);
  CHECK(s.command("x").v == 0);  // what was held has to be let go
  let_go_and_push(s, 0.5);
  CHECK(s.command("x").v > 0);
  s.links().set_input(door, 1, false);
  s.run(0.5);
  CHECK(s.command("x").v == 0);
  CHECK(s.why("x").blocked.what == Interlock::input_unknown);
  CHECK(say(s.rig(), s.why("x").blocked) == "nobody knows what door is");
  // Steps are refused, too.
  s.move("stick.left.x", 0).run(0.3).tap("hat.right").run(0.2);
  CHECK(s.command("x").v == 0);
  CHECK(s.count(Event::Kind::step_refused) == 1);
}

TEST_CASE(
    "On the switch at its end an axis only moves off, by push, step and goal; an unknown one is like one that is on") {
  for (const bool known : {true, false}) {
    CAPTURE(known);
    Stand s = stand();
    s.links().bench(LinkId{0}).place(0, 50);
    s.run(0.05).make_live();
    s.move("stick.left.x", 1).run(0.4);
    REQUIRE(s.command("x").v == 50);
    s.links().set_input(high, known ? 1 : 0, known);
    s.run(0.3);
    CHECK(s.command("x").v == 0);
    const double stopped = s.command("x").p;
    CHECK(s.why("x").blocked.what == (known ? Interlock::end_switch : Interlock::input_unknown));
    CHECK(s.why("x").blocked.input == high);
    // Within a report, a tick and its braking: 50 mm/s are braked in 135 ms.
    CHECK(stopped < 50 + 50 * 0.4 + 8);
    let_go_and_push(s, 1);
    CHECK(s.command("x").p == stopped);
    s.move("stick.left.x", 0).run(0.2).tap("hat.right").run(0.2);
    CHECK(s.command("x").p == doctest::Approx(stopped));
    s.tap("hat.left").run(0.3);
    CHECK(s.command("x").p < stopped);
    let_go_and_push(s, -0.5);
    CHECK(s.command("x").v < 0);
    CHECK(s.state() == State::live);
    // Off the switch it goes both ways again.
    s.links().set_input(high, 0);
    let_go_and_push(s, 0.5);
    CHECK(s.command("x").v > 0);
  }
}

TEST_CASE("What is wrong with inputs is told") {
  struct Case {
    const char* text;
    const char* wrong;
  };
  for (const Case& one :
       {Case{"[input.a]\nchannel = 3\n", "has no channels"},
        Case{"[input.a]\ncounts = [1, 2]\n", "of an input with a unit"},
        Case{"[input.a]\nunit = \"N\"\ninverted = true\n", "only a contact is on or off"},
        Case{"[input.a]\nstart = \"open\"\n", "is not a choice"},
        Case{"[input.a]\nunit = \"N\"\n[axis.x]\nends = { low = \"a\" }\n", "a contact"},
        Case{"[axis.x]\nends = { low = \"b\" }\n", "input"}, Case{"[axis.x]\nends = {}\n", "'low' is missing"},
        Case{"[input.a]\n[switch.a]\n[axis.x]\nneeds = [\"a\"]\n", "is a switch and an input"},
        Case{"[input.a]\nvalue = 3\n", "no such key"}}) {
    CAPTURE(one.text);
    try {
      test::rig(test::one_axis + one.text);
      FAIL_CHECK("it passes");
    } catch (const RigError& error) {
      CHECK(std::string(error.what()).find(one.wrong) != std::string::npos);
    }
  }
}
