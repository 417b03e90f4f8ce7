// A radio that repeats its last values looks like a hand that holds still: how long that is believed.
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include "support/rigs.hpp"

#include <doctest/doctest.h>

using namespace gyrax;
using testing::Stand;

namespace {

const std::string slow = "[axis.slow]\nunit = \"mm\"\ntravel = [0, 100]\nspeed = 1\naccel = 10\n";

/// jog_and_step with an axis that takes long, by the right stick; enable stays on the pad.
std::string rig_text(const std::string& of_the_pad) {
  return test::assembled(test::jog_and_step + slow + test::under("handset.pad", of_the_pad) +
                         test::bind("\"stick.right.x\" = { jog = \"slow\" }"));
}

/// Another presence: by radio.
void plug_by_radio(Stand& s) {
  const HandsetId pad = s.handset_id("pad");
  s.say({pad, ControlId::presence, 0, s.now(), s.now(), 0}).tick();
  s.say({pad, ControlId::presence, 0, s.now(), s.now(), wireless_presence}).tick();
  for (const char* key : {"menu.right", "shoulder.right", "face.east", "menu.left", "menu.centre", "face.south",
                          "face.north", "face.west", "hat.left", "hat.right", "hat.up", "hat.down", "shoulder.left"})
    s.release(key);
  for (const char* half : {"stick.left.x", "stick.left.y", "stick.right.x", "stick.right.y"}) s.move(half, 0);
  s.tick();
}

double moved_for(Stand& s, double most_s) {
  const Time from = s.now();
  while (s.state() == State::live && s.now() - from < from_seconds(most_s)) s.tick();
  return to_seconds(s.now() - from);
}

}  // namespace

TEST_CASE("By radio a hand that never changes is believed for 10 s, after a warning; by cable for ever") {
  for (const bool radio : {false, true}) {
    CAPTURE(radio);
    Stand s(test::rig(rig_text("")));
    if (radio) plug_by_radio(s);
    s.make_live().move("stick.right.x", 0.8).tick();
    const double s_moved = moved_for(s, 30);
    CHECK(s_moved == doctest::Approx(radio ? 10.0 : 30.0).epsilon(0.01));
    if (!radio) continue;
    CHECK(s.engine().permit(ZoneId{0}).cause() == Cause::handset_steady);
    CHECK(s.engine().permit(ZoneId{0}).category() == Category::one);
    CHECK(s.count(Event::Kind::steady) == 1);
    for (const Event& e : s.events())
      if (e.kind == Event::Kind::steady) {
        CHECK(to_seconds(s.now() - e.at) == doctest::Approx(2.0).epsilon(0.02));
        CHECK(say(s.rig(), e) == "nothing on pad has changed for long: main stops in 2 s; move anything on pad");
      }
    // The radio is back, the enable still held: nothing moves until it is let go and pressed anew with all at neutral.
    s.run(1);
    CHECK(s.state() == State::ready);
    s.move("stick.right.x", 0).run(0.2);
    CHECK(s.state() == State::ready);
    s.release("shoulder.right").tick().press("shoulder.right").tick();
    CHECK(s.state() == State::live);
  }
}

TEST_CASE("Any change of anything on it counts, also of a control that the rig does not use") {
  for (const char* control : {"stick.right.x", "face.south"}) {
    Stand s(test::rig(rig_text("max_steady_s = 2.5")));
    s.make_live().move("stick.right.x", 0.8).tick();
    for (int i = 0; i < 10; ++i) {
      s.run(2);
      if (control == std::string("face.south"))
        i % 2 == 0 ? s.press(control) : s.release(control);
      else
        s.move(control, i % 2 == 0 ? 0.801 : 0.8);
      s.tick();
      REQUIRE(s.state() == State::live);
    }
  }
  Stand s(test::rig(rig_text("max_steady_s = 2.5")));
  s.make_live().move("stick.right.x", 0.8).tick();
  for (int i = 0; i < 10; ++i) {
    s.run(2).say({s.handset_id("pad"), ControlId{60}, 0, s.now(), s.now(), i}).tick();
    REQUIRE(s.state() == State::live);
  }
}

TEST_CASE("The same value told again and again is no change") {
  Stand s(test::rig(rig_text("max_steady_s = 2.5")));
  s.make_live().move("stick.right.x", 0.8).tick();
  const Time from = s.now();
  while (s.state() == State::live && s.now() - from < from_seconds(9)) s.move("stick.right.x", 0.8).tick();
  CHECK(to_seconds(s.now() - from) == doctest::Approx(2.5).epsilon(0.01));
}

TEST_CASE("Only motion counts: held at rest for a minute, and then pushed, it moves; and 0 turns it off") {
  Stand s(test::rig(rig_text("max_steady_s = 3")));
  s.make_live().run(60);
  CHECK(s.state() == State::live);
  s.move("stick.right.x", 0.8).tick();
  CHECK(moved_for(s, 10) == doctest::Approx(3.0).epsilon(0.01));
  Stand off(test::rig(rig_text("max_steady_s = 0")));
  plug_by_radio(off);
  off.make_live().move("stick.right.x", 0.8).tick();
  CHECK(moved_for(off, 30) == doctest::Approx(30.0).epsilon(0.01));
}

TEST_CASE("A second handset that does nothing is not asked; the one that enables is") {
  std::string permits = test::one_axis;
  permits.replace(permits.find("[bind]"), 6, "[handset.pad.bind]");
  const std::string two = test::assembled(permits + slow + R"([handset.pedal]
max_steady_s = 2.5
[handset.idle]
max_steady_s = 2.5
[station.all]
handsets = ["pad", "pedal", "idle"]
[handset.pad.bind]
"stick.right.x" = { jog = "slow" }
[handset.pedal.bind]
"trigger.right" = "enable"
"face.east" = "stop"
[handset.idle.bind]
"stick.left.x" = { jog = "x" }
"face.east" = "stop"
)");
  for (const bool by_pedal : {true, false}) {
    CAPTURE(by_pedal);
    Stand s(test::rig(two));
    s.tap("pad/menu.right").tick();
    if (by_pedal) s.move("pedal/trigger.right", 1).tick();
    if (!by_pedal) s.press("pad/shoulder.right").tick();
    REQUIRE(s.state() == State::live);
    s.move("pad/stick.right.x", 0.8).tick();
    const double moved = moved_for(s, 20);
    CHECK(moved == doctest::Approx(by_pedal ? 2.5 : 20.0).epsilon(0.01));
  }
}
