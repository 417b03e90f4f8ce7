#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include "support/heap.hpp"
#include "support/random.hpp"
#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <cstring>

using namespace gyrax;
using namespace std::chrono_literals;
using testing::Stand;

namespace {

Stand stand() { return Stand(test::rig(test::jog_and_step)); }

Interlock blocked(const Stand& s) { return s.why("x").blocked.what; }

// The fastest stop of x from its full 50 mm/s, by hand: decel 400 mm/s² with a jerk of 40000 mm/s³. The deceleration
// grows for 400 / 40000 = 0.01 s, stands and goes back in 0.01 s; what it takes off is v = 400 · (t − 0.01), so that
// t = 50 / 400 + 0.01 = 0.135 s. The speed falls evenly about its middle: the way is 50 · 0.135 / 2 = 3.375 mm.
constexpr double stop_mm = 3.375;
constexpr std::size_t stop_ticks = 68 + 2;  // of 2 ms, and two more

}  // namespace

TEST_CASE("A bump while stowed does nothing, and says why") {
  Stand s = stand();
  s.move("stick.left.x", 1).run(0.5);
  CHECK(s.command("x").mode == Mode::off);
  CHECK(s.command("x").v == 0);
  CHECK(blocked(s) == Interlock::stowed);
  CHECK(s.why("x").asked);
  CHECK(s.why("x").before.what == Interlock::not_neutral);
  s.make_ready();
  CHECK(s.state() == State::stowed);  // refused: the stick is held
  CHECK(s.count(Event::Kind::refused) == 1);
}

TEST_CASE("Ready, live, jog at exactly full speed, and rest within the braking time after the stick is back") {
  Stand s = stand();
  s.make_live();
  REQUIRE(s.state() == State::live);
  CHECK(blocked(s) == Interlock::unasked);
  s.move("stick.left.x", 1).run(0.5);
  CHECK(s.command("x").v == 50.0);
  CHECK(blocked(s) == Interlock::none);
  s.move("stick.left.x", 0).tick(stop_ticks);
  CHECK(s.command("x").v == 0);
}

TEST_CASE("One per cent beyond the dead zone moves, and the last of it inside does not") {
  Stand s = stand();
  s.make_live().move("stick.left.x", 0.0999).run(0.2);
  CHECK(s.command("x").p == 0);
  s.move("stick.left.x", 0.11).run(0.2);
  CHECK(s.command("x").p > 0);
}

TEST_CASE("Enable that was held, or taped down, beforehand does nothing") {
  Stand s = stand();
  s.press("shoulder.right").tick().make_ready();
  REQUIRE(s.state() == State::ready);
  CHECK(s.count(Event::Kind::refused) == 1);  // enable while stowed, and it is said
  s.move("stick.left.x", 1).run(0.2);
  CHECK(s.state() == State::ready);
  CHECK(blocked(s) == Interlock::not_enabled);
  s.release("shoulder.right").tick();
  s.press("shoulder.right").tick();
  CHECK(s.state() == State::ready);  // the stick is still held
  CHECK(s.count(Event::Kind::refused) == 2);
  s.release("shoulder.right").move("stick.left.x", 0).tick();
  s.press("shoulder.right").tick();
  CHECK(s.state() == State::live);
}

