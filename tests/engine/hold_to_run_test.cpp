// Handsets with few keys: a zone that is hold to run, and one key that goes back and forth between stowed and ready.
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include "support/rigs.hpp"

#include <doctest/doctest.h>

using namespace gyrax;
using testing::Stand;

namespace {

/// Two axes on a stick, one of them on two keys as well, and nothing that enables.
const std::string few_keys =
    "gyrax = 1\n"
    "[zone.main]\nhold_to_run = true\n" +
    test::axis("x") + test::axis("y") + R"(
[pose.corner]
x = 40
[bind]
"menu.right" = "ready_or_stow"
"face.east" = "stop"
"stick.left" = { jog = ["x", "y"] }
"hat.x" = { jog = "x" }
"face.south" = { go = "y", to = 30 }
"face.north" = { pose = "corner" }
)";

struct Ready : Stand {
  explicit Ready(const std::string& text = few_keys) : Stand(test::rig(text)) {
    run(0.6).tap("menu.right");
    REQUIRE(state() == State::ready);
  }
};

std::vector<std::string> told(const Stand& s, Event::Kind kind) {
  std::vector<std::string> all;
  for (const Event& e : s.events())
    if (e.kind == kind) all.push_back(say(s.rig(), e));
  return all;
}

}  // namespace

TEST_CASE("Held to run: what moves it is live only while it is held, by key, stick, go and pose") {
  struct Case {
    const char* control;
    bool stick;
    const char* axis;
  };
  for (const Case& c : {Case{"hat.right", false, "x"}, Case{"stick.left.y", true, "y"}, Case{"face.south", false, "y"},
                        Case{"face.north", false, "x"}}) {
    CAPTURE(c.control);
    Ready s;
    const auto hold = [&](bool down) {
      c.stick ? s.move(c.control, down ? 0.9 : 0) : down ? s.press(c.control) : s.release(c.control);
    };
    CHECK(say(s.rig(), s.why(c.axis)) ==
          "nothing that moves it is held; let all controls go, then use one that moves it");
    hold(true);
    s.tick();
    CHECK(s.state() == State::live);
    s.run(0.2);
    CHECK(s.command(c.axis).v > 10);
    hold(false);
    s.tick();
    CHECK(s.state() == State::stopping);
    CHECK(s.engine().permit(ZoneId{0}).cause() == Cause::let_go);
    s.run(0.6);
    CHECK(s.state() == State::ready);
    CHECK(s.command(c.axis).v == 0);
    CHECK(s.command(c.axis).mode == Mode::stand);
  }
}

TEST_CASE("What is held or deflected before it was ready does nothing, and nothing is made ready over it") {
  Stand s(test::rig(few_keys));
  s.run(0.6).move("stick.left.x", 0.8).tap("menu.right");
  CHECK(s.state() == State::stowed);
  s.move("stick.left.x", 0).tap("menu.right");
  CHECK(s.state() == State::ready);
  // One that is stuck keeps the others from running, and says so; let go, it runs again.
  s.press("hat.right").run(0.2).press("face.east").tick().release("face.east").run(1.2);
  REQUIRE(s.state() == State::stowed);
  s.tap("menu.right");
  CHECK(s.state() == State::stowed);
  CHECK(told(s, Event::Kind::refused).back() ==
        "ready was refused: hat.right is not at neutral; let hat.right go; if "
        "nobody touches it, move it once");
  s.release("hat.right").run(0.6).tap("menu.right");
  REQUIRE(s.state() == State::ready);
  s.press("hat.right").tick();
  CHECK(s.state() == State::live);
}

TEST_CASE("A push the other way while it comes to rest runs once it is at rest; stop and a fault end that") {
  for (const char* end : {"", "stop", "gone"}) {
    CAPTURE(end);
    Ready s;
    s.move("stick.left.x", 1).run(0.5).move("stick.left.x", 0).tick();
    REQUIRE(s.state() == State::stopping);
    s.move("stick.left.x", -1).tick();
    CHECK(s.state() == State::stopping);
    if (end == std::string("stop")) s.tap("face.east");
    if (end == std::string("gone")) s.unplug("pad").tick().plug("pad");
    s.run(1);
    CHECK(s.state() == (*end == 0 ? State::live : end == std::string("stop") ? State::stowed : State::tripped));
    CHECK((s.command("x").v < 0) == (*end == 0));
  }
}

