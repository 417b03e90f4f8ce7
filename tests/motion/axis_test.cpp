#include <gyrax/motion/motion.hpp>
#include <gyrax/testing/limit_checker.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <limits>

using namespace gyrax;

namespace {

AxisMotion axis(double low = 0, double high = 100) { return AxisMotion(*AxisLimits::make(low, high, 50, 200, 400)); }

void run(AxisMotion& a, double s, double dt = 0.002) {
  for (double t = 0; t < s; t += dt) a.advance(dt);
}

}  // namespace

TEST_CASE("Limits are refused at the edge, NaN too") {
  constexpr double nan = std::numeric_limits<double>::quiet_NaN(), inf = std::numeric_limits<double>::infinity();
  CHECK(AxisLimits::make(0, 1, 1, 1, AxisLimits::greatest));
  for (const double bad : {0.0, -1.0, nan, inf, std::nextafter(AxisLimits::greatest, inf)}) {
    CHECK_FALSE(AxisLimits::make(0, 1, bad, 1, 1));
    CHECK_FALSE(AxisLimits::make(0, 1, 1, bad, 1));
    CHECK_FALSE(AxisLimits::make(0, 1, 1, 1, bad));
  }
  for (const double bad : {0.0, -1.0, nan, inf}) CHECK_FALSE(AxisLimits::make(0, bad, 1, 1, 1));
}

