// Shaping: what comes out is nothing at rest, everything at full deflection, and never jumps in between.
#include <gyrax/signal/shape.hpp>
#include <gyrax/signal/virtual_control.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>

#include <cmath>

using namespace gyrax;

namespace {

double once(double value, const Shape& shape) {
  ShapeState state;
  return shaped(value, shape, state);
}

Deflection once(Deflection value, const Shape& shape) {
  ShapeState state;
  return shaped(value, shape, state);
}

Shape with_zone(double inner, double hysteresis = 0, double outer = 0) { return {.zone = {inner, hysteresis, outer}}; }

/// Any shape that a rig can describe.
Shape any_shape(test::Random& random) {
  Shape shape;
  shape.zone.inner = random.in(0, 0.8);
  shape.zone.hysteresis = random.in(0, 1) < 0.3 ? 0 : random.in(0, shape.zone.inner);
  shape.zone.outer = random.in(0, 1) < 0.3 ? 0 : random.in(0, 0.15);
  const double kind = random.in(0, 3);
  if (kind < 1) shape.curve = *Curve::expo(random.in(0, 1));
  if (kind > 2) {
    Curve::Point points[3];
    double in = 0, out = 0;
    for (Curve::Point& point : points) {
      in += random.in(0.01, 0.3);
      out = random.in(0, 1) < 0.2 ? out : out + random.in(0, 0.3);
      point = {in, out};
    }
    shape.curve = *Curve::through(points);
  }
  return shape;
}

}  // namespace

TEST_CASE("Dead zones: nothing inside, zero at the edge, one per cent beyond moves, full is exactly full") {
  for (const double edge : {0.0, 0.05, 0.1, 0.5, 0.89}) {
    const Shape shape = with_zone(edge);
    CHECK(once(edge, shape) == 0);
    CHECK(once(edge + 0.01, shape) == doctest::Approx(0.01 / (1 - edge)));
    CHECK(once(1, shape) == 1);
    CHECK(once(-1, shape) == -1);
    CHECK(once({edge * 0.6, edge * 0.8 - 1e-12}, shape).x == 0);
    CHECK(once({edge + 0.01, 0}, shape).x > 0);
    // Full deflection of one part is exactly 1, whatever the other part does.
    for (const double other : {0.0, 0.03, -0.4, 1.0}) CHECK(once({1, other}, shape).x == 1);
    for (const double other : {0.0, 0.03, -0.4, 1.0}) CHECK(once({other, -1}, shape).y == -1);
  }
  CHECK(once(0.96, with_zone(0.1, 0, 0.05)) == 1);
  CHECK(once(0.94, with_zone(0.1, 0, 0.05)) < 1);
  CHECK(once(std::nan(""), with_zone(0.1)) == 0);
  CHECK(once({std::nan(""), 1}, with_zone(0.1)).y == 0);
}

TEST_CASE("Any shape, on the way out: odd, never falling, continuous, exact at both ends") {
  test::Random random;
  for (int i = 0; i < 500; ++i) {
    const Shape shape = any_shape(random);
    ShapeState out, other;
    double last = 0;
    for (int step = 0; step <= 2000; ++step) {
      const double v = step / 2000.0, now = shaped(v, shape, out);
      REQUIRE(now >= last);
      REQUIRE(shaped(-v, shape, other) == -now);
      // The steepest that a curve and a stretch can be together.
      REQUIRE(now - last < 0.02 + 3 * 8 * 0.0005 / (1 - shape.zone.inner - shape.zone.outer) * 30);
      if (v <= shape.zone.inner) REQUIRE(now == 0);
      last = now;
    }
    REQUIRE(last == 1);
    REQUIRE(once({1, random.in(-1, 1)}, shape).x == 1);
  }
}

