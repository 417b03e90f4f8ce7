#include <gyrax/envelope/envelope.hpp>
#include <gyrax/motion/axis.hpp>
#include <gyrax/motion/profile.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <random>
#include <vector>

using namespace gyrax;

namespace {

constexpr AxisId x{0};
constexpr double dt = 0.01;
/// 0 … 100, 50/s, gains with 200/s² and 2000/s³, loses with 400/s² and 8000/s³.
const Bounds bounds[] = {{0, 100, 50, 200, 2000, 400, 8000}};

AxisCommand follow(double p, double v, double a = 0) { return {Mode::follow, p, v, a, {}}; }

/// An envelope that has been brought within the limits to `p` at the speed `v` ≥ 0 and the acceleration `a` ≥ 0.
Envelope moving(double p, double v, double a = 0) {
  Envelope e(bounds);
  // Up to the acceleration that is asked for or needed, held, and down to what is asked for, by the jerk of 2000.
  const double peak = std::min(200.0, std::sqrt(2000 * v + a * a / 2));
  const double up = peak / 2000, down = (peak - a) / 2000;
  const double hold = (v - peak * up / 2 - (peak + a) / 2 * down) / peak;
  struct {
    double p, v, a;
  } s{0, 0, 0};
  std::vector<std::pair<AxisCommand, double>> commands;
  const auto stretch = [&](double span, double jerk) {
    for (double left = span; left > 1e-12; left -= dt) {
      const double t = std::min(left, dt);
      s.p += t * (s.v + t * (s.a / 2 + t * jerk / 6));
      s.v += t * (s.a + t * jerk / 2);
      s.a += t * jerk;
      commands.emplace_back(follow(s.p, s.v, s.a), t);
    }
  };
  stretch(up, 2000);
  stretch(hold, 0);
  stretch(down, -2000);
  const double from = p - s.p;
  e.restart(x, from);
  for (auto& [command, span] : commands) {
    command.p += from;
    REQUIRE(e.check(x, true, command, span) == Verdict::accepted);
  }
  return e;
}

}  // namespace

TEST_CASE("Commands within the limits pass untouched") {
  Envelope e = moving(50, 20);
  AxisCommand c = follow(50.2, 20);
  // moving() ends at 50 to rounding.
  CHECK(e.check(x, true, c, dt) == Verdict::accepted);
  CHECK(c.p == 50.2);
}

TEST_CASE("Each kind of bad command is refused, and replaced in the same tick by a ramp from the last accepted state") {
  constexpr double nan = std::numeric_limits<double>::quiet_NaN(), inf = std::numeric_limits<double>::infinity();
  struct Case {
    const char* what;
    double p, v, a = 0;
    bool may_move = true;
    Mode mode = Mode::follow;
  };
  const Case cases[] = {
      {"position is NaN", nan, 20},
      {"speed is NaN", 50.2, nan},
      {"acceleration is NaN", 50.2, 20, nan},
      {"position is infinite", inf, 20},
      {"faster than the limit", 50.35, 50.1},
      {"gains by more than the jerk", 50.2005, 20.15, 30},
      {"loses by more than the deceleration's jerk", 50.1985, 19.55, -90},
      {"a speed that its acceleration does not give", 50.2, 20.5},
      {"leaps", 51, 20},
      {"leaps back", 49, 20},
      {"does not fit its own speed", 50.2 + 0.001, 20},
      {"moves though it may not", 50.2, 20, 0, false},
      {"moves while holding", 50.2, 20, 0, true, Mode::stand},
      {"stands at once though it may not move", 50, 0, 0, false},
  };
  for (const Case& c : cases) {
    CAPTURE(c.what);
    Envelope e = moving(50, 20);
    AxisCommand command{c.mode, c.p, c.v, c.a, {}};
    CHECK(e.check(x, c.may_move, command, dt) == Verdict::refused);
    // From 20 with 8000/s³ in 10 ms: -80/s², 19.6, and 0.2 - 0.0013 further on.
    CHECK(command.a == doctest::Approx(-80));
    CHECK(command.v == doctest::Approx(19.6));
    CHECK(command.p == doctest::Approx(50.198667));
    CHECK(e.refusing(x));
    for (int i = 0; i < 10; ++i) {
      command = follow(77, 3);
      CHECK(e.check(x, true, command, dt) == Verdict::accepted);  // told once; its own ramp goes on
    }
    CHECK(command.v == 0);
    CHECK(command.a == 0);
    CHECK(command.p == doctest::Approx(51));  // 0.05 s on and 0.05 s off: 0.1 s at 10 in the mean
    CHECK(e.restart(x, command.p));
    CHECK_FALSE(e.refusing(x));
  }
}

