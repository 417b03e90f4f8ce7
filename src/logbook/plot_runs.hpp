// What a plot is drawn from: runs of ticks that get longer as there are more. Private.
#pragma once

#include <gyrax/rehearsal/trace.hpp>

#include <array>
#include <cstdint>
#include <span>
#include <vector>

namespace gyrax {

/// What there is of each axis.
enum class PlotColumn { position, speed, accel, jerk, machine_position, machine_speed };
inline constexpr std::size_t plot_columns = 6;

/// In: ticks. Out: at most max_runs runs of ticks, all of one length, with the extent of each column in each. The room
/// that it takes is bounded.
class PlotRuns {
 public:
  /// A picture is 1280 points wide.
  static constexpr std::size_t max_runs = 8192;

  struct Extent {
    double least = 0, greatest = 0;
    std::uint32_t least_at = 0, greatest_at = 0;  // in ticks since the first
    bool least_first() const { return least_at < greatest_at; }
    void add(const Extent& later);
  };

  /// `period`: the length of the last tick.
  explicit PlotRuns(Span period) : period_(period) {}
  /// `axes` and `inputs`: always as many. What is NaN is not known.
  void add(Time at, State state, std::span<const AxisSample> axes, std::span<const double> inputs);

  std::size_t size() const { return runs_.size(); }
  std::size_t ticks_a_run() const { return ticks_a_run_; }
  Time begin(std::size_t run) const { return runs_[run].begin; }
  Span length(std::size_t run) const { return (run + 1 < size() ? begin(run + 1) : last_ + period_) - begin(run); }
  /// The last tick.
  Time end() const { return last_; }
  /// The gravest that it had, in the order of State.
  State state(std::size_t run) const { return runs_[run].state; }
  /// Of each axis its plot_columns, then one of each input.
  std::span<const Extent> columns(std::size_t run) const { return std::span(extents_).subspan(run * width_, width_); }

 private:
  struct Run {
    Time begin{};
    State state = State::stowed;
  };
  void halve();
  void extend(std::size_t column, double value, bool begins);

  Span period_;
  std::vector<Run> runs_;
  std::vector<Extent> extents_;  // by run, then column
  std::vector<double> accel_;    // of the tick before, by axis
  std::size_t width_ = 0, ticks_a_run_ = 1, in_last_ = 0;
  std::uint32_t ticks_ = 0;
  Time last_{};
};

}  // namespace gyrax
