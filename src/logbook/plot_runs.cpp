#include "plot_runs.hpp"

#include <algorithm>
#include <cmath>

namespace gyrax {

void PlotRuns::Extent::add(const Extent& later) {
  if (std::isnan(later.least)) return;
  if (std::isnan(least)) {
    *this = later;
    return;
  }
  if (later.least < least) least = later.least, least_at = later.least_at;
  if (later.greatest > greatest) greatest = later.greatest, greatest_at = later.greatest_at;
}

void PlotRuns::extend(std::size_t column, double value, bool begins) {
  Extent& known = extents_[(runs_.size() - 1) * width_ + column];
  const Extent one{value, value, ticks_, ticks_};
  if (begins) {
    known = one;
  } else {
    known.add(one);
  }
}

void PlotRuns::add(Time at, State state, std::span<const AxisSample> axes, std::span<const double> inputs) {
  width_ = axes.size() * plot_columns + inputs.size();
  accel_.resize(axes.size());
  if (runs_.empty() || in_last_ == ticks_a_run_) {
    if (runs_.size() == max_runs) halve();
    in_last_ = 0;
  }
  const bool begins = in_last_++ == 0;
  if (begins) {
    runs_.push_back({at, state});
    extents_.resize(runs_.size() * width_);
  }
  Run& run = runs_.back();
  run.state = std::max(run.state, state);
  std::size_t column = 0;
  // The jerk is the change of acceleration from the tick before, as anybody could measure it.
  const double span = ticks_ > 0 ? to_seconds(at - last_) : 0;
  for (std::size_t a = 0; a < axes.size(); ++a) {
    const AxisSample& s = axes[a];
    const double jerk = span > 0 ? (s.accel - accel_[a]) / span : 0;
    accel_[a] = s.accel;
    for (const double value : {s.position, s.speed, s.accel, jerk, s.real_position, s.real_speed})
      extend(column++, value, begins);
  }
  for (const double value : inputs) extend(column++, value, begins);
  last_ = at;
  ++ticks_;
}

/// Two runs become one.
void PlotRuns::halve() {
  const std::size_t half = runs_.size() / 2;
  for (std::size_t r = 0; r < half; ++r) {
    runs_[r] = {runs_[2 * r].begin, std::max(runs_[2 * r].state, runs_[2 * r + 1].state)};
    for (std::size_t c = 0; c < width_; ++c) {
      Extent whole = extents_[2 * r * width_ + c];
      whole.add(extents_[(2 * r + 1) * width_ + c]);
      extents_[r * width_ + c] = whole;
    }
  }
  runs_.resize(half);
  extents_.resize(half * width_);
  ticks_a_run_ *= 2;
}

}  // namespace gyrax