TEST_CASE(
    "Its own ramp from wherever the motion was: as short as a stop can be, inside the deceleration limits, in one "
    "piece") {
  const MotionLimits limits{50, 200, 2000, 400, 8000};
  for (const auto& start : {std::pair{20.0, 0.0}, {30.0, 150.0}, {45.0, 0.0}, {3.0, 0.0}, {1.0, 40.0}, {0.3, 10.0}}) {
    const double v = start.first, a = start.second;
    for (const double span : {0.0007, 0.01, 0.5}) {
      CAPTURE(v);
      CAPTURE(a);
      CAPTURE(span);
      Envelope e = moving(50, v, a);
      AxisCommand last = follow(50, v, a), c = last;
      double t = 0;
      for (; t < 1; t += span) {
        c = follow(0, 0);
        e.check(x, true, c, span);
        if (span < 0.01) REQUIRE(std::abs(c.a - last.a) <= 8000 * span * (1 + 1e-6) + 1e-6);
        REQUIRE(c.a >= -400 * (1 + 1e-9));
        last = c;
        if (c.v == 0 && c.a == 0) break;
      }
      const StopReach reach = stop_reach({0, v, a}, limits);
      CHECK(c.p == doctest::Approx(50 + reach.distance).epsilon(1e-9));
      CHECK(t <= reach.time_s);
    }
  }
}

TEST_CASE("Travel: no command without room to stop in, outside only back in") {
  Envelope e = moving(98, 20);  // can stop within 1
  AxisCommand c = follow(98.2, 20);
  CHECK(e.check(x, true, c, dt) == Verdict::accepted);
  Envelope close = moving(98.9, 20);
  c = follow(99.1, 20);  // would stop at 100.1
  CHECK(close.check(x, true, c, dt) == Verdict::refused);
  // Alone at 20.1 it would stop at 99.91; what still accelerates takes it past 100.
  Envelope pushing = moving(98.7, 20);
  c = follow(98.7 + 0.2 + 20 * dt * dt / 6, 20.1, 20);
  CHECK(pushing.check(x, true, c, dt) == Verdict::refused);
  Envelope further = moving(98.4, 20);
  c.p -= 0.3;
  CHECK(further.check(x, true, c, dt) == Verdict::accepted);
  for (const double sign : {1.0, -1.0}) {
    Envelope outside(bounds);
    outside.restart(x, 103);
    c = follow(103 + sign * 20 * dt * dt / 6, sign * 0.1, sign * 20);
    CHECK(outside.check(x, true, c, dt) == (sign > 0 ? Verdict::refused : Verdict::accepted));
  }
}

TEST_CASE("A stop on the way back into the travel passes, also where rounding leaves a last digit of speed outwards") {
  const MotionLimits full{.speed = 50, .accel = 200, .jerk = 20'000, .decel = 400, .decel_jerk = 40'000};
  const Bounds its[] = {{0, 100, full.speed, full.accel, full.jerk, full.decel, full.decel_jerk}};
  std::mt19937 random(3);
  int digits = 0;
  for (int round = 0; round < 3000; ++round) {
    CAPTURE(round);
    const bool high = round % 2 == 0;
    const double from = high ? 103 : -3, way = high ? -1 : 1;
    AxisMotion motion(*AxisLimits::make(0, 100, full));
    Envelope e(its);
    motion.restart(from);
    e.restart(x, from);
    motion.jog(way * std::uniform_real_distribution<>(1, 50)(random));
    const int stops_after = std::uniform_int_distribution<>(2, 40)(random);
    for (int tick = 0; tick < 200; ++tick) {
      if (tick == stops_after) motion.stop();
      motion.advance(0.002);
      AxisCommand c = follow(motion.state().p, motion.state().v, motion.state().a);
      if (c.v * way < 0) ++digits;
      REQUIRE(e.check(x, true, c, 0.002) == Verdict::accepted);
    }
  }
  CHECK(digits > 0);
}

