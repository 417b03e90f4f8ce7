// Each failure provoked on the demo's rigs: predicted beside measured.
#include "support/rigs.hpp"

#include <gyrax/faults/campaign.hpp>
#include <gyrax/faults/page.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <set>
#include <string>
#include <vector>

using namespace gyrax;

namespace {

#ifdef GYRAX_SANITIZED  // thousands of runs take minutes there
constexpr bool sanitized = true;
#else
constexpr bool sanitized = false;
#endif

}  // namespace

TEST_CASE(
    "No failure takes an axis of the demo's rigs further, or longer, than predicted; nine rows of ten are near it") {
  std::size_t near = 0, all = 0;
  std::set<std::string> met;
  std::vector<const char*> files{"demo/six_keys.toml"};
  if (!sanitized)
    files.insert(files.end(),
                 {"demo/bench.toml", "demo/desk.toml", "demo/fine.toml", "demo/one_hand.toml",
                  "demo/handsets/joystick.toml", "demo/handsets/hand_stick.toml", "tests/planted/watched.toml"});
  for (const char* file : files) {
    const Rig rig = load_rig(file);
    // One axis of each; `gyrax faults` does all in seconds.
    const FaultsReport report = provoke(rig, {rig.axes.back().name, ""});
    CHECK(!report.rows.empty());
    for (const FaultRow& row : report.rows) {
      CAPTURE(file);
      CAPTURE(row.sentence);
      CAPTURE(row.way);
      CAPTURE(row.predicted.way());
      CAPTURE(row.time_s);
      CAPTURE(row.predicted.time_s());
      CAPTURE(row.unexpected_words);
      CHECK(row.holds());
      met.insert(row.failure);
      if (!row.is_measured()) continue;
      ++all;
      near += row.share() >= 0.8 ? 1 : 0;
    }
  }
  CHECK(all > 20);
  CHECK(10 * near >= (sanitized ? 8 : 9) * all);
  for (const AboutFailure& failure : about_failures()) {
    CAPTURE(std::string(failure.code));
    CHECK((met.contains(failure.code) || sanitized));
  }
}

TEST_CASE("The same rig gives the same report; one failure of one axis gives the rows of that alone") {
  const Rig rig = load_rig("demo/six_keys.toml");
  const FaultsWish stops{"", "stop"};
  CHECK(json(rig, provoke(rig, stops)) == json(rig, provoke(rig, stops)));
  const FaultsReport one = provoke(rig, {"scale_bar", "stop"});
  REQUIRE(one.rows.size() == 1);
  CHECK(one.rows[0].cause == Cause::stop_key);
  const FaultReplay run = replay(rig, one.rows[0]);
  REQUIRE(run.done.trace.ticks > 100);
  CHECK(run.from_s < run.to_s);
  // The run that is drawn is the one that was measured.
  const AxisTrace& axis = run.done.trace.axes[1];
  const std::size_t failed = run.done.trace.tick_of(Time{} + from_seconds(run.from_s + 0.3));
  double way = 0;
  for (std::size_t t = failed; t < axis.size(); ++t)
    way = std::max(way, std::abs(axis[t].real_position - axis[failed].real_position));
  CHECK(way == doctest::Approx(one.rows[0].way).epsilon(0.02));
}

TEST_CASE("What nothing watches is told to go to the end of its travel") {
  const std::string text = test::jog_and_step + "\n[stops]\nwrong_way = 2\nfollowing_error = 2\n";
  const Rig rig = test::rig(text);
  const FaultsReport report = provoke(rig, {"x", "reversed"});
  REQUIRE(report.rows.size() == 1);
  CHECK(report.rows[0].predicted.to_the_end);
}

TEST_CASE("A page has every failure, a picture for each axis, and no name that is markup") {
  const Rig rig = test::rig("title = \"a | b <i> _c_\"\n" + test::jog_and_step);
  const FaultsReport report = provoke(rig, {"", "stop"});
  const StopsPage page = stops_page(rig, report, "stops");
  CHECK(page.why.empty());
  REQUIRE(page.pictures.size() == 1);
  CHECK(page.pictures[0].name == "stops.x.svg");
  CHECK(page.pictures[0].svg.find("measured") != std::string::npos);
  CHECK(page.text.starts_with("# How far it goes: a \\| b \\<i> \\_c\\_\n"));
  CHECK(page.text.find("![x: predicted and measured](<stops.x.svg>)") != std::string::npos);
  CHECK(page.text.find("stop is pressed") != std::string::npos);
}

TEST_CASE("A campaign finds nothing in the demo's rigs, and does the same again for the same seed") {
  for (const char* file : {"demo/bench.toml", "demo/desk.toml", "demo/fine.toml", "demo/six_keys.toml"}) {
    CAPTURE(file);
    const Rig rig = load_rig(file);
    const CampaignReport report = campaign(rig, sanitized ? 8'000 : 20'000, 3);
    for (const std::string& one : report.told) CHECK(one.empty());
    CHECK(report.violations == 0);
    CHECK(report.times_live > 0);
    CHECK(report.failures > 0);
    CHECK(text(rig, campaign(rig, 5'000, 3), 3) == text(rig, campaign(rig, 5'000, 3), 3));
  }
}
