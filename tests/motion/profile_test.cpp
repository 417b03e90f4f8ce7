#include <gyrax/motion/profile.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <limits>

using namespace gyrax;

namespace {

constexpr MotionLimits limits{.speed = 50, .accel = 100, .jerk = 400, .decel = 200, .decel_jerk = 1600};

}  // namespace

TEST_CASE("Limits are refused at the edge, NaN too") {
  constexpr double nan = std::numeric_limits<double>::quiet_NaN(), inf = std::numeric_limits<double>::infinity();
  CHECK(AxisLimits::make(0, 1, {1, 1, AxisLimits::max_jerk, 1, 1}));
  double MotionLimits::*const numbers[] = {&MotionLimits::speed, &MotionLimits::accel, &MotionLimits::jerk,
                                           &MotionLimits::decel, &MotionLimits::decel_jerk};
  for (const auto number : numbers) {
    const bool jerk = number == &MotionLimits::jerk || number == &MotionLimits::decel_jerk;
    const double top = jerk ? AxisLimits::max_jerk : AxisLimits::max;
    for (const double good : {AxisLimits::min, top}) {
      MotionLimits p{1, 1, 1, 1, 1};
      p.*number = good;
      CHECK(AxisLimits::make(0, 1, p));
    }
    for (const double bad : {0.0, -1.0, std::nextafter(AxisLimits::min, 0), std::nextafter(top, inf), nan, inf}) {
      MotionLimits p{1, 1, 1, 1, 1};
      p.*number = bad;
      CHECK_FALSE(AxisLimits::make(0, 1, p));
    }
  }
  for (const double bad : {0.0, -1.0, nan, inf}) CHECK_FALSE(AxisLimits::make(0, bad, {1, 1, 1, 1, 1}));
}

TEST_CASE("A full move, worked by hand") {
  // Up to 50 mm/s: 0.25 s of jerk, 0.25 s at 100 mm/s², 0.25 s of jerk: 0.75 s at 25 mm/s in the mean, 18.75 mm.
  // Down: 0.125 s, 0.125 s at 200 mm/s², 0.125 s: 0.375 s and 9.375 mm. Between: 71.875 mm at 50 mm/s.
  const Profile move = move_to({0, 0, 0}, 100, limits);
  CHECK(move.duration() == doctest::Approx(0.75 + 71.875 / 50 + 0.375));
  CHECK(move.at(0.25).a == doctest::Approx(100));
  CHECK(move.at(0.25).v == doctest::Approx(12.5));
  CHECK(move.at(0.75).p == doctest::Approx(18.75));
  CHECK(move.at(1).v == doctest::Approx(50));
  const double end = move.duration();
  CHECK(move.at(end - 0.125).v == doctest::Approx(12.5));
  CHECK(move.at(end - 0.125).a == doctest::Approx(-200));
  CHECK(move.at(1e9).p == 100);
  CHECK(move.at(1e9).v == 0);
  CHECK(move.at(0).p == 0);
  CHECK(move.at(-1).p == 0);
  CHECK(move.at(std::nan("")).p == 0);
  CHECK(shortest_time({0, 0, 0}, 100, limits) == end);
}

TEST_CASE("A short move, worked by hand: neither limit is met") {
  // With one jerk j for all of it four equal stretches t make 2·j·t³: for 0.1 mm and 400 mm/s³, t = 0.05 s.
  const Profile move = move_to({5, 0, 0}, 4.9, {50, 100, 400, 100, 400});
  CHECK(move.duration() == doctest::Approx(0.2));
  CHECK(move.at(0.05).a == doctest::Approx(-20));
  CHECK(move.at(0.1).v == doctest::Approx(-1));
  CHECK(move.at(0.2).p == 4.9);
}

TEST_CASE("A stop takes what its numbers say") {
  // From 50 mm/s: 0.375 s and 9.375 mm; from 10 mm/s the brake does not come on fully: 2·√(10/1600) s at 5 mm/s in the
  // mean.
  const StopReach full = stop_reach({7, 50, 0}, limits), slow = stop_reach({0, -10, 0}, limits);
  CHECK(full.distance == doctest::Approx(9.375));
  CHECK(full.time_s == doctest::Approx(0.375));
  CHECK(slow.time_s == doctest::Approx(2 * std::sqrt(10.0 / 1600)));
  CHECK(slow.distance == doctest::Approx(-5 * slow.time_s));
  const Profile move = stop({7, 50, 0}, limits);
  CHECK(move.duration() == full.time_s);
  CHECK(move.end().p == doctest::Approx(7 + full.distance));
  CHECK(stop_reach({3, 0, 0}, limits).time_s == 0);
}

