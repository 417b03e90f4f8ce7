// Predictions against what can be worked out by hand.
#include "support/rigs.hpp"

#include <gyrax/rig/predictions.hpp>

#include <doctest/doctest.h>

using namespace gyrax;

namespace {

/// 50 mm/s, lost with 400 mm/s² and 40000 mm/s³; gained so sharply that being at speed is the worst.
Rig rig(const std::string& more = "", const std::string& link = "lag_ms = 0") {
  std::string text = test::one_axis + test::bind(R"("stick.left.x" = { jog = "x" })") + more;
  text.replace(text.find("lag_ms = 0"), 10, link);
  text.replace(text.find("accel = 200\n"), 12, "accel = 1000000\n");
  text.replace(text.find("jerk = { accel = 20000"), 22, "jerk = { accel = 1000000000");
  return test::rig(text);
}

}  // namespace

TEST_CASE("A stop takes what its deceleration and jerk take, after what its watchdog waits") {
  const Rig r = rig();
  const Predictor x(r, AxisId{0});
  REQUIRE(x.speed() == doctest::Approx(50));
  // v/a + a/j, and half of that at v.
  const double stop_s = 50.0 / 400 + 400.0 / 40000, stop_way = 25 * stop_s;
  const double tick_s = 0.002;
  struct Row {
    Cause cause;
    double watch_s;
  };
  for (const Row& row : {Row{Cause::handset_gone, 0},
                         {Cause::stop_key, 0.1},
                         {Cause::link_silent, 0.1},
                         {Cause::report_invalid, 0.006},
                         {Cause::program_ends, 0}}) {
    CAPTURE(about(row.cause).name);
    const Prediction p = x.of(row.cause);
    CHECK(p.stop_s == doctest::Approx(stop_s).epsilon(0.01));
    CHECK(p.way() == doctest::Approx(stop_way + 50 * (row.watch_s + tick_s)).epsilon(0.01));
    CHECK(p.time_s() == doctest::Approx(stop_s + row.watch_s + 0.02).epsilon(0.01));
    CHECK(p.lag_way == 0);
  }
}

TEST_CASE("A category of 0 leaves the stop to the far end; a lag adds its way") {
  const Rig cut = rig("[stops]\nstop_key = 0\n");
  // After a late tick the machine makes up for it, at its own 130 %.
  CHECK(Predictor(cut, AxisId{0}).of(Cause::stop_key).stop_way == doctest::Approx(65.0 * 65 / 800));
  const Rig lags = rig("", "lag_ms = 30");
  const Prediction p = Predictor(lags, AxisId{0}).of(Cause::stop_key);
  CHECK(p.lag_way == doctest::Approx(50 * 0.030).epsilon(0.01));
  CHECK(p.lag_s > 0.05);
  // Without frames it keeps to its last place for as long as they are valid.
  const Prediction expired = Predictor(lags, AxisId{0}).of(Cause::frames_expired);
  CHECK(expired.notice_way == doctest::Approx(50 * 0.032).epsilon(0.01));
  CHECK(expired.stop_way < 0.2);
}

TEST_CASE("Only what a rig has can stop an axis, and no way is longer than its travel") {
  const Rig r = rig("[handset.pad]\nmax_steady_s = 30\n");
  const Predictor x(r, AxisId{0});
  CHECK(x.of(Cause::handset_steady).way() == doctest::Approx(100));
  for (const Cause cause :
       {Cause::enable_squeezed, Cause::let_go, Cause::setting_changed, Cause::handset_silent, Cause::stow})
    CHECK(x.applies(cause) == (cause == Cause::stow));
  for (const Prediction& p : predict(r)) CHECK(p.way() <= 100);
}

TEST_CASE("A speed is the one that a binding reaches, at full override and as the rig starts") {
  const Rig half = test::rig(test::one_axis + test::bind(R"("stick.left.x" = { jog = "x", share = 50 })"
                                                         "\n[override]\nnotches = [20, 80]\nstart = 20\n"));
  CHECK(reachable_speed(half, AxisId{0}) == doctest::Approx(20));
  CHECK(reachable_speed(half, AxisId{0}, AtSpeed::in_force) == doctest::Approx(5));
  const Rig none = test::rig(test::one_axis + test::axis("y") + test::bind(R"("stick.left.x" = { jog = "x" })"));
  CHECK(reachable_speed(none, AxisId{1}) == 0);
  for (const Prediction& p : predict(none)) CHECK(p.axis == AxisId{0});
}
