#include <gyrax/motion/motion.hpp>

#include "support/heap.hpp"
#include "support/random.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>

using namespace gyrax;
using Step = AxisMotion::Step;

namespace {

constexpr MotionLimits full{.speed = 50, .accel = 200, .jerk = 4000, .decel = 400, .decel_jerk = 16000};
constexpr Nano micron = 1'000;

AxisMotion axis(double low = 0, double high = 100) { return AxisMotion(*AxisLimits::make(low, high, full)); }

void run(AxisMotion& a, double s, double dt = 0.002) {
  for (double t = 0; t < s; t += dt) a.advance(dt);
}

}  // namespace

TEST_CASE("A thousand steps of 0.01 end at 10.00, and back at 0") {
  AxisMotion a = axis();
  for (int i = 0; i < 1000; ++i) {
    REQUIRE(a.step(10'000'000) == Step::taken);
    a.settle();
    run(a, 0.004);
  }
  run(a, 2);
  CHECK(a.goal() == 10'000'000'000);
  CHECK(a.state().p == 10.0);
  CHECK(a.at_rest());
  for (int i = 0; i < 1000; ++i) {
    a.step(-10'000'000);
    a.settle();
    run(a, 0.1);
  }
  CHECK(a.goal() == 0);
  CHECK(a.state().p == 0.0);
}

TEST_CASE("Steps stay exact where a double no longer holds a nanometre") {
  AxisMotion a = axis(0, 4e8);
  a.restart(1e8);
  for (int i = 0; i < 1000; ++i) {
    REQUIRE(a.step(1) == Step::taken);
    a.settle();
    run(a, 0.004);
  }
  CHECK(a.goal() == 100'000'000'000'001'000);
}

TEST_CASE("Ten steps of 0.05 are 0.50, as integers") {
  AxisMotion a = axis();
  for (int i = 0; i < 10; ++i) a.step(50'000'000);
  a.settle();
  run(a, 1);
  CHECK(a.goal() == 500'000'000);
  CHECK(a.state().p == 0.5);
}

TEST_CASE("A step right after a jog counts from where the axis comes to rest, rounded once") {
  AxisMotion a = axis();
  a.jog(50);
  run(a, 0.5);
  const double rest = a.state().p + stop_reach(a.state(), full).distance;
  a.settle();
  REQUIRE(a.step(50'000'000) == Step::taken);
  a.settle();
  run(a, 2);
  CHECK(a.goal() == to_nano(rest) + 50'000'000);
  CHECK(a.state().p == from_nano(a.goal()));
}

TEST_CASE("A step beyond the travel is refused whole; one that leads back in is not") {
  AxisMotion a = axis();
  CHECK(a.step(-1) == Step::beyond_travel);
  CHECK(a.step(100'000'000'000) == Step::taken);
  CHECK(a.step(1) == Step::beyond_travel);
  CHECK(a.step(std::numeric_limits<Nano>::max()) == Step::beyond_travel);
  a.stop();
  a.restart(105);
  CHECK(a.step(1'000'000'000) == Step::beyond_travel);
  CHECK(a.step(-1'000'000'000) == Step::taken);  // to 104: outside still, but on the way back
  CHECK(a.step(500'000'000) == Step::beyond_travel);
  CHECK(a.step(-6'000'000'000) == Step::taken);
  CHECK(a.step(-200'000'000'000) == Step::beyond_travel);  // through, and out on the other side
}

TEST_CASE("More steps than it can keep up with are refused, and only those") {
  AxisMotion a = axis();
  int taken = 0;
  while (a.step(micron) == Step::taken) ++taken;
  CHECK(taken == AxisMotion::most_pending);
  CHECK(a.step(micron) == Step::too_many);
  CHECK(a.step(-micron) == Step::taken);  // back is always possible
  CHECK(a.step(1000 * micron) == Step::taken);
  a.settle();
  run(a, 2);
  CHECK(a.goal() == (taken - 1 + 1000) * micron);
  CHECK(a.state().p == from_nano(a.goal()));
}

TEST_CASE("Steps against a model: whole increments in integers, whatever comes in between") {
  test::Random random;
  for (int round = 0; round < 200; ++round) {
    AxisMotion a = axis(-50, 50);
    Nano model = 0;
    for (int i = 0; i < 60; ++i) {
      const Nano by = random.whole(-400, 400) * 10 * micron;
      const Step step = a.step(by);
      const Nano goal = model + by;
      CHECK((step == Step::beyond_travel) == (goal > 50'000'000 * micron || goal < -50'000'000 * micron));
      if (step == Step::taken) model = goal;
      a.settle();
      run(a, random.chance(0.7) ? random.scale(0.001, 0.1) : 0, random.scale(0.0002, 0.02));
      // A jog in between: from then on it counts from where the axis comes to rest.
      if (!random.chance(0.05)) continue;
      a.jog(random.in(-50, 50));
      run(a, random.in(0.01, 0.3));
      a.settle();
      model = a.rest_point();
    }
    a.settle();
    run(a, 4);
    REQUIRE(a.at_rest());
    REQUIRE(to_nano(a.state().p) == model);
  }
}

TEST_CASE("A handwheel that keeps every count: exact, however long the axis needs; turning back cancels what is owed") {
  AxisMotion a = axis();
  CHECK(a.wheel(5000, 10 * micron * 1000, 0) == 0);  // 50 mm
  a.settle();
  run(a, 0.1);
  CHECK(a.wheel(-4500, 10 * micron * 1000, 0) == 0);
  a.settle();
  run(a, 3);
  CHECK(a.goal() == 5'000'000 * micron);
  CHECK(a.state().p == 5);
  // Beyond the end of travel only whole counts that fit are taken.
  CHECK(a.wheel(10'000, 10 * micron * 1000, 0) == 500);
  a.settle();
  run(a, 5);
  CHECK(a.state().p == 100);
  CHECK(a.wheel(3, 10 * micron * 1000, 0) == 3);
  CHECK(a.wheel(-3, 10 * micron * 1000, 0) == 0);
}

TEST_CASE("A handwheel that owes no more than a set distance: it stops when the wheel stops") {
  test::Random random;
  for (int round = 0; round < 50; ++round) {
    AxisMotion a = axis();
    a.restart(50);
    const Nano click = random.whole(1, 100) * 1000 * micron, most = random.whole(1, 50) * 100'000 * micron;
    std::int64_t taken = 0;
    for (int i = 0; i < 500; ++i) {
      const std::int64_t counts = random.whole(-20, 25);
      taken += counts - a.wheel(counts, click, most);
      a.settle();
      a.advance(0.004);
      const double decel = std::abs(stop_reach(a.state(), full).distance);
      const double owed = from_nano(a.goal()) - a.state().p;
      // While it still brakes from the other direction it cannot help moving away from what was asked just now.
      if (owed * a.state().v >= 0) REQUIRE(std::abs(owed) <= std::max(from_nano(most), decel) + 50 * 0.004);
    }
    const double before = a.state().p;
    run(a, 3);
    CHECK(a.goal() == 50'000'000 * micron + taken * click);
    CHECK(a.state().p == from_nano(a.goal()));
    CHECK(std::abs(a.state().p - before) <= from_nano(most) + 3.2);  // 50²/(2·400) and a little for the ramps
  }
}

TEST_CASE(
    "Follow: taking hold never leaps, the axis comes at the catch-up speed, meets the control and then follows it") {
  AxisMotion a = axis();
  a.restart(10);
  a.follow(60, 5);
  run(a, 2);
  CHECK_FALSE(a.met());
  CHECK(a.state().v == doctest::Approx(5));
  // The control comes to meet it.
  a.follow(15, 5);
  run(a, 2);
  CHECK(a.met());
  a.follow(60, 5);
  run(a, 0.5);
  CHECK(a.state().v == doctest::Approx(50));
  run(a, 2);
  CHECK(a.state().p == 60);
  // Losing hold stops it; what is held beyond the travel is its end; NaN is rest.
  a.follow(1e6, 5);
  run(a, 0.2);
  a.settle();
  run(a, 1);
  CHECK(a.at_rest());
  CHECK(a.state().p < 100);
  a.follow(std::nan(""), 5);
  run(a, 1);
  CHECK(a.at_rest());
  a.follow(1e6, 50);
  run(a, 5);
  CHECK(a.state().p == 100);
}

TEST_CASE("Limits change in flight: down to the new ones in the least time, deceleration untouched") {
  AxisMotion a = axis(0, 1e6);
  a.jog(50);
  run(a, 1);
  REQUIRE(a.state().v == 50);
  a.scale(0.05, 1);
  const double least = change_speed(a.state(), 2.5, a.in_force()).duration();
  double t = 0;
  for (; a.state().v > 2.5; t += 0.001) a.advance(0.001);
  CHECK(t <= least + 0.0011);
  run(a, 0.1);
  CHECK(a.state().v == 2.5);
  // Half the acceleration while it accelerates: what is above goes down by the jerk.
  a.scale(1, 1);
  run(a, 0.1);
  REQUIRE(a.state().a == 200);
  a.scale(1, 0.5);
  run(a, 0.0245, 0.0001);
  CHECK(a.state().a > 100);
  run(a, 0.001, 0.0001);
  CHECK(a.state().a == 100);
  a.stop();
  const StopReach reach = stop_reach(a.state(), full);
  const double from = a.state().p;
  run(a, reach.time_s + 0.002);
  CHECK(a.at_rest());
  CHECK(a.state().p == doctest::Approx(from + reach.distance).epsilon(1e-12));
}

TEST_CASE("Pushing its end through every change of mind, an axis rests on it or short of it, never beyond") {
  for (const double dt : {0.0002, 0.0017, 0.05}) {
    AxisMotion a = axis();
    a.restart(80);
    for (int i = 0; i < 400; ++i) {
      a.jog(i % 3 == 0 ? 12 : i % 3 == 1 ? 50 : 31);
      a.scale(i % 5 == 0 ? 0.3 : 1, i % 7 == 0 ? 0.5 : 1);
      run(a, 0.01, dt);
      REQUIRE(a.state().p <= 100);
    }
    run(a, 2, dt);
    CHECK(a.state().p == 100);
    CHECK(a.blocked_high());
  }
}

TEST_CASE("Driven at its end, an axis comes to rest there exactly; backing off is immediate") {
  for (const double dt : {0.0002, 0.002, 0.0137, 0.1}) {
    AxisMotion a = axis();
    a.restart(60);
    a.jog(50);
    run(a, 4, dt);
    CHECK(a.state().p == 100.0);
    CHECK(a.at_rest());
    CHECK(a.blocked_high());
    a.jog(-50);
    CHECK_FALSE(a.blocked_high());
    a.advance(dt);
    CHECK(a.state().p < 100.0);
  }
}

TEST_CASE("From outside the travel an axis may only move back in") {
  AxisMotion a = axis();
  a.restart(-30);
  a.jog(-50);
  run(a, 1);
  CHECK(a.state().p == -30);
  CHECK(a.blocked_low());
  a.jog(50);
  run(a, 0.2);
  CHECK(a.state().p > -30);
  // Turned round on the way: it stops, and goes neither out nor on to the end.
  a.jog(-50);
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
  a.jog(50);
  run(a, 1);
  CHECK(a.state().v == doctest::Approx(50 * AxisMotion::unsure_share));
  a.jog(0);
  run(a, 1);
  a.jog(50);
  run(a, 1);
  CHECK(a.state().v == doctest::Approx(50));
}

TEST_CASE("Zero, negative and NaN spans change nothing; NaN asks for rest") {
  AxisMotion a = axis();
  a.jog(50);
  run(a, 0.1);
  const AxisState before = a.state();
  for (const double dt : {0.0, -0.0, -1.0, std::nan("")}) a.advance(dt);
  CHECK(a.state().p == before.p);
  CHECK(a.state().v == before.v);
  a.jog(std::nan(""));
  run(a, 1);
  CHECK(a.at_rest());
}

TEST_CASE("A group keeps its direction and its path speed, and ranks go before jog") {
  const AxisLimits limits[] = {*AxisLimits::make(0, 400, {180, 900, 9000, 1400, 20000}),
                               *AxisLimits::make(0, 300, {90, 900, 9000, 1400, 20000})};
  GroupSetup group;
  group.axes = {AxisId{0}, AxisId{1}};
  group.path_speed = 100;
  const GroupSetup groups[] = {group};
  Motion motion(limits, groups);
  Request requests[] = {{.jog = 1, .jogging = true}, {.jog = 1, .jogging = true}};
  for (int i = 0; i < 500; ++i) {
    motion.ask(0, requests, {.path_speed = 100});
    motion.advance(0, 0.002);
  }
  const double vx = motion.axis(AxisId{0}).state().v, vy = motion.axis(AxisId{1}).state().v;
  CHECK(vx / vy == doctest::Approx(2));
  CHECK(std::hypot(vx, vy) == doctest::Approx(100));
  requests[0].going = true;
  requests[0].goal = 5'000'000'000;
  for (int i = 0; i < 5000; ++i) {
    motion.ask(0, requests, {.path_speed = 100});
    motion.advance(0, 0.002);
  }
  CHECK(motion.axis(AxisId{0}).goal() == 5'000'000'000);
  CHECK(motion.axis(AxisId{0}).state().p == 5);
}

TEST_CASE("To a pose: on a straight line, together, each inside its limits; held, resumed, and given up at any time") {
  const AxisLimits limits[] = {*AxisLimits::make(0, 400, {180, 900, 9000, 1400, 20000}),
                               *AxisLimits::make(0, 300, {90, 450, 4000, 600, 9000}),
                               *AxisLimits::make(-180, 180, {60, 200, 1000, 300, 3000})};
  GroupSetup group;
  group.axes = {AxisId{0}, AxisId{1}, AxisId{2}};
  const GroupSetup groups[] = {group};
  const double goals[] = {300.05, 20.1, -90};
  Request requests[3];
  for (std::size_t i = 0; i < 3; ++i) requests[i] = {.going = true, .posing = true, .goal = to_nano(goals[i])};
  const Request none[3] = {};
  for (const bool held : {false, true}) {
    Motion motion(limits, groups);
    double t = 0;
    bool arrived[3] = {}, together = true;
    for (int i = 0; i < 5000 && motion.axis(AxisId{0}).goal() != requests[0].goal; ++i) {
      const bool pause = held && i > 300 && i < 700;
      motion.ask(0, pause ? none : requests, {});
      motion.advance(0, 0.002);
      if (pause && i == 690) CHECK(motion.axis(AxisId{0}).at_rest());
      t += 0.002;
      const double share = motion.axis(AxisId{0}).state().p / goals[0];
      for (std::size_t a = 0; a < 3; ++a) {
        const AxisState& s = motion.axis(id_at<AxisId>(a)).state();
        REQUIRE(s.p == doctest::Approx(share * goals[a]).epsilon(1e-9));
        arrived[a] = s.p == goals[a];
      }
      together = together && arrived[0] == arrived[1] && arrived[1] == arrived[2];
    }
    for (std::size_t a = 0; a < 3; ++a) {
      CHECK(motion.axis(id_at<AxisId>(a)).state().p == goals[a]);
    }
    CHECK(together);
    // Along 300.05 mm of x its own speed decides, and all else the turntable that does 90 deg on the way.
    const double x_for_deg = 300.05 / 90;
    const MotionLimits line{180, 200 * x_for_deg, 1000 * x_for_deg, 300 * x_for_deg, 3000 * x_for_deg};
    if (!held) CHECK(t == doctest::Approx(shortest_time({}, 300.05, line)).epsilon(0.001));
  }
  // Given up it comes to rest on the line. So does a coupled group that is stopped; any other's axes brake for
  // themselves.
  enum class End { given_up, coupled, stopped };
  for (const End end : {End::given_up, End::coupled, End::stopped}) {
    std::vector<GroupSetup> ended(std::begin(groups), std::end(groups));
    ended[0].together = end == End::coupled;
    Motion motion(limits, ended);
    for (int i = 0; i < 400; ++i) {
      motion.ask(0, requests, {});
      motion.advance(0, 0.002);
    }
    const std::vector<Request> nothing(std::size(requests));
    for (int i = 0; i < 300; ++i) {
      if (end == End::given_up) motion.ask(0, nothing, {});
      if (end != End::given_up) motion.stop(0);
      motion.advance(0, 0.002);
    }
    CHECK_FALSE(motion.on_path(0));
    const double slope = motion.axis(AxisId{1}).state().p / motion.axis(AxisId{0}).state().p;
    CHECK((slope == doctest::Approx(20.1 / 300.05)) == (end != End::stopped));
  }
}

TEST_CASE("No move takes memory: jogs, steps, counts, following, poses") {
  const AxisLimits limits[] = {*AxisLimits::make(0, 100, full), *AxisLimits::make(0, 100, full)};
  GroupSetup group;
  group.axes = {AxisId{0}, AxisId{1}};
  const GroupSetup groups[] = {group};
  Motion motion(limits, groups);
  test::Random random(9);
  const std::size_t before = test::allocations();
  for (int i = 0; i < 20'000; ++i) {
    Request requests[2];
    const int kind = i / 400 % 5;
    for (Request& r : requests) {
      r.jogging = kind == 0;
      r.jog = random.in(-1, 1);
      r.following = kind == 1;
      r.position = random.in(0, 100);
      r.catch_up = 10;
      r.going = kind >= 3;
      r.posing = kind == 4;
      r.goal = i / 400 * 1'000'000'000LL;
    }
    if (kind == 2) motion.wheel(AxisId{0}, random.whole(-5, 5), 1'000'000, 0);
    motion.ask(0, requests, {.speed = i % 3 == 0 ? 0.5 : 1, .path_speed = 40});
    motion.advance(0, 0.002);
  }
  CHECK(test::allocations() == before);
  CHECK(motion.axis(AxisId{0}).state().p > 0);
}

TEST_CASE("A pose that is asked for in motion waits until its axes are at rest") {
  const AxisLimits limits[] = {*AxisLimits::make(0, 400, {180, 900, 9000, 1400, 20000}),
                               *AxisLimits::make(0, 300, {90, 900, 9000, 1400, 20000})};
  GroupSetup group;
  group.axes = {AxisId{0}, AxisId{1}};
  const GroupSetup groups[] = {group};
  Motion motion(limits, groups);
  Request requests[] = {{.jog = 1, .jogging = true}, {}};
  for (int i = 0; i < 500; ++i) {
    motion.ask(0, requests, {});
    motion.advance(0, 0.002);
  }
  REQUIRE(motion.axis(AxisId{0}).state().v == 180);
  requests[0] = {.going = true, .posing = true, .goal = 10'000'000'000};
  requests[1] = {.going = true, .posing = true, .goal = 200'000'000'000};
  double last = 180;
  bool rested = false;
  for (int i = 0; i < 5000; ++i) {
    motion.ask(0, requests, {});
    motion.advance(0, 0.002);
    const double v = motion.axis(AxisId{0}).state().v;
    // No faster than by its deceleration, 1400 mm/s² for 2 ms.
    REQUIRE(std::abs(v - last) <= 2.8 + 1e-9);
    rested = rested || v == 0;
    if (!rested) REQUIRE(motion.axis(AxisId{1}).state().v == 0);
    last = v;
  }
  CHECK(motion.axis(AxisId{0}).state().p == 10);
  CHECK(motion.axis(AxisId{1}).state().p == 200);
}

TEST_CASE("What has not changed is not worked out again, and that changes no digit of any move") {
  test::Random random(77);
  std::size_t cruised = 0, tracked = 0;
  for (int one = 0; one < 200; ++one) {
    const MotionLimits limits{.speed = random.scale(1, 500),
                              .accel = random.scale(10, 5000),
                              .jerk = random.scale(100, 1e5),
                              .decel = random.scale(10, 5000),
                              .decel_jerk = random.scale(100, 1e5)};
    const AxisLimits travel = *AxisLimits::make(-100, 100, limits);
    AxisMotion quick(travel), whole(travel, Recompute::everything);
    const auto both = [&](auto f) {
      f(quick);
      f(whole);
    };
    double target = 0;
    int what = 0;
    for (int tick = 0; tick < 1000; ++tick) {
      if (random.chance(0.01)) what = random.whole(0, 5);
      if (random.chance(0.01)) target = random.in(-110, 110);
      const double dt = random.chance(0.02) ? random.scale(1e-5, 1) : 0.002, tremor = random.in(-0.1, 0.1);
      const double share = random.chance(0.01) ? random.in(0, 1) : 1;
      both([&](AxisMotion& a) {
        if (share < 1) a.scale(share, share);
        if (what == 0) a.jog(target);
        if (what == 1) a.go(to_nano(target));
        if (what == 2) a.follow(target + tremor, 20);
        if (what == 3) a.settle();
        if (what == 4 && tick % 100 == 0) a.step(to_nano(target) / 10);
        if (what == 5) a.stop();
        a.advance(dt);
      });
      const AxisState &s = quick.state(), &t = whole.state();
      REQUIRE(std::bit_cast<std::uint64_t>(s.p) == std::bit_cast<std::uint64_t>(t.p));
      REQUIRE(std::bit_cast<std::uint64_t>(s.v) == std::bit_cast<std::uint64_t>(t.v));
      REQUIRE(std::bit_cast<std::uint64_t>(s.a) == std::bit_cast<std::uint64_t>(t.a));
      REQUIRE(quick.has_goal() == whole.has_goal());
      cruised += what == 0 && s.a == 0 && s.v != 0 ? 1 : 0;
      tracked += what == 2 && s.v != 0 ? 1 : 0;
    }
  }
  CHECK(cruised > 1000);
  CHECK(tracked > 10'000);
}