TEST_CASE(
    "The way back from anywhere meets the way out where it turned, and ends at the lower edge; nothing ever jumps") {
  test::Random random;
  for (int i = 0; i < 200; ++i) {
    const Zone zone{random.in(0.02, 0.5), 0, random.in(0, 0.1)};
    const Zone with{zone.inner, random.in(0, zone.inner), zone.outer};
    Edge edge;
    double v = 0, last = 0, turn = 0;
    for (int step = 0; step < 4000; ++step) {
      // A walk about the edge, by less than a thousandth at a time.
      v += random.in(-1e-3, 1e-3) + 1e-4 * (with.inner + 0.05 - v);
      v = std::abs(v);
      const double now = edge.pass(v, with);
      const double steepest = 1 / (1 - with.inner - with.outer);
      turn = now == 0 ? 0 : std::max(turn, v);
      const double back = turn > 0 ? last / std::max(1e-9, turn - (with.inner - with.hysteresis)) : 0;
      REQUIRE(std::abs(now - last) <= 1.2e-3 * std::max(steepest, back) + 1e-9);
      if (v <= with.inner - with.hysteresis) REQUIRE(now == 0);
      if (last == 0 && v <= with.inner) REQUIRE(now == 0);
      last = now;
    }
  }
  // By hand: out to 0.55 with an edge of 10 %, and back with 4 % of hysteresis.
  Edge edge;
  const Zone zone{0.1, 0.04, 0};
  CHECK(edge.pass(0.1, zone) == 0);
  CHECK(edge.pass(0.55, zone) == doctest::Approx(0.5));
  CHECK(edge.pass(0.305, zone) == doctest::Approx(0.25));  // half way from 0.55 to 0.06
  CHECK(edge.pass(0.07, zone) > 0);
  CHECK(edge.pass(0.06, zone) == 0);
  CHECK(edge.pass(0.1, zone) == 0);
}

TEST_CASE("A stick's shape keeps its direction") {
  test::Random random;
  for (int i = 0; i < 20'000; ++i) {
    const Shape shape = any_shape(random);
    const double a = random.in(-1, 1), b = random.in(-1, 1);
    const Deflection d = once({a, b}, shape);
    REQUIRE(std::abs(d.x) <= 1);
    REQUIRE(std::abs(d.y) <= 1);
    if (std::hypot(a, b) <= 1 - shape.zone.outer) REQUIRE(std::abs(d.x * b - d.y * a) < 1e-12);
  }
}

TEST_CASE("Straight pushes: the weaker part counts only from its share on, and a diagonal stays one") {
  const Shape shape{.zone = {0.1, 0, 0}, .straight = {0.2, 0.05, 0}};
  ShapeState state;
  CHECK(shaped({0.8, 0.1}, shape, state).y == 0);
  CHECK(shaped({0.8, 0.15}, shape, state).y == 0);
  const Deflection slant = shaped({0.8, 0.4}, shape, state);
  CHECK(slant.y / slant.x == doctest::Approx((0.5 - 0.2) / 0.8));
  CHECK(shaped({0.8, 0.13}, shape, state).y > 0);  // share 0.1625: on the way back it counts down to 0.15
  CHECK(shaped({0.8, 0.11}, shape, state).y == 0);
  CHECK(shaped({0.8, 0.15}, shape, state).y == 0);
  const Deflection diagonal = shaped({-0.5, 0.5}, shape, state);
  CHECK(diagonal.x == -diagonal.y);
  CHECK(shaped({0.05, -0.9}, shape, state).x == 0);
}

TEST_CASE("Curves: expo by its formula; a curve through points goes through them; what falls is refused") {
  const Curve expo = *Curve::expo(0.5);
  CHECK(expo(0.5) == 0.5 + 0.5 * (0.125 - 0.5));
  const Curve::Point points[] = {{0.25, 0.1}, {0.5, 0.1}, {0.75, 0.6}};
  const Curve curve = *Curve::through(points);
  for (const Curve::Point& p : points) CHECK(curve(p.in) == p.out);
  CHECK(curve(0.4) == 0.1);  // level between two that are level
  CHECK(curve(0) == 0);
  CHECK(curve(1) == 1);
  for (const double wrong : {-0.1, 1.1, std::nan("")}) CHECK_FALSE(Curve::expo(wrong));
  const Curve::Point falls[] = {{0.3, 0.5}, {0.6, 0.4}}, back[] = {{0.5, 0.5}, {0.5, 0.6}}, end[] = {{1, 1}};
  CHECK_FALSE(Curve::through(falls));
  CHECK_FALSE(Curve::through(back));
  CHECK_FALSE(Curve::through(end));
}

