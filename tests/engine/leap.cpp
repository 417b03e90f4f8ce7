// Motion that leaps: the envelope refuses, replaces the command in the same tick by its own ramp, and the engine trips.
// Built with an axis.cpp that leaps when told to; see tests/CMakeLists.txt.
#include <gyrax/testing/stand.hpp>

#include "support/rigs.hpp"

#include <doctest/doctest.h>

namespace gyrax {
extern bool leaps;
}

using namespace gyrax;

TEST_CASE("A leap never leaves the engine, and trips the zone") {
  testing::Stand s(test::rig(test::jog_and_step));
  s.make_live().move("stick.left.x", 1).run(0.4);
  const double before = s.command("x").p, speed = s.command("x").v;
  REQUIRE(speed == 50);
  leaps = true;
  s.tick();
  leaps = false;
  // 50 mm/s for 2 ms, the brake coming on with 40000 mm/s³: 0.1 mm less 40000·0.002³/6, 50 - 40000·0.002²/2 mm/s.
  CHECK(s.command("x").p - before == doctest::Approx(0.1 - 0.0000533));
  CHECK(s.command("x").v == doctest::Approx(49.92));
  CHECK(s.state() == State::stopping);
  double last = s.command("x").v;
  for (int i = 0; i < 100; ++i) {
    s.tick();
    REQUIRE(last - s.command("x").v <= 400 * 0.002 * (1 + 1e-9));
    last = s.command("x").v;
  }
  CHECK(last == 0);
  CHECK(s.state() == State::tripped);
  bool told = false;
  for (const Event& e : s.events()) told = told || (e.kind == Event::Kind::fault && e.cause == Cause::envelope_refused);
  CHECK(told);
  // And it can be taken up again, from where the machine is.
  s.move("stick.left.x", 0).release("shoulder.right").tick().tap("menu.centre").make_live();
  CHECK(s.state() == State::live);
  s.move("stick.left.x", -1).run(0.11);  // 10 ms of jerk, 100 ms at 200 mm/s²
  CHECK(s.command("x").v == doctest::Approx(-21));
}
