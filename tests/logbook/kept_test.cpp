// What is kept of runs: the last minute where no logbook was asked for, and of logbooks as many as are wanted.
#include <gyrax/files/text_file.hpp>
#include <gyrax/logbook/shelf.hpp>

#include "support/demo_log.hpp"
#include "support/folder.hpp"
#include "support/logbooks.hpp"
#include "support/replayed.hpp"

#include <doctest/doctest.h>

#include <unistd.h>
#include <algorithm>
#include <filesystem>
#include <set>

using namespace gyrax;
namespace fs = std::filesystem;

namespace {

using test::Folder;

constexpr double trips_at_s = 24.5;  // the pad is pulled out

/// The files that a run of the demo's first `seconds` leaves, with five seconds before a trip and one after.
std::vector<std::string> kept_of(const Folder& folder, double seconds) {
  LastMinute last;
  last.before = std::chrono::seconds(5);
  last.after = std::chrono::seconds(1);
  int number = 0;
  last.path = [&] { return folder / ("trip" + std::to_string(++number) + logbook_ending); };
  LogbookWriter::Options options;
  options.ring = 64u << 20;
  LogbookWriter log(test::demo().rig, last, options);
  test::drive_demo(log, static_cast<std::size_t>(seconds * 500), [](LogbookWriter&) {});
  const auto closed = log.close("over");
  CHECK(closed.trouble.empty());
  CHECK(closed.lost == 0);
  return log.written();
}

}  // namespace

TEST_CASE("The last minute: nothing is written while no zone trips; then what was before, and what followed") {
  const Folder folder;
  CHECK(kept_of(folder, 20).empty());
  CHECK(fs::is_empty(folder.path));

  const auto written = kept_of(folder, 30);
  REQUIRE(written.size() == 1);
  const auto all = test::replay(written[0]);
  CAPTURE(all.difference);
  CHECK_FALSE(all.replays);
  CHECK(all.end == LogEnd::complete);
  CHECK(last_piece(written[0]).value().label.tripped);
  // A piece more than was asked for, at most.
  CHECK(to_seconds(all.trace.times.front()) > trips_at_s - 6.1);
  CHECK(to_seconds(all.trace.times.front()) < trips_at_s - 4.9);
  CHECK(to_seconds(all.trace.times.back()) == doctest::Approx(trips_at_s + 1).epsilon(0.02));
  const auto tripped = [](const Event& e) { return e.kind == Event::Kind::state && e.state == State::tripped; };
  CHECK(std::ranges::count_if(all.events, tripped) == 1);
  // It says what came out, as the same hands rehearsed have it.
  const Rehearsal& whole = test::demo().done;
  double furthest = 0;
  for (std::size_t t = 0; t < all.trace.ticks; ++t) {
    const std::size_t then = whole.trace.tick_of(all.trace.at(t));
    for (std::size_t a = 0; a < all.trace.axes.size(); ++a) {
      const AxisSample &said = all.trace.axes[a][t], &rehearsed = whole.trace.axes[a][then];
      REQUIRE(said.position == doctest::Approx(rehearsed.position).epsilon(0.01));
      furthest = std::max(furthest, std::abs(said.speed));
    }
  }
  CHECK(furthest > 100);
  CHECK(all.trace.zones[0].back() == State::tripped);
}

TEST_CASE("The shelf: the oldest go first, and never one with a trip, one that is written, or what is no logbook") {
  const Folder folder;
  int age = 100;
  const auto add = [&](const std::string& name, const std::string& bytes) {
    write_text(folder / name, bytes);
    fs::last_write_time(folder / name, fs::file_time_type::clock::now() - std::chrono::hours(age--));
  };
  const std::string text = "{\"gyrax_logbook\":2}\n", tripped = pack_piece(text, {0, true, true}),
                    plain = pack_piece(text, {0, false, true}), cut = pack_piece(text, {0, false, false});
  add("run-1.jsonl.zst", tripped);
  add("run-2.jsonl.zst", plain);
  add("run-3.jsonl.zst", cut);
  add("run-4.jsonl.zst", "these are no pieces");
  add("trip-5.jsonl.zst", plain);
  add("notes.txt", "mine");
  add("run-7.jsonl.zst", plain);
  LogbookWriter running(test::demo().rig, folder / "run-8.jsonl.zst");
  add("run-9.jsonl.zst", plain);

  const std::vector<Shelved> all = shelved(folder.path.string());
  REQUIRE(all.size() == 8);
  CHECK(all[0].path == folder / "run-1.jsonl.zst");
  CHECK(all[0].last.label.tripped);
  CHECK(all[2].last.end == LogEnd::cut_off);
  CHECK(all[3].last.end == LogEnd::damaged);
  CHECK(std::ranges::count_if(all, &Shelved::written) == 1);

  CHECK(clear_shelf(folder.path.string(), {.files = 8, .bytes = 1u << 20}).empty());
  CHECK(clear_shelf(folder.path.string(), {.files = 6, .bytes = 1u << 20}) ==
        std::vector{folder / "run-2.jsonl.zst", folder / "run-3.jsonl.zst"});
  clear_shelf(folder.path.string(), {.files = 1, .bytes = 1});
  std::set<std::string> left;
  for (const auto& entry : fs::directory_iterator(folder.path)) left.insert(entry.path().filename().string());
  CHECK(left == std::set<std::string>{"run-1.jsonl.zst", "run-4.jsonl.zst", "trip-5.jsonl.zst", "notes.txt",
                                      "run-8.jsonl.zst"});
  // What is over may go.
  running.close("over");
  CHECK(shelved(folder.path.string()).back().last.end == LogEnd::complete);
}