TEST_CASE("It needs all that any zone needs: a link, a handset, a hand that changes") {
  Ready s(few_keys + "[handset.pad]\nmax_steady_s = 2\n");
  s.move("stick.left.x", 0.3).tick();
  REQUIRE(s.state() == State::live);
  s.run(2.2);
  CHECK(s.engine().permit(ZoneId{0}).cause() == Cause::handset_steady);
  s.run(1);
  CHECK(s.state() == State::ready);
  CHECK(s.why("x").before.what == Interlock::not_neutral);
  s.move("stick.left.x", 0).tick().move("stick.left.x", 0.3).tick();
  CHECK(s.state() == State::live);
  s.unplug("pad").run(1);
  CHECK(s.state() == State::tripped);
}

TEST_CASE("One key for ready and stow: within half a second of a change it only stows; it resets what has tripped") {
  Stand s(test::rig(few_keys));
  s.tap("menu.right");
  CHECK(s.state() == State::stowed);
  CHECK(
      told(s, Event::Kind::refused) ==
      std::vector<std::string>{"ready was refused: its state changed a moment ago, and the key only stows then; press "
                               "it once more"});
  s.run(0.6).tap("menu.right");
  CHECK(s.state() == State::ready);
  // A fright: pressed three times while it moves.
  s.press("hat.right").run(0.3);
  REQUIRE(s.state() == State::live);
  for (int i = 0; i < 3; ++i) s.tap("menu.right").run(0.1);
  s.run(0.3);
  CHECK(s.state() == State::stowed);
  CHECK(s.command("x").mode == Mode::off);
  s.release("hat.right").run(0.6).tap("menu.right");
  REQUIRE(s.state() == State::ready);
  s.unplug("pad").run(0.1).plug("pad").tick();
  REQUIRE(s.state() == State::tripped);
  s.tap("menu.right");
  CHECK(s.state() == State::tripped);
  s.run(0.6).tap("menu.right");
  CHECK(s.state() == State::stowed);
  s.tap("menu.right");
  CHECK(s.state() == State::stowed);
  s.run(0.6).tap("menu.right");
  CHECK(s.state() == State::ready);
}

TEST_CASE("A smoothed stick would stop late, and is refused where it is held to run") {
  const std::string smoothed = "[handset.pad]\ncontrol.\"stick.left\" = { smoothing_ms = 80 }\n";
  try {
    test::rig(few_keys + smoothed);
    FAIL("it was taken");
  } catch (const RigError& error) {
    CHECK(sentence(error.problems().front()).find("'stick.left.x' is smoothed, and would stop late") !=
          std::string::npos);
  }
}

TEST_CASE("A zone with an enable and one that is hold to run stand side by side") {
  std::string text = "gyrax = 1\n[zone.cut]\n[zone.lamp]\nhold_to_run = true\n" + test::axis("x", "zone = \"cut\"\n") +
                     test::axis("tilt", "zone = \"lamp\"\n") + test::permits +
                     "[bind]\n\"stick.left.x\" = { jog = \"x\" }\n\"stick.right.x\" = { jog = \"tilt\" }\n";
  Stand s(test::rig(test::assembled(text)));
  s.make_ready().run(0.1);
  s.move("stick.right.x", 0.8).run(0.3);
  CHECK(s.state(0) == State::ready);
  CHECK(s.state(1) == State::live);
  CHECK(s.command("tilt").v > 1);
  s.press("shoulder.right").tick();
  CHECK(s.state(0) == State::live);
  s.move("stick.left.x", 0.8).run(0.3);
  CHECK(s.command("x").v > 1);
  s.release("shoulder.right").tick();
  CHECK(s.state(0) == State::stopping);
  CHECK(s.state(1) == State::live);
}