TEST_CASE("Each way to end live: the commanded speed is zero within the braking time and two ticks") {
  struct Way {
    const char* what;
    void (*act)(Stand&);
    State end;
    Cause cause;
  };
  const Way ways[] = {
      {"enable is released", [](Stand& s) { s.release("shoulder.right"); }, State::ready, Cause::enable_released},
      {"stop", [](Stand& s) { s.press("face.east"); }, State::stowed, Cause::stop_key},
      {"stow", [](Stand& s) { s.press("menu.left"); }, State::stowed, Cause::stow},
      {"unplugged", [](Stand& s) { s.unplug("pad"); }, State::tripped, Cause::handset_gone},
      {"readings lost", [](Stand& s) { s.lose("pad", 1); }, State::tripped, Cause::handset_gap},
      {"a reading from the future",
       [](Stand& s) {
         s.say({HandsetId{0}, ControlId{0}, 0, s.now() + 1h, s.now() + 1h, 0});
       },
       State::tripped, Cause::reading_clock},
      {"a reading far out of range",
       [](Stand& s) {
         s.say({HandsetId{0}, ControlId{0}, 0, s.now(), s.now(), 99'999});
       },
       State::tripped, Cause::reading_implausible},
      {"a report that cannot be",
       [](Stand& s) {
         s.report({LinkId{0}, 1, s.now() + 1h, s.now() + 1h, {}});
       },
       State::tripped, Cause::report_invalid},
      {"an axis runs the wrong way",
       [](Stand& s) {
         s.links().break_axis(AxisId{0}, sim::AxisFault::reversed);
         s.run(0.4);
       },
       State::tripped, Cause::following_error},
      {"an axis sticks",
       [](Stand& s) {
         s.links().break_axis(AxisId{0}, sim::AxisFault::stuck);
         s.run(0.2);
       },
       State::tripped, Cause::following_error},
      {"the link falls silent",
       [](Stand& s) {
         s.links().bench(LinkId{0}).silence(true);
         s.run(0.1);
       },
       State::tripped, Cause::link_silent},
  };
  for (const Way& way : ways) {
    CAPTURE(way.what);
    Stand s = stand();
    s.make_live().move("stick.left.x", 1).run(0.3);
    REQUIRE(s.command("x").v == 50.0);
    const double begin = s.command("x").p;
    way.act(s);
    s.tick();
    CHECK(s.state() != State::live);
    const double at_cause = s.command("x").p;
    s.tick(stop_ticks);
    CHECK(s.command("x").v == 0);
    CHECK(s.state() == way.end);
    CHECK(s.command("x").p - at_cause <= stop_mm + 50 * 0.004);
    CHECK(s.command("x").p >= begin);
    bool told = false;
    for (const Event& e : s.events())
      told = told || (e.kind == Event::Kind::state && e.state == State::stopping && e.cause == way.cause);
    CHECK(told);
    // Nothing moves again from what is still held.
    const double rest = s.command("x").p;
    s.run(0.5);
    CHECK(s.command("x").p == doctest::Approx(rest).epsilon(1e-9));
  }
}

TEST_CASE("A report that was long on its way is held against what the axis was told then") {
  std::string text = test::jog_and_step;
  text.replace(text.find("lag_ms = 0"), 10, "lag_ms = 0\ndelay_ms = 6");
  // 50 mm/s are 0.1 mm a tick; a report is 6 ms old when it comes.
  text.replace(text.find("speed = 50"), 10, "speed = 50\nfollowing_error = 0.25");
  Stand s{test::rig(text)};
  s.make_live().move("stick.left.x", 1).run(0.8);
  CHECK(s.state() == State::live);
  CHECK(s.command("x").v == 50);
}

TEST_CASE("A late tick is a stop, never a leap; a clock that runs backwards too") {
  for (const Span late : {Span(21ms), Span(5s), Span(-1ms)}) {
    Stand s = stand();
    s.make_live().move("stick.left.x", 1).run(0.3);
    const double before = s.command("x").p;
    s.tick_after(late);
    // After 5 s the far end has stopped by itself.
    CHECK(s.state() == (late == 5s ? State::tripped : State::stopping));
    CHECK(std::abs(s.command("x").p - before) <= 50 * 0.020);
    s.tick(stop_ticks);
    CHECK(s.state() == State::tripped);
  }
  Stand s = stand();
  s.make_live().move("stick.left.x", 1).run(0.3);
  const double before = s.command("x").p;
  s.tick_after(0ms);
  CHECK(s.command("x").p == before);
  CHECK(s.state() == State::live);
}

TEST_CASE("A stop anywhere in a tick wins over what comes after it in the same tick") {
  Stand s = stand();
  s.make_live();
  s.press("face.east").release("face.east").press("menu.right").release("menu.right");
  s.release("shoulder.right").press("shoulder.right").press("hat.right").tick(3);
  CHECK(s.state() == State::stowed);
  CHECK(s.command("x").v == 0);
  // Also where there is nothing to stop yet: ready after a stop in the same tick is not.
  Stand u = stand();
  u.press("face.east").press("menu.right").tick();
  CHECK(u.state() == State::stowed);
  // And a press and release of enable inside one tick are two events: it does not stay live.
  Stand t = stand();
  t.make_ready();
  t.press("shoulder.right").release("shoulder.right").tick(3);
  CHECK(t.state() == State::ready);
}

TEST_CASE("Tripped is left when the cause is gone, the controls are neutral and a person resets") {
  Stand s = stand();
  s.make_live().move("stick.left.x", 1).run(0.2);
  s.unplug("pad").run(0.3);
  REQUIRE(s.state() == State::tripped);
  CHECK(s.why("x").before.what == Interlock::handset_gone);
  s.plug("pad").move("stick.left.x", 0.5).tick().tap("menu.centre");
  CHECK(s.state() == State::tripped);
  CHECK(s.why("x").before.what == Interlock::not_neutral);
  s.move("stick.left.x", 0).tick().tap("menu.centre");
  CHECK(s.state() == State::stowed);
  s.make_live();
  CHECK(s.state() == State::live);
}

TEST_CASE("What is refused while tripped names what it tripped of") {
  Stand s = stand();
  s.make_live().unplug("pad").run(0.3).plug("pad").tick();
  s.tap("shoulder.right").tap("hat.right").tap("face.south");
  REQUIRE(s.state() == State::tripped);
  int told = 0;
  for (const Event& e : s.events()) {
    if (e.obstacle.what != Interlock::tripped) continue;
    CHECK(say(s.rig(), e).find("the zone has tripped: a handset was unplugged") != std::string::npos);
    ++told;
  }
  CHECK(told == 3);
}

TEST_CASE("Pulled out and put back inside one tick is a loss, too") {
  Stand s = stand();
  s.make_live().move("stick.left.x", 1).run(0.2);
  s.unplug("pad").plug("pad").tick();
  CHECK(s.state() == State::stopping);
  s.run(0.3);
  CHECK(s.state() == State::tripped);
}

TEST_CASE("A control that never reported is not neutral") {
  const Rig rig = test::rig(test::jog_and_step);
  Engine engine(rig.setup);
  TickBuffers out(rig.setup);
  const Reading plug[] = {{HandsetId{0}, ControlId::presence, 1, {}, {}, 1}};
  const AxisReport axis{true, 0, 0};
  const LinkReport report[] = {{LinkId{0}, 1, {}, {}, {&axis, 1}}};
  engine.tick({Time{}, plug, report}, out.view());
  CHECK(out.why[0].before.what == Interlock::unreported);
}

TEST_CASE("A gap before live is only counted; the controls it concerns have to report again") {
  Stand s = stand();
  s.make_ready().lose("pad", 4).tick();
  CHECK(s.state() == State::ready);
  CHECK(s.count(Event::Kind::gap) == 1);
  s.make_live();
  CHECK(s.state() == State::ready);
}

TEST_CASE("Steps are exact, also across a pause, and refused with a reason where they cannot be") {
  Stand s = stand();
  s.tap("hat.right");
  CHECK(s.count(Event::Kind::step_refused) == 1);
  s.make_live();
  for (int i = 0; i < 5; ++i) s.tap("hat.right");
  s.run(0.3).release("shoulder.right").run(0.5).make_live();
  for (int i = 0; i < 5; ++i) s.tap("hat.right");
  s.run(0.5);
  CHECK(s.frames()[0].axes[0].position == 500'000'000);
  s.tap("hat.left").run(0.3);
  CHECK(s.frames()[0].axes[0].position == 450'000'000);
  s.move("stick.left.x", 1).tick(2).tap("hat.right");
  CHECK(s.events().back().kind == Event::Kind::step_refused);
  CHECK(s.events().back().obstacle.what == Interlock::not_neutral);
}

TEST_CASE("At the end of travel it says so, and backs off at once") {
  Stand s = stand();
  s.make_live().move("stick.left.x", 1).run(3);
  CHECK(s.command("x").p == 100.0);
  CHECK(blocked(s) == Interlock::end_of_travel_high);
  s.move("stick.left.x", -1).tick();
  CHECK(blocked(s) == Interlock::none);
  CHECK(s.command("x").v < 0);
}

TEST_CASE("Override, increment, go while held, and switches") {
  Stand s = stand();
  s.tap("face.south");
  CHECK_FALSE(s.switched_on("lamp"));
  CHECK(s.count(Event::Kind::switch_refused) == 1);
  s.make_live().tap("face.south");
  CHECK(s.switched_on("lamp"));
  s.tap("hat.down").move("stick.left.x", 1).run(0.5);
  CHECK(s.command("x").v == 25.0);
  s.tap("hat.down").run(0.3);
  CHECK(s.command("x").v == 5.0);
  s.move("stick.left.x", 0).run(0.2).press("face.west").run(0.2);
  CHECK(s.command("x").v == 5.0);
  s.release("face.west").run(0.2);
  CHECK(s.command("x").v == 0);
  CHECK(s.command("x").p < 60);
  s.tap("hat.up").tap("hat.up").press("face.west").run(3);
  CHECK(s.command("x").p == 60.0);
  s.press("face.east").tick(3);
  CHECK_FALSE(s.switched_on("lamp"));
}

TEST_CASE("Zones are permitted and stopped apart") {
  const std::string text = test::jog_and_step + R"(
[zone.near]
[zone.far]
stops = { handset_gone = 2 }
[axis.y]
unit = "mm"
zone = "far"
travel = [0, 50]
speed = 20
accel = 100

[bind]
"stick.left.y" = { jog = "y" }
"thumb.left" = { stop = "far" }
)";
  Rig rig = test::rig([&] {
    std::string t = text;
    t.replace(t.find("[axis.x]"), 8, "[axis.x]\nzone = \"near\"");
    t.replace(t.find("[switch.lamp]"), 13, "[switch.lamp]\nzone = \"near\"");
    return t;
  }());
  Stand s(rig);
  s.make_live();
  REQUIRE(s.state(0) == State::live);
  REQUIRE(s.state(1) == State::live);
  s.move("stick.left.x", 0.7).move("stick.left.y", 0.7).run(0.3);
  CHECK(s.command("y").v > 0);
  s.press("thumb.left").run(0.4);
  CHECK(s.state(0) == State::live);
  CHECK(s.state(1) == State::stowed);
  CHECK(s.command("x").v > 0);
  CHECK(s.command("y").v == 0);
  CHECK(s.command("y").mode == Mode::off);
}

TEST_CASE("Motion starts from where the machine is measured to be") {
  Stand s = stand();
  s.make_live().move("stick.left.x", 1).run(0.5).unplug("pad").run(0.3);
  REQUIRE(s.state() == State::tripped);
  const double left = s.command("x").p;
  // Somebody moves the carriage by hand while there is no power.
  std::uint32_t heartbeat = 1'000'000;
  const AxisReport moved{true, left + 7, 0};
  const auto tell = [&] { s.report({LinkId{0}, ++heartbeat, s.now(), s.now(), {&moved, 1}}).tick(); };
  s.plug("pad");
  tell();
  s.press("menu.centre");
  tell();
  s.release("menu.centre").press("menu.right");
  tell();
  CHECK(s.state() == State::ready);
  CHECK(s.command("x").p == left + 7);
  CHECK(s.command("x").v == 0);
}

TEST_CASE("What nothing measures starts from where its far end says that it told it to be; otherwise from its start") {
  Stand s(test::rig("gyrax = 1\n" + test::permits + test::servo("tilt") +
                    test::bind("\"stick.left.x\" = { jog = \"tilt\" }")));
  std::uint32_t heartbeat = 1'000'000;
  AxisReport last{.told = true};
  const auto tell = [&] { s.report({LinkId{0}, ++heartbeat, s.now(), s.now(), {&last, 1}}).tick(); };
  last.position = 12.5;
  tell();
  s.press("menu.right");
  tell();
  REQUIRE(s.state() == State::ready);
  CHECK(s.command("tilt").p == 12.5);
  s.release("menu.right").press("menu.left");
  tell();
  s.release("menu.left");
  tell();
  REQUIRE(s.state() == State::stowed);
  // It stopped by itself, or its board had no power and knows nothing: then it is where it was told last from here.
  last.position = 20;
  tell();
  s.press("menu.right");
  tell();
  CHECK(s.command("tilt").p == 20);
  s.release("menu.right").press("menu.left");
  tell();
  last = {};
  tell();
  s.release("menu.left").press("menu.right");
  tell();
  CHECK(s.command("tilt").p == 20);
  // A place that is no number is refused like a measured one.
  last = {.position = std::nan(""), .told = true};
  tell();
  CHECK(s.state() == State::tripped);
}

TEST_CASE("The same readings give the same bits, whatever happened") {
  std::vector<double> first;
  for (int round = 0; round < 2; ++round) {
    test::Random random(7);
    Stand s = stand();
    std::vector<double> all;
    s.make_live();
    for (int i = 0; i < 2'000; ++i) {
      if (random.chance(0.05)) s.move("stick.left.x", random.in(-1, 1));
      if (random.chance(0.05)) s.tap("hat.right");
      if (random.chance(0.005))
        s.tap("face.east").release("shoulder.right").move("stick.left.x", 0).run(0.2).make_live();
      s.tick();
      all.push_back(s.command("x").p);
      all.push_back(s.command("x").v);
    }
    if (round == 0) first = all;
    CHECK(std::memcmp(first.data(), all.data(), all.size() * sizeof(double)) == 0);
  }
  CHECK(*std::max_element(first.begin(), first.end()) > 10);
}

TEST_CASE("Random hands: travel, speed and acceleration hold, and nothing moves outside live and stopping") {
  const char* keys[] = {"menu.right", "menu.left", "shoulder.right", "face.east",  "menu.centre", "hat.right",
                        "hat.left",   "hat.up",    "hat.down",       "face.north", "face.west",   "shoulder.left"};
  test::Random random(11);
  int visits[5] = {}, moving = 0;
  for (int round = 0; round < 20; ++round) {
    Stand s = stand();
    for (int i = 0; i < 3'000; ++i) {
      // These take ticks of their own; what is measured goes on from where they end.
      if (random.chance(0.02)) s.make_live();
      if (random.chance(0.01)) s.tap("menu.centre");
      const double last_p = s.command("x").p, last_v = s.command("x").v;
      const Mode last_mode = s.command("x").mode;
      if (random.chance(0.05)) s.move("stick.left.x", random.chance(0.6) ? 0 : random.in(-1.2, 1.2));
      if (random.chance(0.05)) s.press(keys[random.whole(0, 11)]);
      if (random.chance(0.20)) s.release(keys[random.whole(0, 11)]);
      if (random.chance(0.002)) s.unplug("pad");
      if (random.chance(0.02)) s.plug("pad");
      const Span dt = random.chance(0.02) ? Span(random.whole(0, 30'000'000)) : Span(2ms);
      s.tick_after(dt);
      const AxisCommand& c = s.command("x");
      const double dt_s = std::min(to_seconds(dt), 0.020);
      // A machine that coasted out without power is taken up where it is, and may then only move back in.
      const auto outside = [](double p) { return std::max({0.0, -p, p - 100}); };
      if (c.v != 0) REQUIRE(outside(c.p) <= outside(last_p));
      REQUIRE(std::abs(c.v) <= 50 * (1 + 1e-9));
      if (c.mode != Mode::off && last_mode != Mode::off)
        REQUIRE(std::abs(c.v - last_v) <= 400 * dt_s * (1 + 1e-6) + 1e-9);
      const State state = s.state();
      if (c.v != 0) REQUIRE(c.mode == Mode::follow);
      if (state == State::stowed || state == State::tripped) REQUIRE(c.v == 0);
      ++visits[static_cast<std::size_t>(state)];
      moving += c.v != 0 ? 1 : 0;
    }
  }
  for (const int count : visits) CHECK(count > 50);
  CHECK(moving > 1'000);
}

TEST_CASE("An eventful session allocates nothing in a tick") {
  const Rig rig = test::rig(test::jog_and_step);
  Engine engine(rig.setup);
  TickBuffers out(rig.setup);
  SimulatedLinks links(rig);
  std::vector<Reading> readings;
  readings.reserve(64);
  std::uint32_t sequence = 0;
  test::Random random(3);
  std::size_t used = 0, trips = 0;
  for (int tick = 0; tick < 10'000; ++tick) {
    const Time now{2ms * tick + 31s * (tick / 1000)};  // the same three times in a minute would want a long reset
    readings.clear();
    const auto say = [&](ControlId control, std::int32_t raw) {
      readings.push_back({HandsetId{0}, control, ++sequence, now, now, raw});
    };
    if (tick % 1000 == 0) {
      say(ControlId::presence, 1);
      for (const ControlSetup& c : rig.setup.controls) say(c.control, 0);
    }
    const int phase = tick % 1000;
    const auto key = [&](int at, const Effect& effect) {
      for (const BindingSetup& b : rig.setup.bindings)
        if (b.effect.index() == effect.index() && (phase == at || phase == at + 5))
          say(rig.setup.controls[index(b.slot)].control, phase == at ? 1 : 0);
    };
    key(10, effect::Reset{});
    key(20, effect::Ready{});
    if (phase == 30)
      for (const BindingSetup& b : rig.setup.bindings)
        if (b.as<effect::Enable>()) say(rig.setup.controls[index(b.slot)].control, 1);
    key(200, effect::Step{});
    key(220, effect::Override{});
    key(240, effect::Set{});
    if (phase > 300 && phase < 800) say(ControlId{0}, random.whole(-32768, 32767));
    if (phase == 700) say(ControlId::gap, 3);
    if (phase == 900) say(ControlId::presence, 0);
    const auto reports = links.reports(now);
    const std::size_t before = test::allocations();
    engine.tick({now, readings, reports}, out.view());
    used += test::allocations() - before;
    links.send(out.frames);
    for (Event e; out.events.read(e);) trips += e.kind == Event::Kind::state && e.state == State::tripped ? 1 : 0;
  }
  CHECK(used == 0);
  CHECK(trips >= 9);  // it was eventful
}

TEST_CASE("The ring of events overwrites the oldest and counts them") {
  EventRing ring(2);
  for (int i = 1; i <= 3; ++i) ring.write({.number = i});
  Event e;
  CHECK(ring.overwritten() == 1);
  REQUIRE(ring.read(e));
  CHECK(e.number == 2);
  REQUIRE(ring.read(e));
  CHECK(e.number == 3);
  CHECK_FALSE(ring.read(e));
}

TEST_CASE("Told to end at full speed: a controlled stop, then power off, and nothing starts any more") {
  Stand stand(test::rig(test::jog_and_step));
  stand.make_live();
  stand.move("stick.left.x", 1).run(0.5);
  CHECK(stand.command("x").v == 50);
  stand.end().tick();
  CHECK(stand.state() == State::stopping);
  CHECK(stand.why("x").cause == Cause::program_ends);
  stand.run(0.14);  // 50 mm/s with 400 mm/s² and 40000 mm/s³: 135 ms
  CHECK(stand.state() == State::stowed);
  CHECK(stand.command("x").v == 0);
  CHECK(stand.command("x").mode == Mode::off);
  stand.move("stick.left.x", 0).tick();
  stand.release("shoulder.right").tap("menu.right").press("shoulder.right").run(0.1);
  CHECK(stand.state() == State::stowed);
}

TEST_CASE("What the far end stopped in by itself, while the program hung, is not taken up again") {
  // Of a servo, that nothing measures, nobody would notice.
  for (const bool expired : {false, true}) {
    CAPTURE(expired);
    Stand s(test::rig(test::one_axis + test::servo("tilt") + test::bind(R"("stick.left.x" = { jog = "tilt" })")));
    s.make_live().move("stick.left.x", 1).run(0.4).move("stick.left.x", 0).run(0.4).move("stick.left.x", 1).run(0.4);
    const AxisCommand before = s.command("tilt");
    REQUIRE(before.v > 20);
    const Span valid = s.rig().setup.links[0].frame_valid_for;
    s.tick_after(valid + (expired ? 2ms : -2ms));
    CHECK(s.state() == (expired ? State::tripped : State::stopping));
    CHECK(s.command("tilt").mode == (expired ? Mode::off : Mode::follow));
    const double at = s.command("tilt").p;
    s.run(1);
    CHECK(s.state() == State::tripped);
    CHECK((s.command("tilt").p == at) == expired);
    if (expired) CHECK(at == before.p);
  }
}
