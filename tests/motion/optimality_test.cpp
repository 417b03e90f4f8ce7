// Moves against two references that share nothing with the motion room.
#include <gyrax/motion/profile.hpp>

#include "motion/reference.hpp"
#include "support/random.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace gyrax;

namespace {

/// The promise is 0.5 % and two ticks. What is found is far better, and held to that.
constexpr double bound = 1 + 1e-5;

/// A start from which every limit can be held.
bool holds(const AxisState& s, const MotionLimits& limits) {
  const double v = std::abs(s.v), a = std::abs(s.a);
  if (s.v * s.a >= 0) return a <= limits.accel && v + a * a / (2 * limits.jerk) <= limits.speed;
  const double through = std::max(0.0, a * a - 2 * limits.decel_jerk * v);
  return a <= limits.decel && std::sqrt(through) <= limits.accel && through / (2 * limits.jerk) <= limits.speed;
}

struct Case {
  MotionLimits limits;
  AxisState from;
  double way = 0;
  bool extreme = false, overshoots = false, tiny = false;
};

Case random_case(test::Random& random) {
  Case c;
  const double speed = random.scale(1, 500), accel = speed * random.scale(0.5, 50),
               decel = accel * random.scale(0.3, 4);
  c.limits = {speed, accel, accel * random.scale(2, 200), decel, decel * random.scale(2, 200)};
  c.extreme = random.chance(0.4);
  for (int tries = 0; tries < 1000; ++tries) {
    if (c.extreme) {
      // On a limit in speed, in acceleration, or where both together just can be held.
      const double sign = random.chance(0.5) ? 1 : -1;
      c.from.v = sign * speed * random.in(0.9, 1);
      c.from.a =
          random.chance(0.5)
              ? -sign * decel * random.in(0.9, 1)
              : sign * std::min(accel, std::sqrt(2 * c.limits.jerk * (speed - std::abs(c.from.v)))) * random.in(0.9, 1);
    } else {
      c.from.v = random.chance(0.2) ? 0 : random.in(-1, 1) * speed;
      c.from.a = random.chance(0.2) ? 0 : random.in(-1, 1) * std::max(accel, decel);
    }
    if (holds(c.from, c.limits)) break;
    c.from = {};
  }
  const double rest = stop_reach(c.from, c.limits).distance,
               scale = speed * speed / decel + speed * accel / c.limits.jerk;
  c.tiny = random.chance(0.12);
  if (c.tiny) {
    c.way = rest + scale * random.scale(1e-6, 1e-3) * (random.chance(0.5) ? 1 : -1);
  } else if (c.from.v != 0 && random.chance(0.5)) {
    c.way = rest - (c.from.v > 0 ? 1 : -1) * scale * random.scale(1e-3, 3);
  } else {
    c.way = rest + scale * random.scale(1e-3, 10) * (random.chance(0.5) ? 1 : -1);
  }
  c.overshoots = c.from.v * (c.way - rest) < 0;
  return c;
}

}  // namespace

TEST_CASE("Moves are as fast as a search over switching times finds") {
  test::Random random(6);
#if defined(__SANITIZE_ADDRESS__) || !defined(NDEBUG)
  constexpr int cases = 300;
#else
  constexpr int cases = 5000;
#endif
  int extreme = 0, overshoots = 0, tiny = 0, above = 0;
  double worst = 0, fastest = 10;
  for (int i = 0; i < cases; ++i) {
    const Case c = random_case(random);
    const double best =
        reference::switching_time(c.from.v, c.from.a, c.way,
                                  {c.limits.speed, c.limits.accel, c.limits.jerk, c.limits.decel, c.limits.decel_jerk});
    const double mine = shortest_time(c.from, c.way, c.limits);
    CAPTURE(i);
    CAPTURE(mine);
    CAPTURE(best);
    CAPTURE(c.from.v);
    CAPTURE(c.from.a);
    CAPTURE(c.way);
    CAPTURE(c.limits.speed);
    CAPTURE(c.limits.accel);
    CAPTURE(c.limits.jerk);
    CAPTURE(c.limits.decel);
    CAPTURE(c.limits.decel_jerk);
    CHECK(mine <= best * bound);
    CHECK(mine >= best / bound);
    above += mine > best * bound ? 1 : 0;
    worst = std::max(worst, mine / best);
    fastest = std::min(fastest, mine / best);
    extreme += c.extreme ? 1 : 0;
    overshoots += c.overshoots ? 1 : 0;
    tiny += c.tiny ? 1 : 0;
  }
  MESSAGE(cases << " moves, " << extreme << " from near their limits, " << overshoots << " that overshoot and return, "
                << tiny << " very short: greatest ratio to the reference " << worst << ", least " << fastest
                << ", above the bound " << above);
  CHECK(extreme >= cases * 3 / 10);
  CHECK(overshoots >= cases * 3 / 10);
  CHECK(tiny >= cases / 10);
}

TEST_CASE("No motion on a lattice, of all that there are, gets anywhere sooner") {
  test::Random random(7);
  int checked = 0;
  double nearest = 0;
  for (int round = 0; round < 60; ++round) {
    reference::Lattice l;
    l.step_s = random.scale(0.001, 0.1);
    l.accel_unit = random.scale(0.1, 1000);
    l.accel = random.whole(1, 6);
    l.decel = random.whole(1, 6);
    l.jerk = random.whole(1, 2);
    l.decel_jerk = random.whole(1, 2);
    l.speed = random.whole(4, 60);
    const reference::Limits r = l.limits();
    const MotionLimits limits{r.speed, r.accel, r.jerk, r.decel, r.decel_jerk};
    do {
      l.v0 = random.whole(static_cast<int>(-l.speed), static_cast<int>(l.speed));
      l.a0 = random.whole(-l.decel, l.decel);
    } while (!holds({0, l.start_speed(), l.start_accel()}, limits));
    const auto reach = l.reach(60);
    for (std::size_t k = 1; k < reach.size(); ++k) {
      if (!reach[k].possible) continue;
      for (const double way : {reach[k].low, reach[k].high}) {
        const double mine = shortest_time({0, l.start_speed(), l.start_accel()}, way, limits),
                     lattice = static_cast<double>(k) * l.step_s;
        CAPTURE(round);
        CAPTURE(k);
        CAPTURE(way);
        CAPTURE(l.v0);
        CAPTURE(l.a0);
        CAPTURE(l.speed);
        CAPTURE(l.accel);
        CAPTURE(l.decel);
        CAPTURE(l.jerk);
        CAPTURE(l.decel_jerk);
        CHECK(mine <= lattice * (1 + 1e-6));
        nearest = std::max(nearest, mine / lattice);
        ++checked;
      }
    }
  }
  MESSAGE(checked << " moves; the nearest takes " << nearest << " of the lattice's time");
  CHECK(checked > 2000);
}
