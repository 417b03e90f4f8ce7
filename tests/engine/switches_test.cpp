// Switches are outputs, too: what they become when their zone stops, and what bounds them.
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <functional>

using namespace gyrax;
using testing::Stand;

namespace {

constexpr auto ms = [](int n) { return std::chrono::milliseconds(n); };

/// jog_and_step with enable on a trigger that can be squeezed.
Stand stand(const std::string& of_the_lamp, const std::string& more = "") {
  std::string text = test::assembled(test::jog_and_step + test::under("switch.lamp", of_the_lamp) + more);
  const std::string held = "\"shoulder.right\" = \"enable\"";
  return Stand(
      test::rig(text.replace(text.find(held), held.size(), R"("trigger.right" = { enable = "all", squeeze = 80 })")));
}

void live(Stand& s) {
  s.make_ready().move("trigger.right", 0.6).tick();
  REQUIRE(s.state() == State::live);
}

void turn_on(Stand& s) {
  s.press("face.south").tick().release("face.south").tick();
  REQUIRE(s.switched_on("lamp"));
}

struct Way {
  Cause cause;
  std::function<void(Stand&)> happens;
};

/// Every cause that a person, a handset, a link or the clock can bring about, while the zone is live.
const std::vector<Way>& ways() {
  static const std::vector<Way> all{
      {Cause::enable_released, [](Stand& s) { s.move("trigger.right", 0).tick(); }},
      {Cause::enable_squeezed, [](Stand& s) { s.move("trigger.right", 1).tick(); }},
      {Cause::stop_key, [](Stand& s) { s.press("face.east").tick(); }},
      {Cause::stow, [](Stand& s) { s.press("menu.left").tick(); }},
      {Cause::program_ends, [](Stand& s) { s.end().tick(); }},
      {Cause::handset_gone, [](Stand& s) { s.unplug("pad").tick(); }},
      {Cause::handset_gap, [](Stand& s) { s.lose("pad", 1).tick(); }},
      {Cause::reading_implausible, [](Stand& s) { s.move("stick.left.x", 1.9).tick(); }},
      {Cause::link_silent,
       [](Stand& s) {
         s.links().bench(LinkId{0}).silence(true);
         s.run(0.3);
       }},
      {Cause::following_error,
       [](Stand& s) {
         const AxisReport off{.measured = true, .position = 90};
         s.report(
             {.link = LinkId{0}, .sequence = 1'000'000, .measured = s.now(), .arrival = s.now(), .axes = {&off, 1}});
         s.tick();
       }},
      {Cause::tick_late, [](Stand& s) { s.tick_after(ms(30)); }},
      {Cause::clock_backwards, [](Stand& s) { s.tick_after(ms(-1)); }}};
  return all;
}

std::string quoted(Becomes to) { return to == Becomes::off ? "\"off\"" : to == Becomes::on ? "\"on\"" : "\"keep\""; }

const Event* last(const Stand& s, Event::Kind kind) {
  const Event* found = nullptr;
  for (const Event& e : s.events())
    if (e.kind == kind) found = &e;
  return found;
}

}  // namespace

TEST_CASE("For every cause a switch becomes what the rig says of that cause, and else of the rest") {
  for (const Way& way : ways()) {
    const std::string name = about(way.cause).name;
    CAPTURE(name);
    for (const bool was_on : {false, true})
      for (const Becomes own : {Becomes::off, Becomes::on, Becomes::keep})
        for (const Becomes otherwise : {Becomes::off, Becomes::on}) {
          Stand s = stand("becomes = { otherwise = " + quoted(otherwise) + ", " + name + " = " + quoted(own) + " }");
          live(s);
          if (was_on) turn_on(s);
          way.happens(s);
          CHECK(s.engine().permit(ZoneId{0}).cause() == way.cause);
          CHECK(s.switched_on("lamp") == (own == Becomes::keep ? was_on : own == Becomes::on));
        }
  }
}

TEST_CASE("A rig with no word on it: off at every stop and fault, and letting enable go changes nothing") {
  for (const Way& way : ways()) {
    CAPTURE(std::string(about(way.cause).name));
    Stand s = stand("");
    live(s);
    turn_on(s);
    way.happens(s);
    const bool stays = way.cause == Cause::enable_released || way.cause == Cause::enable_squeezed;
    CHECK(s.switched_on("lamp") == stays);
    if (stays) continue;
    REQUIRE(last(s, Event::Kind::switched) != nullptr);
    CHECK(say(s.rig(), *last(s, Event::Kind::switched)) ==
          std::string("lamp is now off: ") + about(way.cause).sentence);
  }
}

