// The kit that users test their own rigs with finds what it is there to find.
#include <gyrax/engine/engine.hpp>
#include <gyrax/testing/failing_links.hpp>
#include <gyrax/testing/limit_checker.hpp>
#include <gyrax/testing/manual_clock.hpp>

#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <cmath>

using namespace gyrax;
using namespace std::chrono_literals;
using testing::LimitChecker;

namespace {

const AxisLimits limits = *AxisLimits::make(0, 100, {50, 200, 2000, 400, 8000});

}  // namespace

TEST_CASE("The limit checker is quiet within the limits and names what was passed, by how much") {
  struct Case {
    const char* what;
    double from_a, p, v, a;
    double (LimitChecker::*passed)() const;
    double by;
  };
  // At 50 mm and 40 mm/s; the next tick is 10 ms long.
  const Case cases[] = {
      {"faster than the limit", 0, 50.455, 51, 0, &LimitChecker::speed, 1},
      {"gains with 210 where 200 are allowed", 200, 50.4, 42.05, 210, &LimitChecker::accel, 10},
      {"loses with 450 where 400 are allowed", -400, 50.4, 35.75, -450, &LimitChecker::accel, 50},
      {"30 mm/s² in 10 ms where 20 are allowed", 100, 50.4, 41.15, 130, &LimitChecker::jerk, 1000},
      {"a speed that its acceleration does not give", 100, 50.4, 44, 100, &LimitChecker::accel,
       300 - 20},  // 0.2 could be inside the tick
      {"leaps by a millimetre", 100, 51.4, 41, 100, &LimitChecker::leap, 0.994},
  };
  for (const Case& c : cases) {
    CAPTURE(c.what);
    LimitChecker checker(limits);
    checker.start(50, 40, 100);
    checker.tick(50.405, 41, 100, 0.01);
    CHECK(checker.worst() == 0);
    checker.start(50, 40, c.from_a);
    checker.tick(c.p, c.v, c.a, 0.01);
    CHECK((checker.*c.passed)() == doctest::Approx(c.by).epsilon(0.01));
  }
  LimitChecker nan(limits);
  nan.tick(std::nan(""), 0, 0, 0.01);
  CHECK(nan.worst() == HUGE_VAL);
  LimitChecker close(limits);
  close.start(98, 40);  // needs more than 2 mm to stop
  close.tick(98.2, 40, 0, 0.005);
  CHECK(close.travel() == doctest::Approx(0.2).epsilon(0.01));
}

TEST_CASE("The limit checker lets what is above a lowered limit come down, and not up again") {
  MotionLimits slow = limits.full();
  slow.speed = 10;
  LimitChecker checker(limits);
  checker.start(50, 40);
  checker.in_force(slow);
  const Profile down = change_speed({50, 40, 0}, 10, slow);
  AxisState s;
  for (double t = 0.004; t < 0.2; t += 0.004) {
    s = down.at(t);
    checker.tick(s.p, s.v, s.a, 0.004);
  }
  CHECK(checker.worst() == 0);
  CHECK(s.v == 10);
  checker.tick(s.p + 0.04, 10.01, 2, 0.004);
  CHECK(checker.speed() > 0);
}

TEST_CASE("A link that fails at the Nth call: limits hold, and the zone trips if it fails for too long") {
  const Rig rig = test::rig(test::jog_and_step);
  int tripped = 0, lived = 0;
  for (std::size_t first = 0; first < 400; first += 23) {
    for (const std::size_t count : std::initializer_list<std::size_t>{1, 20, 60, 500}) {
      testing::FailingLinks links(rig, 200 + first, count);
      testing::ManualClock clock;
      Engine engine(rig.setup);
      TickBuffers out(rig.setup);
      LimitChecker checker(rig.setup.axes[0].limits);
      std::vector<Reading> readings;
      std::uint32_t sequence = 0;
      const auto say = [&](ControlId control, std::int32_t raw) {
        readings.push_back({HandsetId{0}, control, ++sequence, clock.now(), clock.now(), raw});
      };
      const auto press = [&](const Effect& effect) {
        for (const BindingSetup& b : rig.setup.bindings)
          if (b.effect.index() == effect.index()) say(rig.setup.controls[index(b.slot)].control, 1);
      };
      for (int tick = 0; tick < 800; ++tick, clock.turn(rig.period)) {
        readings.clear();
        if (tick == 0) {
          say(ControlId::presence, 1);
          for (const ControlSetup& c : rig.setup.controls) say(c.control, 0);
        }
        if (tick == 20) press(effect::Ready{});
        if (tick == 30) press(effect::Enable{});
        if (tick == 100) say(ControlId{0}, 32767);
        engine.tick({clock.now(), readings, links.reports(clock.now())}, out.view());
        links.send(out.frames);
        // Where power is taken at once (category 0), the commanded speed ends at once, too.
        const AxisCommand& command = out.commands[0];
        if (command.mode == Mode::off) checker.start(command.p, command.v, command.a);
        checker.tick(command.p, command.v, command.a, to_seconds(rig.period));
        REQUIRE(links.machine().position(AxisId{0}) <= 100 + 1e-9);
      }
      CHECK(checker.worst() == 0);
      // 100 ms of silence are 50 ticks.
      const bool trips = engine.permit(ZoneId{0}).state() == State::tripped;
      CHECK(trips == (count > 50));
      ++(trips ? tripped : lived);
    }
  }
  CHECK(tripped > 10);
  CHECK(lived > 10);
}
