// Inputs by name: what an axis needs, and the switches at its ends. What is not known is not good.
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include "support/random.hpp"
#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <vector>

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
    CHECK(s.count(Event::Kind::step_refused) == 1);
    CHECK(s.count(Event::Kind::dropped) == 0);
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

TEST_CASE("A zone trips of the input that it stands on, says which, and is reset once that is good again") {
  constexpr InputId chain{0}, load{1}, air{2};
  const std::string text =
      "gyrax = 1\n" + test::jog_and_step.substr(test::jog_and_step.find('\n') + 1) +
      test::under("input.chain", "start = \"on\"") +
      test::under("input.load", "unit = \"%\"\ntrips = { above = 80, hysteresis = 5, for_ms = 100 }") +
      test::under("input.air", "unit = \"bar\"\nstart = 6\ntrips = { below = 4 }") +
      test::under("zone.bench", "needs = [\"chain\"]");
  struct Case {
    InputId input;
    double bad;
    bool known;
    double nearly, good;  // nearly: it has not come back; the same as bad where there is no such thing
    Cause cause;
    Interlock lack;
    const char* words;
  };
  for (const Case& one :
       {Case{chain, 0, true, 0, 1, Cause::input_off, Interlock::input_off, "fault in bench: chain is off"},
        Case{chain, 1, false, 0, 1, Cause::input_unknown, Interlock::input_unknown,
             "fault in bench: nobody knows what chain is"},
        Case{load, 93, true, 79, 75, Cause::input_beyond, Interlock::input_too_high,
             "fault in bench: load is above 80 %: 93 %"},
        Case{air, 3.5, true, 3.9, 4, Cause::input_beyond, Interlock::input_too_low,
             "fault in bench: air is below 4 bar: 3.5 bar"},
        Case{air, 6, false, 3, 6, Cause::input_unknown, Interlock::input_unknown,
             "fault in bench: nobody knows what air is"}}) {
    CAPTURE(one.words);
    Stand s(test::rig(text));
    s.make_live();
    s.move("stick.left.x", 0.5).run(0.5);
    REQUIRE(s.command("x").v > 0);
    s.links().set_input(one.input, one.bad, one.known);
    s.run(0.06);
    CHECK((s.state() == State::live) == (one.input == load));  // for_ms
    s.run(1);
    CHECK(s.state() == State::tripped);
    CHECK(s.why("x").cause == one.cause);
    CHECK(s.command("x").mode == Mode::off);
    CHECK(s.why("x").before.what == one.lack);
    CHECK(s.why("x").before.input == one.input);
    const auto fault = std::ranges::find(s.events(), Event::Kind::fault, &Event::kind);
    REQUIRE(fault != s.events().end());
    CHECK(say(s.rig(), *fault) == one.words);
    s.release("shoulder.right").move("stick.left.x", 0).run(0.1);
    for (const double value : {one.bad, one.nearly}) {
      s.links().set_input(one.input, value, one.known || value != one.bad);
      s.run(0.05).tap("menu.centre").run(0.1);
      CHECK(s.state() == State::tripped);
    }
    s.links().set_input(one.input, one.good);
    s.run(0.05).tap("menu.centre").run(0.1);
    CHECK(s.state() == State::stowed);
    // Nor does it get ready, or live, without it.
    s.links().set_input(one.input, one.bad, one.known);
    s.run(0.6).make_ready();
    CHECK(s.state() == State::stowed);
    CHECK(s.events().back().obstacle.input == one.input);
  }
}

TEST_CASE(
    "A number trips the zones that it names, and all of them where it names none; also that of a rig without zones") {
  const std::string text = "gyrax = 1\n" + test::jog_and_step.substr(test::jog_and_step.find('\n') + 1);
  const std::string load = test::under("input.load", "unit = \"%\"\ntrips = { above = 80 }");
  CHECK(test::rig(text + load).setup.zones.at(0).bounded == std::vector{InputId{0}});
  const std::string two = text + test::under("zone.a", "") + test::under("zone.b", "") +
                          test::under("axis.x", "zone = \"a\"") + test::under("switch.lamp", "zone = \"a\"");
  const Rig all = test::rig(two + load);
  for (const ZoneSetup& zone : all.setup.zones) CHECK(zone.bounded == std::vector{InputId{0}});
  const Rig one = test::rig(two + test::under("input.load", "unit = \"%\"\ntrips = { above = 80, zones = [\"b\"] }"));
  CHECK(one.setup.zones.at(0).bounded.empty());
  CHECK(one.setup.zones.at(1).bounded == std::vector{InputId{0}});
}

TEST_CASE("Beyond its bounds from the first number past one until it has come back: as a plain model has it") {
  test::Random random(11);
  for (int round = 0; round < 200; ++round) {
    const double least = random.in(-50, 0), most = random.in(1, 50);
    const double hysteresis = random.in(0, most - least) * 0.9;
    const Span grace = std::chrono::milliseconds(static_cast<int>(random.in(0, 50)));
    InputWatch watch({least, most, hysteresis, grace});
    double value = 0;
    Beyond model = Beyond::no;
    Time since{};
    for (int ms = 1; ms < 300; ++ms) {
      const Time now{std::chrono::milliseconds(ms)};
      value += random.in(-20, 20);
      watch.see(value, now);
      const Beyond before = model;
      if (model == Beyond::high && value <= most - hysteresis) model = Beyond::no;
      if (model == Beyond::low && value >= least + hysteresis) model = Beyond::no;
      if (value > most) model = Beyond::high;
      if (value < least) model = Beyond::low;
      if (model != before) since = now;
      CHECK(watch.beyond() == model);
      CHECK(watch.is_too_long_beyond(now) == (model != Beyond::no && now - since >= grace));
    }
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
        Case{"[input.a]\nunit = \"N' quote\"\n", "cannot be a unit"},
        Case{"[input.a]\nrange = [0, 1]\n", "only a number has a range"},
        Case{"[input.a]\ntrips = { above = 1 }\n", "a contact is neither above nor below"},
        Case{"[input.a]\nunit = \"N\"\ntrips = { for_ms = 1 }\n", "'above' is missing"},
        Case{"[input.a]\nunit = \"N\"\ntrips = { above = 1, below = 2 }\n", "is not above 2"},
        Case{"[input.a]\nunit = \"N\"\ntrips = { above = 2, below = 1, hysteresis = 1 }\n", "never come back"},
        Case{"[input.a]\nunit = \"N\"\ntrips = { above = 2, zones = [\"shelf\"] }\n", "shelf"},
        Case{"[zone.a]\nneeds = [\"door\"]\n", "no input 'door'"}, Case{"[input.a]\nvalue = 3\n", "no such key"}}) {
    CAPTURE(one.text);
    try {
      test::rig(test::one_axis + one.text);
      FAIL_CHECK("it passes");
    } catch (const RigError& error) {
      CHECK(std::string(error.what()).find(one.wrong) != std::string::npos);
    }
  }
}
