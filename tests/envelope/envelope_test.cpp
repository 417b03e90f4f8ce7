#include <gyrax/envelope/envelope.hpp>

#include <doctest/doctest.h>

#include <cmath>
#include <limits>

using namespace gyrax;

namespace {

constexpr AxisId x{0};
constexpr double dt = 0.01;
/// 0 … 100, 50/s, gains with 200/s², loses with 400/s².
const Bounds bounds[] = {{0, 100, 50, 200, 400}};

AxisCommand follow(double p, double v) { return {Mode::follow, p, v, 0, {}}; }

/// An envelope that stands at `p` and has been brought to `v` within the limits.
Envelope moving(double p, double v) {
  Envelope e(bounds);
  double at = p - v * std::abs(v) / 400, speed = 0;
  e.restart(x, at);
  const double sign = v < 0 ? -1 : 1;
  while (std::abs(speed) < std::abs(v)) {
    const double next = std::min(std::abs(v), std::abs(speed) + 2.0) * sign;
    at += (speed + next) / 2 * dt;
    speed = next;
    AxisCommand c = follow(at, speed);
    REQUIRE(e.check(x, true, c, dt) == Verdict::accepted);
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
    double p, v;
    bool may_move = true;
    Mode mode = Mode::follow;
  };
  const Case cases[] = {
      {"position is NaN", nan, 20},
      {"speed is NaN", 50.2, nan},
      {"position is infinite", inf, 20},
      {"faster than the limit", 50.5, 50.1},
      {"gains speed faster than accel", 50.21, 22.1},
      {"loses speed faster than brake", 50.18, 15.9},
      {"leaps", 51, 20},
      {"leaps back", 49, 20},
      {"does not fit its own speed", 50.2 + 0.02, 20},
      {"moves though it may not", 50.2, 20, false},
      {"moves while holding", 50.2, 20, true, Mode::hold},
      {"stands at once though it may not move", 50, 0, false},
  };
  for (const Case& c : cases) {
    CAPTURE(c.what);
    Envelope e = moving(50, 20);
    AxisCommand command{c.mode, c.p, c.v, 0, {}};
    CHECK(e.check(x, c.may_move, command, dt) == Verdict::refused);
    // From 20 with 400/s² in 10 ms: 16, and 0.18 further on.
    CHECK(command.v == doctest::Approx(16));
    CHECK(command.p == doctest::Approx(50.18));
    CHECK(e.refusing(x));
    for (int i = 0; i < 10; ++i) {
      command = follow(77, 3);
      CHECK(e.check(x, true, command, dt) == Verdict::accepted);  // told once; its own ramp goes on
    }
    CHECK(command.v == 0);
    CHECK(command.p == doctest::Approx(50.5));  // 20²/(2·400)
    CHECK(e.restart(x, command.p));
    CHECK_FALSE(e.refusing(x));
  }
}

TEST_CASE("Travel: no command without room to stop in, outside only back in") {
  Envelope e = moving(98, 20);  // can stop within 0.5
  AxisCommand c = follow(98.2, 20);
  CHECK(e.check(x, true, c, dt) == Verdict::accepted);
  Envelope close = moving(99.4, 20);
  c = follow(99.6, 20);  // would stop at 100.1
  CHECK(close.check(x, true, c, dt) == Verdict::refused);
  Envelope outside(bounds);
  outside.restart(x, 103);
  c = follow(103.005, 1);
  CHECK(outside.check(x, true, c, dt) == Verdict::refused);
  outside.restart(x, 103);
  c = follow(102.995, -1);
  CHECK(outside.check(x, true, c, dt) == Verdict::accepted);
}

TEST_CASE("The limit itself passes, the next step beyond does not") {
  Envelope e = moving(50, 20);
  AxisCommand c = follow(50 + 0.21, 22);  // exactly accel
  CHECK(e.check(x, true, c, dt) == Verdict::accepted);
  Envelope f = moving(50, 20);
  c = follow(50 + 0.18, 16);  // exactly brake
  CHECK(f.check(x, true, c, dt) == Verdict::accepted);
}

TEST_CASE("At full speed a little more is too much, though nothing else is wrong with it") {
  Envelope e = moving(50, 50);
  AxisCommand c = follow(50.5005, 50.1);
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