TEST_CASE("Off is never refused: in every state, and by a press that is too late for everything else") {
  for (const Way& way : ways()) {
    // Nobody is there to press anything; the made-up report makes those that follow it invalid, another cause.
    if (way.cause == Cause::handset_gone || way.cause == Cause::following_error) continue;
    CAPTURE(std::string(about(way.cause).name));
    Stand s = stand("becomes = { otherwise = \"on\", enable_released = \"on\", enable_squeezed = \"on\" }");
    live(s);
    way.happens(s);
    REQUIRE(s.switched_on("lamp"));
    // After a gap it is not known whether the key is down.
    s.release("face.south").tick().press("face.south").tick().release("face.south").tick();
    CHECK_FALSE(s.switched_on("lamp"));
    // A fault that lasts, and a program that goes on ending, do not turn it on again.
    s.run(0.5);
    CHECK_FALSE(s.switched_on("lamp"));
    const State state = s.state();
    s.press("face.south").tick().release("face.south").tick();
    CHECK(s.switched_on("lamp") == (state == State::ready || state == State::live));
  }
}

TEST_CASE("A long press that was begun before its zone was stowed turns nothing on, but off") {
  for (const bool is_on : {false, true}) {
    CAPTURE(is_on);
    Stand s = stand("becomes = \"keep\"", test::bind(R"("thumb.left".hold = { set = "lamp", hold_s = 0.5 })"));
    live(s);
    if (is_on) turn_on(s);
    s.press("thumb.left").run(0.3).tap("menu.left").run(0.4);
    REQUIRE(s.state() == State::stowed);
    CHECK_FALSE(s.switched_on("lamp"));
  }
}

TEST_CASE("A second cause on the way to rest counts as well: off follows, though the first one kept it") {
  Stand s = stand(R"(becomes = { otherwise = "off", stop_key = "keep", handset_gap = "keep" })");
  live(s);
  turn_on(s);
  s.move("stick.left.x", 1).run(0.5).press("face.east").tick();
  CHECK(s.state() == State::stopping);
  CHECK(s.switched_on("lamp"));
  s.lose("pad", 1).tick();
  CHECK(s.switched_on("lamp"));
  s.unplug("pad").tick();
  CHECK_FALSE(s.switched_on("lamp"));
}

TEST_CASE("A stop key turns off what a zone that is stowed still has on") {
  Stand s = stand(R"(becomes = { otherwise = "off", stow = "keep" })");
  live(s);
  turn_on(s);
  s.tap("menu.left").run(0.3);
  REQUIRE(s.state() == State::stowed);
  REQUIRE(s.switched_on("lamp"));
  s.tap("face.east").tick();
  CHECK_FALSE(s.switched_on("lamp"));
}

TEST_CASE("A pulse ends by itself, to the tick, and off cuts it short") {
  Stand s = stand("pulse_ms = 200");
  live(s);
  for (const bool cut : {false, true}) {
    s.press("face.south").tick().release("face.south");
    REQUIRE(s.switched_on("lamp"));
    const Time from = s.now();
    if (cut) s.tick(3).press("face.south");
    while (s.switched_on("lamp")) s.tick();
    if (cut) s.release("face.south").tick();
    // Two ticks of 2 ms would be late.
    CHECK(s.now() - from >= (cut ? ms(6) : ms(200)));
    CHECK(s.now() - from < (cut ? ms(30) : ms(200) + 2 * s.rig().period));
  }
}

TEST_CASE("The longest time on ends it with a word, a key that is still down does not, and the rest after it is kept") {
  Stand s = stand("max_on_s = 2\nmin_off_s = 1", test::bind(R"("thumb.left" = { set = "lamp", to = "momentary" })"));
  live(s);
  s.press("thumb.left").run(1.9);
  CHECK(s.switched_on("lamp"));
  s.run(0.2);
  CHECK_FALSE(s.switched_on("lamp"));
  CHECK(say(s.rig(), *last(s, Event::Kind::switched)) ==
        "lamp is now off: it was on for the longest time that the rig allows");
  s.release("thumb.left").run(0.5).press("thumb.left").tick();
  CHECK_FALSE(s.switched_on("lamp"));
  REQUIRE(last(s, Event::Kind::switch_refused) != nullptr);
  CHECK(say(s.rig(), *last(s, Event::Kind::switch_refused)) ==
        "turning lamp was refused: it was on a moment ago, and has to stay off for its time; wait, then turn it on "
        "again");
  s.release("thumb.left").run(0.6).press("thumb.left").tick();
  CHECK(s.switched_on("lamp"));
}

TEST_CASE("What is on from the start is bounded as well") {
  Stand s = stand("start = \"on\"\nmax_on_s = 0.5");
  CHECK(s.switched_on("lamp"));
  s.run(0.6);
  CHECK_FALSE(s.switched_on("lamp"));
}
