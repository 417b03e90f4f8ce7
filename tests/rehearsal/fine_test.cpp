// The second demo session: wheel, poses, a key that grows, reduced speed, following.
#include <gyrax/rehearsal/summary.hpp>
#include <gyrax/testing/limit_checker.hpp>

#include "support/rehearsed.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace gyrax;

namespace {

const test::Rehearsed& fine() {
  static const test::Rehearsed made("demo/fine.toml", "demo/fine_session.toml");
  return made;
}

}  // namespace

TEST_CASE("Where everything ends, worked out by hand") {
  const test::Rehearsed& f = fine();
  // 1500 counts of 0.01 forth, 200 back, 7 forth.
  CHECK(f.axis("z").back().position == 13.07);
  // At the sheet, and back at the park position, exactly.
  CHECK(f.at("x", 8).position == 300);
  CHECK(f.at("y", 8).position == 150);
  CHECK(f.at("x", 12).position == 10);
  CHECK(f.axis("y").back().position == 10);
  // At the end of travel, and held there.
  CHECK(f.at("x", 16).position == 420);
  CHECK(f.at("x", 16).why.blocked.what == Interlock::end_of_travel_high);
}

TEST_CASE("On the way to a pose both axes are on the line, also held in between") {
  const test::Rehearsed& f = fine();
  for (std::size_t t = f.done.trace.tick_of(Time{from_seconds(8.0)}); t < f.done.trace.tick_of(Time{from_seconds(12)});
       ++t)
    REQUIRE((f.axis("x")[t].position - 10) / 290 ==
            doctest::Approx((f.axis("y")[t].position - 10) / 140).epsilon(1e-9));
  CHECK(f.at("x", 9.7).speed == 0);
  CHECK(f.at("x", 9.7).position > 20);
}

TEST_CASE("Reduced speed: 25 mm/s for the carriage while it is on, and within its deceleration when it comes on") {
  const test::Rehearsed& f = fine();
  CHECK(f.at("x", 4.3).speed == doctest::Approx(25));
  CHECK(f.at("x", 18.3).speed == doctest::Approx(-180));
  CHECK(f.at("x", 18.6).speed == doctest::Approx(-25));
}

TEST_CASE("The carriage on the wheel stops when the wheel stops; the lamp goes with the trigger once they have met") {
  const test::Rehearsed& f = fine();
  const double at_stop = f.at("x", 25.55).position;
  CHECK(at_stop < 250);
  CHECK(std::abs(f.at("x", 27).position - at_stop) < 1.5 + 0.1);
  // 0.9 of the trigger, beyond a dead zone of 5 %, of -40 to 40 deg.
  CHECK(f.at("lamp_tilt", 32.3).position == doctest::Approx(-40 + 80 * (0.9 - 0.05) / 0.95).epsilon(0.01));
}

TEST_CASE("Every limit of every axis held, from the trace alone") {
  const test::Rehearsed& f = fine();
  for (std::size_t a = 0; a < f.rig.axes.size(); ++a) {
    testing::LimitChecker checker(f.rig.setup.axes[a].limits);
    const AxisTrace& axis = f.done.trace.axes[a];
    checker.start(axis[0].position);
    for (std::size_t t = 1; t < f.done.trace.ticks; ++t)
      checker.tick(axis[t].position, axis[t].speed, axis[t].accel, to_seconds(f.done.trace.length_of(t)));
    CAPTURE(f.rig.axes[a].name);
    CHECK(checker.worst() == 0);
  }
}
