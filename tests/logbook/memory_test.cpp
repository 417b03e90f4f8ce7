// What looks at ticks as they come takes no more memory for a long session than for a short one.
#include <gyrax/logbook/export.hpp>
#include <gyrax/rehearsal/summary.hpp>

#include "support/demo.hpp"
#include "support/stated_memory.hpp"

#include <doctest/doctest.h>

#include <optional>

using namespace gyrax;

TEST_CASE("A summary, a table and a plot of twenty sessions one after the other take what one takes") {
  const Rig& rig = test::demo().rig;
  const Rehearsal& done = test::demo().done;
  const std::size_t faults = test::demo().session.faults.size(),
                    told = summarise(rig, test::demo().session, done).story.size() - faults;
  REQUIRE(told * 100 > 2 * most_told);
  const auto memory_of = [&](int times) {
    return test::memory_of([&] {
      Summing summing(rig);
      PlotPoints points(rig, {});
      std::size_t bytes = 0;
      CsvTable table(rig, [&bytes](std::string_view lines) { bytes += lines.size(); });
      for (int i = 0; i < times; ++i)
        for (TickWatcher* const watcher : std::initializer_list<TickWatcher*>{&summing, &points, &table})
          watch(done.trace, done.events, *watcher);
      table.end();
      const Summary summary = summing.summary(test::demo().session, done);
      CHECK(summary.ticks == done.trace.ticks * static_cast<std::size_t>(times));
      CHECK(bytes > summary.ticks * 100);
      // What was left out of it is counted.
      CHECK(summary.story.size() <= 2 * most_told + faults);
      CHECK(summary.story.size() - faults + summary.story_left_out.count == told * static_cast<std::size_t>(times));
      CHECK(summary.stops_within);
    });
  };
  const std::size_t once = memory_of(1), often = memory_of(20), very_often = memory_of(100);
  MESSAGE("once ", once / 1024, " KiB, twenty times ", often / 1024, " KiB, a hundred times ", very_often / 1024,
          " KiB");
  CHECK(often < once + (2u << 20));
  CHECK(very_often < once + (2u << 20));
}