TEST_CASE("Too fast to stop in time: it stops beyond and comes back") {
  const Profile move = move_to({0, 40, 0}, 3, limits);
  const double furthest = stop_reach({0, 40, 0}, limits).distance;
  double top = 0;
  for (int k = 0; k <= 1000; ++k) top = std::max(top, move.at(move.duration() * k / 1000).p);
  CHECK(top > 3);
  CHECK(top <= furthest);
  CHECK(move.end().p == 3);
}

TEST_CASE("Above a speed that has come into force: down to it as fast as limits allow, and on from there") {
  MotionLimits slow = limits;
  slow.speed = 2.5;
  // 47.5 mm/s less: 0.125 s of jerk take 12.5 and 12.5, full deceleration the rest: 0.1125 s.
  const Profile move = move_to({0, 50, 0}, 100, slow);
  CHECK(move.at(0.125 + 0.1125 + 0.125).v == doctest::Approx(2.5));
  CHECK(move.at(0.125 + 0.1125).a == doctest::Approx(-200));
  CHECK(change_speed({0, 50, 0}, 99, slow).duration() == doctest::Approx(0.3625));
  // Where there is no room to come to rest at 2.5 first it brakes on and still rests there.
  CHECK(move_to({0, 50, 0}, 9.4, slow).at(9).p == 9.4);
}

TEST_CASE("Numbers that are none, or of the edge") {
  constexpr double nan = std::numeric_limits<double>::quiet_NaN(), inf = std::numeric_limits<double>::infinity();
  CHECK(change_speed({0, 0, 0}, nan, limits).duration() == 0);
  CHECK(change_speed({0, 0, 0}, inf, limits).end().v == 50);
  CHECK(change_speed({0, 0, 0}, -inf, limits).end().v == -50);
  CHECK(move_to({1, 0, 0}, 1, limits).duration() == 0);
  CHECK(move_to({0.0, 0, 0}, -0.0, limits).duration() == 0);
  const double next = std::nextafter(1.0, 2.0);
  CHECK(move_to({1, 0, 0}, next, limits).at(1).p == next);
  CHECK(move_to({-4e9, 0, 0}, 4e9, limits).at(1e12).p == 4e9);
  for (const MotionLimits& extreme : {MotionLimits{1e6, 1e6, 1e9, 1e6, 1e9}, MotionLimits{1e-6, 1e-6, 1e-6, 1e-6, 1e-6},
                                      MotionLimits{1e6, 1e-6, 1e9, 1e6, 1e-6}}) {
    const Profile move = move_to({0, 0, 0}, 100, extreme);
    CHECK(move.duration() > 0);
    CHECK(std::isfinite(move.duration()));
    CHECK(move.at(move.duration() / 2).p > 0);
    CHECK(move.at(move.duration() / 2).p < 100);
  }
}

TEST_CASE("Random moves, from outside the limits too: one piece without a jump, exact at the end") {
  test::Random random;
  for (int i = 0; i < 20'000; ++i) {
    const double speed = random.scale(0.1, 500), accel = random.scale(1, 5000), decel = random.scale(1, 5000);
    const MotionLimits p{speed, accel, accel * random.scale(1, 1000), decel, decel * random.scale(1, 1000)};
    const bool outside = random.chance(0.3);
    const AxisState from{random.in(-200, 200), random.in(-1, 1) * speed * (outside ? 10 : 1), random.in(-1, 1) * decel};
    const double target = random.chance(0.1) ? from.p : random.in(-200, 200);
    const Profile move = move_to(from, target, p);
    const double sharpest = std::max(p.jerk, p.decel_jerk), dt = move.duration() / 100;
    CAPTURE(i);
    AxisState last = from;
    for (int k = 1; k <= 100 && dt > 0; ++k) {
      const AxisState s = move.at(k * dt);
      const double scale = 1e-9 * (1 + std::abs(from.v) + std::abs(from.a) + sharpest * dt);
      REQUIRE(std::abs(s.a - last.a) <= sharpest * dt * (1 + 1e-6) + 1e-6 * (1 + decel + accel));
      REQUIRE(std::abs(s.v - last.v - (s.a + last.a) / 2 * dt) <= sharpest * dt * dt / 4 * (1 + 1e-6) + scale);
      REQUIRE(std::abs(s.p - last.p - (s.v + last.v) / 2 * dt + (s.a - last.a) * dt * dt / 12) <=
              0.0321 * sharpest * dt * dt * dt * (1 + 1e-6) + scale + 1e-9);
      last = s;
    }
    REQUIRE(move.at(move.duration()).p == target);
    REQUIRE(move.at(2 * move.duration() + 1).v == 0);
    REQUIRE(stop(from, p).duration() == stop_reach(from, p).time_s);
  }
}
