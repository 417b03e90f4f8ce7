// A logbook replayed with all its ticks kept, for tests.
#pragma once

#include <gyrax/logbook/replay.hpp>

#include <optional>
#include <string>

namespace gyrax::test {

struct ReplayedAll : Replayed {
  Rig rig;
  Trace trace;
  std::vector<Event> events;
};

inline ReplayedAll replay(const std::string& path, std::optional<PlotSpan> span = std::nullopt) {
  struct Keeper final : TickWatcher {
    ReplayedAll& all;
    explicit Keeper(ReplayedAll& into) : all(into) {}
    void tick(const TickSample& sample, std::span<const Event> events) override {
      all.trace.add(sample);
      all.events.insert(all.events.end(), events.begin(), events.end());
    }
  };
  Replay replay(path);
  ReplayedAll all;
  all.rig = replay.rig();
  all.trace = Trace(all.rig, 0);
  Keeper keeper(all);
  TickWatcher* const watchers[] = {&keeper};
  static_cast<Replayed&>(all) = replay.run(watchers, span);
  return all;
}

}  // namespace gyrax::test