TEST_CASE("A thousand steps of 0.01 end at 10.00, and back at 0") {
  AxisMotion a = axis();
  for (int i = 0; i < 1000; ++i) {
    REQUIRE(a.step(10'000'000));
    a.settle(1);
    run(a, 0.004);
  }
  run(a, 2);
  CHECK(a.goal() == 10'000'000'000);
  CHECK(a.state().p == 10.0);
  CHECK(a.at_rest());
  for (int i = 0; i < 1000; ++i) {
    a.step(-10'000'000);
    a.settle(1);
    run(a, 0.1);
  }
  CHECK(a.goal() == 0);
  CHECK(a.state().p == 0.0);
}

TEST_CASE("Steps stay exact where a double no longer holds a nanometre") {
  AxisMotion a = axis(0, 4e8);
  a.restart(1e8);
  for (int i = 0; i < 1000; ++i) {
    REQUIRE(a.step(1));
    a.settle(1);
    run(a, 0.004);
  }
  CHECK(a.goal() == 100'000'000'000'001'000);
}

TEST_CASE("Ten steps of 0.05 are 0.50, as integers") {
  AxisMotion a = axis();
  for (int i = 0; i < 10; ++i) a.step(50'000'000);
  a.settle(1);
  run(a, 1);
  CHECK(a.goal() == 500'000'000);
  CHECK(a.state().p == 0.5);
}

TEST_CASE("A step right after a jog counts from where the axis comes to rest, rounded once") {
  AxisMotion a = axis();
  a.jog(1, 1);
  run(a, 0.5);
  const double rest = a.state().p + stop_distance(a.state().v, 400);
  a.settle(1);
  REQUIRE(a.step(50'000'000));
  a.settle(1);
  run(a, 2);
  CHECK(a.goal() == to_nano(rest) + 50'000'000);
  CHECK(a.state().p == from_nano(a.goal()));
}

TEST_CASE("A step beyond the travel is refused whole; one that leads back in is not") {
  AxisMotion a = axis();
  CHECK_FALSE(a.step(-1));
  CHECK(a.step(100'000'000'000));
  CHECK_FALSE(a.step(1));
  CHECK_FALSE(a.step(std::numeric_limits<Nano>::max()));
  a.stop();
  a.restart(105);
  CHECK_FALSE(a.step(1'000'000'000));
  CHECK(a.step(-1'000'000'000));  // to 104: outside still, but on the way back
  CHECK_FALSE(a.step(500'000'000));
  CHECK(a.step(-6'000'000'000));
  CHECK_FALSE(a.step(-200'000'000'000));  // through, and out on the other side
}

TEST_CASE("Driven at its end, an axis comes to rest there exactly; backing off is immediate") {
  for (const double dt : {0.0002, 0.002, 0.0137, 0.1}) {
    AxisMotion a = axis();
    a.restart(60);
    a.jog(1, 1);
    run(a, 4, dt);
    CHECK(a.state().p == 100.0);
    CHECK(a.at_rest());
    CHECK(a.blocked_high());
    a.jog(-1, 1);
    CHECK_FALSE(a.blocked_high());
    a.advance(dt);
    CHECK(a.state().p < 100.0);
  }
}

TEST_CASE("From outside the travel an axis may only move back in") {
  AxisMotion a = axis();
  a.restart(-30);
  a.jog(-1, 1);
  run(a, 1);
  CHECK(a.state().p == -30);
  CHECK(a.blocked_low());
  a.jog(1, 1);
  run(a, 0.2);
  CHECK(a.state().p > -30);
  // Turned round on the way: it stops, and goes neither out nor on to the end.
  a.jog(-1, 1);
  double furthest = a.state().p;
  for (int i = 0; i < 500; ++i) {
    a.advance(0.002);
    REQUIRE(a.state().p >= furthest);
    furthest = a.state().p;
  }
  CHECK(a.at_rest());
  CHECK(furthest < 0);
}

TEST_CASE("Where nothing vouches for the position, the first move is slow, and only the first") {
  AxisMotion a = axis();
  a.restart(10, true);
  a.jog(1, 1);
  run(a, 1);
  CHECK(a.state().v == doctest::Approx(50 * AxisMotion::unsure_share));
  a.jog(0, 1);
  run(a, 1);
  a.jog(1, 1);
  run(a, 1);
  CHECK(a.state().v == doctest::Approx(50));
}

TEST_CASE("Zero, negative and NaN spans change nothing; NaN asks for rest") {
  AxisMotion a = axis();
  a.jog(1, 1);
  run(a, 0.1);
  const AxisState before = a.state();
  for (const double dt : {0.0, -0.0, -1.0, std::nan("")}) a.advance(dt);
  CHECK(a.state().p == before.p);
  CHECK(a.state().v == before.v);
  a.jog(std::nan(""), 1);
  run(a, 1);
  CHECK(a.at_rest());
}

TEST_CASE("Random asks, rates and ticks: limits hold between ticks as well, measured from the outputs") {
  test::Random random;
  std::size_t ticks = 0, near_speed = 0, near_accel = 0, near_brake = 0, at_end = 0;
  for (int round = 0; round < 60; ++round) {
    const double low = random.in(-200, 0), high = low + random.scale(1, 4000);
    const auto limits = *AxisLimits::make(low, high, random.scale(1, 300), random.scale(10, 3000), random.scale(10, 3000));
    AxisMotion a(limits);
    a.restart(random.in(low, high));
    testing::LimitChecker checker(limits);
    checker.start(a.state().p);
    for (int i = 0; i < 400; ++i) {
      const double rate = random.chance(0.7) ? 1 : random.in(0.05, 1);
      switch (random.whole(0, 4)) {
        case 0: a.stop(); break;
        case 1: a.go(to_nano(random.in(low, high)), rate); break;
        case 2:
          a.settle(rate);
          a.step(to_nano(random.in(-5, 5)));
          a.settle(rate);
          break;
        default: a.jog(random.chance(0.7) ? (random.chance(0.5) ? 1 : -1) : random.in(-1, 1), rate);
      }
      for (int k = random.whole(1, 20); k > 0; --k) {
        const double dt = random.scale(0.0002, 0.1);
        a.advance(dt);
        checker.tick(a.state().p, a.state().v, dt);
        // To the last digit, not only within rounding.
        REQUIRE(a.state().p >= low);
        REQUIRE(a.state().p <= high);
        REQUIRE(checker.worst() == 0);
      }
    }
    ticks += checker.ticks();
    near_speed += checker.near_speed();
    near_accel += checker.near_accel();
    near_brake += checker.near_brake();
    at_end += checker.at_end();
  }
  const auto percent = [&](std::size_t count) { return 100.0 * static_cast<double>(count) / static_cast<double>(ticks); };
  MESSAGE("ticks within 0.1 % of a limit: speed " << percent(near_speed) << " %, accel " << percent(near_accel) << " %, brake "
                                                  << percent(near_brake) << " %; at rest on an end " << percent(at_end) << " %");
  CHECK(percent(near_speed) > 5);
  CHECK(percent(near_accel) > 5);
  CHECK(percent(near_brake) > 5);
  CHECK(percent(at_end) > 0.5);
}

TEST_CASE("A group keeps its direction and its path speed, and ranks go before jog") {
  const AxisLimits limits[] = {*AxisLimits::make(0, 400, 180, 900, 1400), *AxisLimits::make(0, 300, 90, 900, 1400)};
  GroupSetup group;
  group.axes = {AxisId{0}, AxisId{1}};
  group.path_speed = 100;
  const GroupSetup groups[] = {group};
  Motion motion(limits, groups);
  Request requests[] = {{.jog = 1, .jogging = true}, {.jog = 1, .jogging = true}};
  for (int i = 0; i < 500; ++i) {
    motion.ask(0, requests, 1);
    motion.advance(0, 0.002);
  }
  const double vx = motion.axis(AxisId{0}).state().v, vy = motion.axis(AxisId{1}).state().v;
  CHECK(vx / vy == doctest::Approx(2));
  CHECK(std::hypot(vx, vy) == doctest::Approx(100));
  requests[0].going = true;
  requests[0].goal = 5'000'000'000;
  for (int i = 0; i < 5000; ++i) {
    motion.ask(0, requests, 1);
    motion.advance(0, 0.002);
  }
  CHECK(motion.axis(AxisId{0}).goal() == 5'000'000'000);
  CHECK(motion.axis(AxisId{0}).state().p == 5);
}
