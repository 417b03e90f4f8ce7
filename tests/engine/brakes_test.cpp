// A brake belongs to its axis: after power and before motion it lets go, before power goes it holds.
#include "support/rigs.hpp"

#include <gyrax/testing/stand.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using namespace gyrax;
using namespace std::chrono_literals;
using testing::Stand;

namespace {

Stand stand(const std::string& more = "", const std::string& lag = "lag_ms = 0") {
  std::string text = test::jog_and_step + more;
  text.replace(text.find("lag_ms = 0"), 10, lag);
  const std::string at = "increments = [0.01, 0.05, 1]";
  return Stand(test::rig(text.insert(text.find(at), "brake = { power_ms = 50, opens_ms = 80, closes_ms = 60 }\n")));
}

/// So long until a mode is told; negative: it is not, within a second.
double until_s(Stand& s, Mode mode) {
  for (int t = 0; t < 500; ++t) {
    if (s.command("x").mode == mode) return t * 0.002;
    s.tick();
  }
  return -1;
}

std::uint64_t slips(Stand& s) { return s.links().bench(LinkId{0}).brake_slips(); }

}  // namespace

TEST_CASE("Power, then the brake lets go, then motion; a push that comes too early is told, and has to be let go") {
  Stand s = stand();
  s.make_ready();
  CHECK(s.command("x").mode == Mode::braked);
  CHECK(until_s(s, Mode::stand) == doctest::Approx(0.05).epsilon(0.1));
  s.press("shoulder.right").tick().move("stick.left.x", 1).tick(2);
  CHECK(s.state() == State::live);
  CHECK(s.why("x").blocked.what == Interlock::brake_holds);
  CHECK(s.count(Event::Kind::move_refused) == 1);
  s.run(0.3);
  CHECK(s.command("x").v == 0);
  CHECK(s.links().bench(LinkId{0}).brake_open(0));
  s.move("stick.left.x", 0).tick(2).move("stick.left.x", 1).run(0.5);
  CHECK(s.command("x").v == 50);
  CHECK(slips(s) == 0);
}

TEST_CASE("Before power goes the brake holds; letting enable go leaves it open; without power it holds at once") {
  struct Way {
    const char* what;
    void (*act)(Stand&);
    double power_stays_s;  // after rest; negative: for good
    State then;
  };
  const Way ways[] = {
      {"enable is let go", [](Stand& s) { s.release("shoulder.right"); }, -1, State::ready},
      {"stop, category 1", [](Stand& s) { s.press("face.east"); }, 0.06, State::stowed},
      {"unplugged, category 1", [](Stand& s) { s.unplug("pad"); }, 0.06, State::tripped},
      {"stuck, category 0",
       [](Stand& s) {
         s.links().break_axis(AxisId{0}, sim::AxisFault::stuck);
         s.run(0.2);
       },
       0, State::tripped},
  };
  for (const Way& way : ways) {
    CAPTURE(way.what);
    Stand s = stand();
    s.make_ready().run(0.3).make_live().move("stick.left.x", 1).run(0.3);
    REQUIRE(s.command("x").v == 50);
    way.act(s);
    s.tick();
    int moves = 0, held = 0;
    for (; moves < 500 && s.command("x").v != 0; ++moves) s.tick();
    // It stands; from the next tick on that shows.
    s.tick();
    const State while_it_closes = s.state();
    for (; held < 500 && s.command("x").mode == Mode::braked; ++held) s.tick();
    if (way.power_stays_s < 0) {
      CHECK(s.command("x").mode == Mode::stand);
      CHECK(s.links().bench(LinkId{0}).brake_open(0));
    } else {
      CHECK(s.command("x").mode == Mode::off);
      CHECK(held * 0.002 == doctest::Approx(way.power_stays_s).epsilon(0.1));
      if (way.power_stays_s > 0) CHECK(while_it_closes == State::stopping);
    }
    CHECK(s.state() == way.then);
    CHECK(slips(s) == 0);
  }
}

