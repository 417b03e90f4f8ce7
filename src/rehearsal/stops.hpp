// Every stop, measured from its cause to rest. Private.
#pragma once

#include "first_and_last.hpp"

#include <gyrax/rehearsal/summary.hpp>

#include <span>
#include <vector>

namespace gyrax {

/// In: each tick, with the one before it. Out: what each stop took, commanded and of the machine.
class StopWatch {
 public:
  explicit StopWatch(const Rig& rig) : rig_(rig), rests_since_(rig.zones.size()) {}

  /// `before`: the tick before this one, nullptr at the first.
  void tick(const TickSample& now, const TickSample* before, std::span<const Event> events);
  /// After the last tick, which lasts `length`.
  void end(Span length);

  FirstAndLast<StopSummary>& stops() { return stops_; }
  bool all_within() const { return all_within_; }

 private:
  /// One that is not over yet.
  struct Open {
    StopSummary stop;
    Time begin{};
    std::vector<double> from, real_from, reach;  // by stop.axes: positions when it began, the fastest stop's distance
    double tick_s = 0, slowest_s = 0;            // the longest tick, the fastest stop of the slowest axis
    bool rests = false, really_rests = false, timed = false;
  };
  bool moves(const TickSample& now, const ZoneSetup& zone) const;
  bool really_moves(const TickSample& now, const ZoneSetup& zone) const;
  void open(const Event& event, const TickSample& now, const TickSample& before);
  void follow(Open& one, const TickSample& now);
  void close(Open& one);

  const Rig& rig_;
  std::vector<std::optional<Time>> rests_since_;  // by ZoneId: the machine itself
  std::vector<Open> open_;
  FirstAndLast<StopSummary> stops_;
  bool all_within_ = true;
};

}  // namespace gyrax
