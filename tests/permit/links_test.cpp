#include <gyrax/permit/guard.hpp>

#include <doctest/doctest.h>

#include <limits>

using namespace gyrax;
using namespace std::chrono_literals;

namespace {

constexpr LinkId link{0};

struct Wire {
  std::vector<LinkSetup> setups{LinkSetup{}};
  std::vector<Wiring> wiring{{link, 0}};
  Links links{setups, wiring};
  AxisReport axis{true, 12.5, 0};
  Time now{1s};
  Cause say(std::uint32_t sequence, Time measured, Time arrival) {
    return links.accept({link, sequence, measured, arrival, {&axis, 1}}, now);
  }
};

}  // namespace

TEST_CASE("A link is fresh from its first report until its silence is longer than the rig allows") {
  Wire w;
  CHECK_FALSE(w.links.fresh(link, w.now));
  CHECK(w.say(1, w.now - 2ms, w.now) == Cause::none);
  CHECK(w.links.measured(AxisId{0}).position == 12.5);
  CHECK(w.links.fresh(link, w.now));
  CHECK(w.links.fresh(link, w.now + 98ms));
  CHECK_FALSE(w.links.fresh(link, w.now + 98ms + 1ns));  // by the time of measuring, not of arrival
  CHECK_FALSE(w.links.fresh(link, w.now - 3ms));         // a clock that ran backwards proves nothing
}

TEST_CASE("A report that cannot be is refused whole") {
  constexpr double nan = std::numeric_limits<double>::quiet_NaN(), inf = std::numeric_limits<double>::infinity();
  Wire w;
  w.say(5, w.now - 2ms, w.now - 1ms);
  const auto refused = [&](std::uint32_t sequence, Time measured, Time arrival) {
    const Cause cause = w.say(sequence, measured, arrival);
    return cause == Cause::report_invalid && w.links.measured(AxisId{0}).position == 12.5;
  };
  CHECK(refused(6, w.now, w.now + 1ns));  // from the future
  CHECK(refused(6, w.now, w.now - 1ms));  // arrived before it was measured
  CHECK(refused(6, w.now - 3ms, w.now));  // older than the last
  CHECK(refused(5, w.now - 1ms, w.now));  // the heartbeat stands still
  CHECK(refused(4, w.now - 1ms, w.now));  // … or runs backwards
  for (const double bad : {nan, inf, -inf, 1e10}) {
    w.axis.position = bad;
    CHECK(refused(6, w.now - 1ms, w.now));
    w.axis = {true, 12.5, bad};
    CHECK(refused(6, w.now - 1ms, w.now));
  }
  w.axis = {false, nan, nan};  // not measured: the numbers mean nothing
  CHECK(w.say(6, w.now - 1ms, w.now) == Cause::none);
}

TEST_CASE("The heartbeat may wrap") {
  Wire w;
  CHECK(w.say(0xffffffff, w.now - 3ms, w.now) == Cause::none);
  CHECK(w.say(0, w.now - 2ms, w.now) == Cause::none);
}