TEST_CASE("It does not let go of an axis that is reported to move") {
  Stand s = stand();
  s.links().break_axis(AxisId{0}, sim::AxisFault::drifting);
  s.tick();
  AxisReport moving{.measured = true, .position = 0, .speed = 5};
  s.make_ready();
  for (std::uint32_t i = 0; i < 100; ++i)
    s.report(
         {.link = LinkId{0}, .sequence = 100'000 + i, .measured = s.now(), .arrival = s.now(), .axes = {&moving, 1}})
        .tick();
  CHECK(s.command("x").mode == Mode::braked);
  moving.speed = 0.5;
  for (std::uint32_t i = 0; i < 2; ++i)
    s.report(
         {.link = LinkId{0}, .sequence = 200'000 + i, .measured = s.now(), .arrival = s.now(), .axes = {&moving, 1}})
        .tick();
  CHECK(s.command("x").mode == Mode::stand);
}

TEST_CASE("Stowed with power left on, the brake holds all the same") {
  Stand s = stand("\n[stops]\nstow = 2\n");
  s.make_ready().run(0.3);
  REQUIRE(s.command("x").mode == Mode::stand);
  s.tap("menu.left").run(0.2);
  CHECK(s.state() == State::stowed);
  CHECK(s.command("x").mode == Mode::braked);
  s.make_ready().run(0.2);
  CHECK(s.command("x").mode == Mode::stand);
}

TEST_CASE("A machine that lags comes to rest after its command: only then its brake holds, or half a second later") {
  Stand s = stand("", "lag_ms = 60");
  s.make_ready().run(0.3).make_live().move("stick.left.x", 1).run(0.5).press("face.east");
  until_s(s, Mode::braked);
  CHECK(std::abs(s.links().speed(AxisId{0})) <= 0.02 * 50);
  CHECK(until_s(s, Mode::off) > 0.05);
  CHECK(slips(s) == 0);
  // Whoever is reported to move for ever is braked all the same.
  Stand t = stand();
  t.make_ready().run(0.3).make_live().move("stick.left.x", 1).run(0.3).press("face.east").tick();
  double waited_s = 0;
  for (; waited_s < 1 && t.command("x").mode != Mode::braked; waited_s += 0.002) {
    const AxisReport moving{.measured = true, .position = t.command("x").p, .speed = 5};
    t.report({.link = LinkId{0},
              .sequence = 100'000 + static_cast<std::uint32_t>(waited_s * 1000),
              .measured = t.now(),
              .arrival = t.now(),
              .axes = {&moving, 1}});
    t.tick();
  }
  CHECK(waited_s > 0.5);
  CHECK(waited_s < 0.7);
}

TEST_CASE("One axis after the other gets power; a push before it has is told, and no two start together") {
  Stand s(test::rig(test::one_axis + test::axis("y") + test::axis("z") +
                    test::under("link.machine", "stagger_ms = 50") +
                    test::bind("\"stick.left.x\" = { jog = \"x\" }\n\"stick.left.y\" = { jog = \"z\" }")));
  const auto powered = [&] {
    int count = 0;
    for (const char* axis : {"x", "y", "z"}) count += s.command(axis).mode != Mode::off ? 1 : 0;
    return count;
  };
  s.make_ready();
  CHECK(powered() == 1);
  CHECK(s.command("x").mode == Mode::stand);
  s.press("shoulder.right").tick().move("stick.left.y", 1).tick(2);
  REQUIRE(s.state() == State::live);
  CHECK(s.why("z").blocked.what == Interlock::waits_for_power);
  CHECK(s.count(Event::Kind::move_refused) == 1);
  int before = powered(), most = 0;
  double all_after_s = 0;
  for (const Time from = s.now(); powered() < 3 && all_after_s < 1; all_after_s = to_seconds(s.now() - from)) {
    s.tick();
    most = std::max(most, powered() - before);
    before = powered();
  }
  CHECK(most == 1);
  CHECK(all_after_s == doctest::Approx(0.1).epsilon(0.15));
  // What was pushed too early has to be let go first.
  s.run(0.3);
  CHECK(s.command("z").v == 0);
  s.move("stick.left.y", 0).tick(2).move("stick.left.y", 1).run(0.5);
  CHECK(s.command("z").v == 50);
  // Power goes from all of them at once.
  s.press("face.east").run(1);
  CHECK(powered() == 0);
}
