// The demo session, as a user runs it: its story, its numbers, its stops.
#include <gyrax/files/text_file.hpp>
#include <gyrax/logbook/export.hpp>
#include <gyrax/rehearsal/summary.hpp>

#include "support/demo.hpp"
#include "support/golden.hpp"
#include "support/heap.hpp"

#include <doctest/doctest.h>

#include <unistd.h>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <string>

using namespace gyrax;

namespace {

struct Demo : test::Demo {
  Summary summary = summarise(rig, session, done);

  const AxisTrace& axis(const std::string& name) const {
    for (std::size_t a = 0; a < rig.axes.size(); ++a)
      if (rig.axes[a].name == name) return done.trace.axes[a];
    throw std::invalid_argument(name);
  }
  std::size_t at(double s) const { return done.trace.tick_of(Time{from_seconds(s)}); }
  const StopSummary& stop(Cause cause) const {
    for (const StopSummary& s : summary.stops)
      if (s.cause == cause) return s;
    throw std::invalid_argument(about(cause).name);
  }
};

const Demo& demo() {
  static const Demo made;
  return made;
}

}  // namespace

TEST_CASE("The summary is the one that was read and found good (GYRAX_REFRESH=1 writes it anew)") {
  test::check_golden("tests/golden/demo_summary.txt", text(demo().rig, demo().summary));
  CHECK(demo().summary.good());
}

TEST_CASE("The same rehearsal twice gives the same bytes") {
  const Demo again;
  CHECK(to_csv(again.rig, again.done) == to_csv(demo().rig, demo().done));
  CHECK(json(again.rig, again.summary) == json(demo().rig, demo().summary));
}

TEST_CASE("No tick of the whole session asks for memory: not the unplug, not the trip, not the reset") {
  Player hands(demo().session, demo().rig);
  SimulatedLinks machine(demo().rig);
  Engine engine(demo().rig.setup);
  TickBuffers out(demo().rig.setup);
  std::size_t used = 0, states = 0;
  for (Time now; now <= Time{demo().session.length}; now += demo().rig.period) {
    // The link falls silent as in the session.
    machine.bench(LinkId{0}).silence(now >= Time{std::chrono::seconds(39)});
    const auto readings = hands.until(now);
    const auto reports = machine.reports(now);
    const std::size_t before = test::allocations();
    engine.tick({now, readings, reports}, out.view());
    used += test::allocations() - before;
    machine.send(out.frames);
    for (Event e; out.events.read(e);) states += e.kind == Event::Kind::state ? 1 : 0;
  }
  CHECK(used == 0);
  CHECK(states >= 15);
}

TEST_CASE("Every recording of the demo is the generator's, byte for byte") {
  const auto folder = std::filesystem::temp_directory_path() / ("gyrax-tracks-" + std::to_string(::getpid()));
  std::filesystem::create_directory(folder);
  std::size_t tracks = 0;
  for (const auto& entry : std::filesystem::recursive_directory_iterator("demo")) {
    if (entry.path().extension() != ".evemu") continue;
    CAPTURE(entry.path());
    const std::string made = (folder / entry.path().filename()).string();
    REQUIRE(std::system((std::string(GYRAX_MAKE_TRACK_PATH) + " " + made).c_str()) == 0);
    CHECK((read_text(made, 1 << 24).text == read_text(entry.path().string(), 1 << 24).text));
    ++tracks;
  }
  CHECK(tracks >= 24);
  std::filesystem::remove_all(folder);
}

TEST_CASE("At rest nothing drifts: where no control asks, no axis moves, though the sticks are never still") {
  std::size_t rests = 0;
  for (const AxisTrace& axis : demo().done.trace.axes) {
    for (std::size_t t = 1; t < demo().done.trace.ticks; ++t) {
      const bool still =
          axis[t - 1].speed == 0 && axis[t].speed == 0 && axis[t].mode == axis[t - 1].mode && axis[t].mode != Mode::off;
      if (!still || axis[t].why.asked) continue;
      REQUIRE(axis[t].position == axis[t - 1].position);
      ++rests;
    }
  }
  CHECK(rests > 40'000);
  // The same as one number: the turntable, after its steps and to the end.
  CHECK(demo().axis("turntable")[demo().at(10)].position == demo().axis("turntable")[demo().at(38)].position);
}

TEST_CASE("Full deflection is 100.0 %, and full speed") {
  const AxisTrace& x = demo().axis("x");
  CHECK(x[demo().at(15)].asked == 1.0);
  CHECK(x[demo().at(15)].speed == 180.0);
}

TEST_CASE("Ten steps of a degree are ten degrees; ten of 0.05 mm are 0.50 mm, as integers") {
  const AxisTrace& turntable = demo().axis("turntable");
  CHECK(turntable[demo().at(10)].position == 10.0);
  const AxisTrace& x = demo().axis("x");
  const Nano before = to_nano(x[demo().at(12.0)].position), after = to_nano(x[demo().at(13.45)].position);
  CHECK(after - before == 500'000'000);
}

TEST_CASE("The end of travel is met exactly and never passed, by the command") {
  for (std::size_t a = 0; a < demo().rig.axes.size(); ++a) {
    const AxisLimits& limits = demo().rig.setup.axes[a].limits;
    for (const AxisSample& sample : demo().done.trace.axes[a]) {
      REQUIRE(sample.position >= limits.low());
      REQUIRE(sample.position <= limits.high());
    }
  }
  CHECK(demo().axis("x")[demo().at(16)].position == 420.0);
  CHECK(demo().axis("x")[demo().at(16)].why.blocked.what == Interlock::end_of_travel_high);
}

TEST_CASE("Each stop: zero commanded speed within braking time and two ticks, and the machine stands soon after") {
  REQUIRE(demo().summary.stops.size() == 4);
  for (const StopSummary& stop : demo().summary.stops) {
    CAPTURE(about(stop.cause).name);
    CHECK(stop.within());
    CHECK(stop.took_s <= 180.0 / 1400 + 1400.0 / 20000 + 0.004);
    CHECK(stop.real_took_s < 0.25);
    REQUIRE_FALSE(stop.axes.empty());
    for (const StoppedAxis& axis : stop.axes) CHECK(std::abs(axis.distance) <= axis.allowed_distance);
  }
  CHECK(demo().stop(Cause::handset_gone).at_s == doctest::Approx(24.5));
  CHECK(demo().stop(Cause::handset_gone).axes[0].speed == -180);
  // The machine's own watchdog was there first: 40 ms of validity against 100 ms of silence.
  CHECK(demo().stop(Cause::link_silent).real_took_s < 0);
}

TEST_CASE(
    "Stowed, not enabled, at the end of travel, tripped: what was asked for and held is told with what would release "
    "it") {
  for (const Interlock wanted :
       {Interlock::stowed, Interlock::not_enabled, Interlock::end_of_travel_high, Interlock::tripped}) {
    bool told = false;
    for (const BlockedSummary& one : demo().summary.blocked)
      told = told || (one.blocked.what == wanted && one.total_s > 0.1);
    CHECK(told);
  }
}

TEST_CASE("The other faults of the simulated bench trip the zone as well") {
  for (const auto kind : {SessionFault::Kind::stuck, SessionFault::Kind::reversed}) {
    Session session = demo().session;
    session.faults = {{Time{std::chrono::seconds(14)}, kind, "", "x", 0}};
    const Rehearsal done = rehearse(demo().rig, session);
    bool tripped = false;
    for (const Event& e : done.events)
      tripped =
          tripped || (e.kind == Event::Kind::state && e.state == State::stopping && e.cause == Cause::following_error);
    CHECK(tripped);
  }
}
