// The third demo session: three handsets, a layer, notches, a dial, a motor.
#include <gyrax/rehearsal/summary.hpp>
#include <gyrax/rig/words.hpp>

#include "support/golden.hpp"
#include "support/rehearsed.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace gyrax;

namespace {

const test::Rehearsed& desk() {
  static const test::Rehearsed made("demo/desk.toml", "demo/desk_session.toml");
  return made;
}

}  // namespace

TEST_CASE("The desk session is told as it always was") {
  const test::Rehearsed& d = desk();
  const Summary summary = summarise(d.rig, d.session, d.done);
  CHECK(summary.good());
  test::check_golden("tests/golden/desk_summary.txt", text(d.rig, summary));
}

TEST_CASE("Overrides: 5 % at first, then all of it; twelve held steps of 5 mm, exactly") {
  const test::Rehearsed& d = desk();
  CHECK(d.at("x", 4).speed == doctest::Approx(9));  // 5 % of 180
  CHECK(d.at("x", 6.5).speed == doctest::Approx(180));
  CHECK(to_nano(d.at("x", 19.5).position) - to_nano(d.at("x", 16.9).position) == 60'000'000'000);
  // The keypad's half of 25 %.
  CHECK(d.at("x", 32).speed == doctest::Approx(-22.5));
}

TEST_CASE("The layer comes on under a stick that is held: neither axis jumps, and the turntable waits for neutral") {
  const test::Rehearsed& d = desk();
  CHECK(d.at("x", 8.2).speed < -50);
  CHECK(d.at("x", 8.9).speed == 0);
  CHECK(d.at("turntable", 8.9).speed == 0);
  CHECK(d.at("turntable", 8.9).why.blocked.what == Interlock::not_neutral);
  CHECK(d.at("turntable", 10.5).speed < -30);
}

TEST_CASE("The belt: not without its vacuum, softly, and through rest before it turns round") {
  const test::Rehearsed& d = desk();
  CHECK(d.at("belt", 20.4).why.blocked.what == Interlock::switch_off);
  const AxisTrace& belt = d.axis("belt");
  std::size_t rested = 0;
  for (std::size_t t = 1; t < belt.size(); ++t) {
    REQUIRE(belt[t].speed * belt[t - 1].speed >= 0);
    REQUIRE(std::abs(belt[t].speed - belt[t - 1].speed) <= 240 * 0.002 + 1e-9);
    if (belt[t].why.blocked.what == Interlock::turning_round && belt[t].speed == 0) ++rested;
  }
  CHECK(rested >= 75);  // 150 ms of 2 ms
  CHECK(d.at("belt", 25.2).speed < -90);
  // The simulated motor turns with what is left of the power beyond its dead band.
  CHECK(d.at("belt", 25.2).real_speed == doctest::Approx(d.at("belt", 25.2).speed).epsilon(0.03));
}
