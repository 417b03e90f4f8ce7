#include <gyrax/motion/ramp.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>

#include <cmath>

using namespace gyrax;

TEST_CASE("A full move, worked by hand") {
  // 100 mm at 50 mm/s, 100 mm/s² up, 200 mm/s² down: 0.5 s and 12.5 mm up, 0.25 s and 6.25 mm down, 81.25 mm between.
  const Ramp ramp = ramp_to({0, 0, 0}, 100, {50, 100, 200});
  CHECK(ramp.duration() == doctest::Approx(0.5 + 81.25 / 50 + 0.25));
  CHECK(ramp.at(0.5).p == doctest::Approx(12.5));
  CHECK(ramp.at(1).v == doctest::Approx(50));
  CHECK(ramp.at(ramp.duration() - 0.125).v == doctest::Approx(25));
  CHECK(ramp.at(1e9).p == 100);
  CHECK(ramp.at(1e9).v == 0);
  CHECK(ramp.at(0).p == 0);
  CHECK(ramp.at(std::nan("")).p == 0);
}

TEST_CASE("Too fast to stop in time: it stops beyond and comes back") {
  // From 40 mm/s with brake 100: stops 8 mm on. The target is at 3: beyond by 5, and back.
  const Ramp ramp = ramp_to({0, 40, 0}, 3, {50, 100, 100});
  CHECK(ramp.at(0.4).p == doctest::Approx(8));
  CHECK(ramp.at(0.4).v == doctest::Approx(0).epsilon(1e-9));
  CHECK(ramp.at(ramp.duration()).p == 3);
}

TEST_CASE("Random moves: within the limits at every instant, exact at the end, and as fast as can be") {
  test::Random random;
  int at_cruise = 0, at_accel = 0, checked = 0;
  for (int i = 0; i < 3'000; ++i) {
    const Pace pace{random.scale(0.1, 500), random.scale(1, 5000), random.scale(1, 5000)};
    const AxisState from{random.in(-200, 200), random.in(-1.5, 1.5) * pace.cruise, 0};
    const double target = random.chance(0.1) ? from.p : random.in(-200, 200);
    const Ramp ramp = ramp_to(from, target, pace);
    const double top = std::max(pace.cruise, std::abs(from.v)), hardest = std::max(pace.accel, pace.brake);
    AxisState last = from;
    const double dt = ramp.duration() / 200;
    for (int k = 1; k <= 200 && dt > 0; ++k) {
      const AxisState s = ramp.at(k * dt);
      REQUIRE(std::abs(s.v) <= top * (1 + 1e-9));
      REQUIRE(std::abs(s.v - last.v) <= hardest * dt * (1 + 1e-6) + 1e-9);
      if (s.v * last.v >= 0 && std::abs(s.v) > std::abs(last.v))
        REQUIRE(std::abs(s.v) - std::abs(last.v) <= pace.accel * dt * (1 + 1e-6) + 1e-9);
      REQUIRE(std::abs(s.p - last.p - (s.v + last.v) / 2 * dt) <= hardest * dt * dt / 4 * (1 + 1e-6) + 1e-9);
      at_cruise += std::abs(s.v) > pace.cruise * 0.999 ? 1 : 0;
      at_accel += std::abs(s.v - last.v) > 0.999 * std::min(pace.accel, pace.brake) * dt ? 1 : 0;
      ++checked;
      last = s;
    }
    REQUIRE(ramp.at(ramp.duration()).p == target);
    REQUIRE(ramp.at(ramp.duration() * 2 + 1).v == 0);
    // No faster way: halving the duration would need more than the limits give (a bound, not a search).
    const double way = std::abs(target - from.p);
    if (from.v == 0 && way > 0) REQUIRE(ramp.duration() >= way / pace.cruise);
  }
  CHECK(at_cruise > checked / 20);  // the limits were really met
  CHECK(at_accel > checked / 20);
}

TEST_CASE("A stop takes what its formulas say") {
  const Ramp ramp = ramp_to_rest({10, -180, 0}, 1400);
  CHECK(ramp.duration() == stop_time(-180, 1400));
  CHECK(ramp.at(1).p == 10 - stop_distance(180, 1400));
  CHECK(stop_distance(180, 1400) == doctest::Approx(11.5714).epsilon(1e-5));
}
