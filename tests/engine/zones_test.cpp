// What a zone remembers: faults that come again and again, and settings after which it stows.
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include "support/rigs.hpp"

#include <doctest/doctest.h>

using namespace gyrax;
using testing::Stand;

namespace {

/// Unplugged while ready, and plugged in again.
void trip(Stand& s) {
  s.make_ready();
  REQUIRE(s.state() == State::ready);
  s.unplug("pad").tick().plug("pad").tick();
  REQUIRE(s.state() == State::tripped);
}

std::vector<std::string> told(const Stand& s, Event::Kind kind) {
  std::vector<std::string> all;
  for (const Event& e : s.events())
    if (e.kind == kind) all.push_back(say(s.rig(), e));
  return all;
}

}  // namespace

TEST_CASE("The same fault three times in a minute: a short reset is refused, a long one resets") {
  for (const double apart_s : {1.0, 29.0, 31.0}) {
    CAPTURE(apart_s);
    Stand s(test::rig(test::jog_and_step));
    for (int i = 0; i < 2; ++i) {
      trip(s);
      s.tap("menu.centre").tick();
      REQUIRE(s.state() == State::stowed);
      s.run(apart_s);
    }
    trip(s);
    s.tap("menu.centre").tick();
    const bool in_a_minute = 2 * apart_s < 60;
    CHECK(s.state() == (in_a_minute ? State::tripped : State::stowed));
    if (!in_a_minute) continue;
    const std::string why =
        "the zone has tripped of the same three times in a minute: a handset was unplugged; put the cause right, let "
        "all controls go, then keep menu.centre pressed for 2 s";
    CHECK(told(s, Event::Kind::refused).back() == "reset was refused: " + why);
    CHECK(say(s.rig(), s.why("x")) == why);
    s.press("menu.centre").run(1.9);
    CHECK(s.state() == State::tripped);
    s.run(0.2);
    CHECK(s.state() == State::stowed);
    s.release("menu.centre").run(61);
    trip(s);
    s.tap("menu.centre").tick();
    CHECK(s.state() == State::stowed);
  }
}

TEST_CASE("Different faults are not counted together") {
  Stand s(test::rig(test::jog_and_step));
  for (int i = 0; i < 4; ++i) {
    s.make_ready();
    if (i % 2 == 0)
      s.unplug("pad").tick().plug("pad").tick();
    else
      s.tick_after(std::chrono::milliseconds(50)).tick();
    REQUIRE(s.state() == State::tripped);
    s.run(0.1).tap("menu.centre").tick();
    CHECK(s.state() == State::stowed);
  }
}

TEST_CASE("Where the rig says so, a change of override, layer or calibration stows; nothing else does") {
  const std::string more =
      "[in.fine]\n\"stick.left.x\" = { jog = \"x\", share = 10 }\n[bind]\n"
      "\"thumb.left\" = { layer = \"fine\" }\n\"hat.down\" = { override = \"down\" }\n";
  std::string pad = test::jog_and_step + more;
  for (const char* table : {"[bind]", "[while.", "[in."})
    for (std::size_t at = 0; (at = pad.find(table, at)) != std::string::npos; at += 15)
      pad.insert(at + 1, "handset.pad.");
  const std::string box = "[handset.box.bind]\n\"stick.left.x\" = { jog = \"x\" }\n\"face.east\" = \"stop\"\n";
  const auto rig = [&](const std::string& zone) { return test::rig(pad + box + zone); };
  struct Case {
    const char *after, *key;
  };
  const Case cases[] = {{"override", "pad/hat.down"}, {"layer", "pad/thumb.left"}, {"calibration", ""}};
  for (const Case& after : cases)
    for (const Case& changed : cases)
      for (const bool live : {false, true}) {
        CAPTURE(after.after);
        CAPTURE(changed.after);
        CAPTURE(live);
        Stand s(rig("[zone.main]\nstow_after = [\"" + std::string(after.after) + "\"]\n"));
        s.unplug("box").tick();
        s.tap("pad/menu.right");
        if (live) s.press("pad/shoulder.right").tick().move("pad/stick.left.x", 1).run(0.3);
        *changed.key != 0 ? s.tap(changed.key) : s.recalibrate("box");
        s.run(0.4);
        const bool same = &after == &changed;
        CHECK(s.state() == (same ? State::stowed : live ? State::live : State::ready));
        if (!same) continue;
        CHECK(s.engine().permit(ZoneId{0}).cause() == Cause::setting_changed);
        CHECK(s.command("x").mode == Mode::off);
      }
}

TEST_CASE("As a zone gets ready it is told which override and which increments are in force") {
  Stand s(test::rig(test::jog_and_step));
  s.tap("hat.down").make_ready();
  CHECK(told(s, Event::Kind::override).back().starts_with("override is 50 %"));
  CHECK(told(s, Event::Kind::increment).back() == "increment.x is 0.05 mm for x");
}
