// An axis that does what it was not told trips its zone, long before its following error would.
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <functional>
#include <utility>

using namespace gyrax;
using namespace std::chrono_literals;
using testing::Stand;

namespace {

/// Reports every tick where x is, as `measured` makes it of where it is told to be. Returns after how many seconds the
/// zone tripped.
double trips_after(Stand& s, const std::function<double(double told)>& measured, double most_s) {
  const Time from = s.now();
  for (std::uint32_t number = 1'000'000; s.now() - from < from_seconds(most_s); ++number) {
    const AxisReport x{.measured = true, .position = measured(s.command("x").p)};
    s.report({.link = LinkId{0}, .sequence = number, .measured = s.now(), .arrival = s.now(), .axes = {&x, 1}}).tick();
    if (s.state() == State::tripped) return to_seconds(s.now() - from);
  }
  return 1e9;
}

Stand stand(const std::string& more = "") { return Stand(test::rig(test::jog_and_step + test::under("axis.x", more))); }

}  // namespace

TEST_CASE("Each sign of a runaway trips the zone, takes its power and is told; none of them is 5 mm off by then") {
  struct Case {
    Cause cause;
    bool jogs;
    double after_s, at_most_s;
    std::function<double(double told, double t)> measured;
  };
  const Case cases[] = {{Cause::moves_at_rest, false, 0.25, 0.29, [](double, double t) { return 10 + 4 * t; }},
                        {Cause::wrong_way, true, 0.15, 0.26, [](double told, double) { return 20 - told; }},
                        {Cause::overspeed, true, 0.1, 0.22, [](double told, double) { return 10 + 2 * (told - 10); }},
                        {Cause::position_frozen, true, 0.2, 0.3, [](double, double) { return 10.0; }}};
  for (const Case& one : cases) {
    const std::string name = about(one.cause).name;
    CAPTURE(name);
    for (const bool watched : {true, false}) {
      Stand s = stand(watched ? "" : "runaway = { " + name + "_ms = 0 }");
      s.links().bench(LinkId{0}).place(0, 10);
      s.run(0.05).make_live();
      REQUIRE(s.command("x").p == 10);
      if (one.jogs) s.move("stick.left.x", 0.28).tick();  // 10 mm/s
      const Time from = s.now();
      double most_off = 0;
      const double after = trips_after(
          s,
          [&](double told) {
            const double p = one.measured(told, to_seconds(s.now() - from));
            most_off = std::max(most_off, std::abs(p - told));
            return p;
          },
          1.2);
      if (!watched) {
        CHECK(s.engine().permit(ZoneId{0}).cause() != one.cause);
        continue;
      }
      CHECK(after >= one.after_s);
      CHECK(after <= one.at_most_s);
      CHECK(most_off < 5);
      CHECK(s.engine().permit(ZoneId{0}).cause() == one.cause);
      CHECK(s.command("x").mode == Mode::off);
      CHECK(say(s.rig(), s.events().back()) == std::string("main is tripped: ") + about(one.cause).sentence);
    }
  }
}

TEST_CASE("A following error allows for speed times what a far end's clock leaves open, and for no more") {
  // 4 mm behind at 50 mm/s, where 2 mm are allowed: 40 ms more or less make it so.
  for (const Span within : {Span{0ms}, Span{30ms}, Span{50ms}}) {
    const bool trips = within < 40ms;
    CAPTURE(within.count());
    Stand s = stand("following_error = 2\nrunaway = { position_frozen_ms = 0 }");
    s.links().bench(LinkId{0}).place(0, 10);
    s.run(0.05).make_live();
    s.move("stick.left.x", 1).run(0.6);
    REQUIRE(s.state() == State::live);
    REQUIRE(s.command("x").v == 50);
    const AxisReport x{.measured = true, .position = s.command("x").p - 4, .speed = 50};
    s.report({.link = LinkId{0},
              .sequence = 1'000'000,
              .measured = s.now(),
              .arrival = s.now(),
              .axes = {&x, 1},
              .within = within})
        .tick();
    CHECK((s.state() == State::live) == !trips);
  }
}