TEST_CASE("Smoothing: a ramp comes out exactly its delay later, and what stands still is reached exactly") {
  for (const double dt : {0.0005, 0.002, 0.013}) {
    Smoothing low;
    low.start(0);
    double t = 0;
    for (; t < 1; t += dt) low.advance(0.5 * (t + dt), dt, 0.05);
    CHECK(low.value() == doctest::Approx(0.5 * (t - 0.05)).epsilon(1e-6));
    for (int i = 0; i < 2000; ++i) low.advance(1, dt, 0.05);
    CHECK(low.value() == 1);
  }
}

TEST_CASE("Two motors: direction kept on a full diagonal, never more than full power") {
  test::Random random;
  const auto drive = [](VirtualControl::How how, double speed, double turn) {
    return *made_value({.how = how}, {speed, turn, 0});
  };
  for (int i = 0; i < 20'000; ++i) {
    const double speed = random.in(-1, 1), turn = random.in(-1, 1);
    const double left = drive(VirtualControl::How::drive_left, speed, turn),
                 right = drive(VirtualControl::How::drive_right, speed, turn);
    REQUIRE(std::abs(left) <= 1);
    REQUIRE(std::abs(right) <= 1);
    REQUIRE(left * (speed - turn) == doctest::Approx(right * (speed + turn)).epsilon(1e-12));
    if (std::abs(speed) + std::abs(turn) <= 1) REQUIRE(left == speed + turn);
  }
  CHECK(drive(VirtualControl::How::drive_left, 1, 1) == 1);
  CHECK(drive(VirtualControl::How::drive_right, 1, 1) == 0);
}

TEST_CASE("Of two controls one: difference, mean, the greater") {
  const auto made = [](VirtualControl::How how, double a, double b) { return *made_value({.how = how}, {a, b, 0}); };
  CHECK(made(VirtualControl::How::difference, 0.75, 0.5) == 0.25);
  CHECK(made(VirtualControl::How::difference, 1, -1) == 1);
  CHECK(made(VirtualControl::How::mean, 0.75, 0.25) == 0.5);
  CHECK(made(VirtualControl::How::greater, 0.25, -0.5) == -0.5);
  CHECK(made(VirtualControl::How::greater, 0.5, -0.5) == 0.5);
}

TEST_CASE("Tilt: gravity's direction, whatever its size; too little of it is no direction") {
  constexpr double deg = 3.14159265358979323846 / 180;
  const VirtualControl roll{.how = VirtualControl::How::tilt_x, .range = 45 * deg},
      pitch{.how = VirtualControl::How::tilt_y, .range = 45 * deg};
  for (const double size : {0.9, 1.0, 1.4})
    for (const double angle : {-60.0, -45.0, -20.0, 0.0, 10.0, 45.0}) {
      const double lean = size * std::sin(angle * deg), up = size * std::cos(angle * deg);
      const double wanted = std::max(-1.0, std::min(1.0, angle / 45));
      CHECK(std::abs(*made_value(roll, {-lean, 0, up}) - wanted) < 1e-7);
      CHECK(std::abs(*made_value(pitch, {0, -lean, up}) - wanted) < 1e-7);
      CHECK(std::abs(*made_value(roll, {0, -lean, up})) < 1e-7);
    }
  CHECK_FALSE(made_value(roll, {0.1, 0.1, 0.1}));
  for (double t = -3; t <= 3; t += 0.001) REQUIRE(std::abs(arc_tangent(t, 1) - std::atan(t)) < 2e-8);
}