TEST_CASE("The limit itself passes, the next step beyond does not") {
  struct Case {
    double v, a, to_a;
    Verdict verdict;
  };
  // Jerk and acceleration at their limits, and a thousandth beyond.
  const Case cases[] = {{20, 0, 20, Verdict::accepted},    {20, 0, 20.02, Verdict::refused},
                        {20, 0, -80, Verdict::accepted},   {20, 0, -80.08, Verdict::refused},
                        {30, 190, 200, Verdict::accepted}, {30, 190, 200.2, Verdict::refused}};
  for (const Case& k : cases) {
    CAPTURE(k.to_a);
    Envelope e = moving(50, k.v, k.a);
    AxisCommand c = follow(50 + dt * (k.v + dt * (2 * k.a + k.to_a) / 6), k.v + dt * (k.a + k.to_a) / 2, k.to_a);
    CHECK(e.check(x, true, c, dt) == k.verdict);
  }
}

TEST_CASE("At full speed a little more is too much, though nothing else is wrong with it") {
  Envelope e = moving(50, 49.95, 10);
  AxisCommand c = follow(50 + dt * (49.95 + dt * (2 * 10 + 10) / 6), 50.05, 10);
  CHECK(e.check(x, true, c, dt) == Verdict::refused);
  Envelope f = moving(50, 50);
  c = follow(50.5, 50);
  CHECK(f.check(x, true, c, dt) == Verdict::accepted);
}

TEST_CASE("A tick of no length may not move anything") {
  Envelope e(bounds);
  e.restart(x, 10);
  AxisCommand c = follow(10, 0);
  CHECK(e.check(x, true, c, 0) == Verdict::accepted);
  c = follow(10.1, 0);
  CHECK(e.check(x, true, c, 0) == Verdict::refused);
  CHECK(c.p == 10);
  Envelope g(bounds);
  g.restart(x, 10);
  c = follow(10, 0);
  CHECK(g.check(x, true, c, -1) == Verdict::refused);
}

TEST_CASE("It does not restart while it moves, or at a place that is none") {
  Envelope e = moving(50, 20);
  CHECK_FALSE(e.restart(x, 50));
  Envelope f(bounds);
  CHECK_FALSE(f.restart(x, std::nan("")));
}

TEST_CASE("Where the check has a short way to yes, it says what the long way says: of anything, moving or not") {
  std::mt19937_64 random(5);
  const auto in = [&](double low, double high) { return std::uniform_real_distribution<double>(low, high)(random); };
  const double odd[] = {std::nan(""), std::numeric_limits<double>::infinity(), -1, 101, 1e300, 0, -0.0};
  std::size_t accepted = 0, refused = 0;
  for (int one = 0; one < 3000; ++one) {
    Envelope quick(bounds), whole(bounds, Recompute::everything);
    double p = in(0, 100), v = 0;
    quick.restart(x, p);
    whole.restart(x, p);
    for (int tick = 0; tick < 40; ++tick) {
      // Gains speed gently, goes on, stands; and now and then something else.
      const double a = tick < 15 ? 20.0 * (one % 2 == 0 ? 1 : -1) : 0;
      p += v * dt + a * dt * dt / 2;
      v += a * dt;
      AxisCommand command = one % 7 == 0 ? follow(p - v * dt, 0) : follow(p, v, a);
      const double chance = in(0, 1);
      if (chance < 0.01) (chance < 0.003 ? command.p : chance < 0.006 ? command.v : command.a) = odd[random() % 7];
      if (chance > 0.99) command.mode = Mode::stand;
      const bool may_move = !(chance > 0.98 && chance < 0.985);
      const double span = chance > 0.97 && chance < 0.975 ? -dt : dt;
      AxisCommand again = command;
      const Verdict verdict = quick.check(x, may_move, command, span);
      REQUIRE(verdict == whole.check(x, may_move, again, span));
      REQUIRE(command.p == again.p);
      REQUIRE(command.v == again.v);
      REQUIRE(command.a == again.a);
      ++(verdict == Verdict::accepted ? accepted : refused);
    }
  }
  CHECK(accepted > 10'000);
  CHECK(refused > 1'000);
}
