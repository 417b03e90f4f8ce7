/// A straight move of several axes together, as one number along the line.
///
/// In: where the axes stand and where they shall rest, their limits, a cap on the path speed. Out: every axis's state
/// at each tick. Never: off the line, or any axis above its own limits; the slowest decides for all, and all arrive
/// together; an axis that takes no part moved by a digit.
///
///     path.begin(from, goals, limits, 200);
///     path.advance(0.002);
///     path.state(1).p                   // of the second axis
#pragma once

#include <gyrax/base/nano.hpp>
#include <gyrax/motion/profile.hpp>

#include <span>
#include <vector>

namespace gyrax {

class Path {
 public:
  /// Room for so many axes. Allocates here and nowhere else.
  explicit Path(std::size_t axes) : from_(axes), share_(axes), goals_(axes), moves_(axes) {}

  /// Lays the line, with the axes at rest at `from`; goals, limits and whether it takes part one an axis. `path_speed`
  /// > 0, unit/s, along the line.
  void begin(std::span<const double> from, std::span<const Nano> goals, std::span<const std::uint8_t> moves,
             std::span<const MotionLimits> limits, double path_speed) noexcept;
  /// Other limits on the same line.
  void change(std::span<const MotionLimits> limits, double path_speed) noexcept;
  /// To the end of the line, also after a hold.
  void go() noexcept { aim(true); }
  /// To rest on the line, as fast as its axes brake.
  void hold() noexcept { aim(false); }
  void advance(double dt_s) noexcept;

  bool at_rest() const noexcept { return state_.v == 0 && state_.a == 0; }
  bool arrived() const noexcept { return at_rest() && state_.p == length_; }
  AxisState state(std::size_t axis) const noexcept;
  Nano goal(std::size_t axis) const noexcept { return goals_[axis]; }
  bool moves(std::size_t axis) const noexcept { return moves_[axis] != 0; }

 private:
  void aim(bool to_end) noexcept;

  std::vector<double> from_, share_;  // by axis: where the line starts, and its share of the way of the longest
  std::vector<Nano> goals_;
  std::vector<std::uint8_t> moves_;
  double length_ = 0;  // of the longest axis's way
  MotionLimits in_force_;
  AxisState state_{};  // p from 0 to length_
  bool to_end_ = false, planned_ = false;
  double plan_time_ = 0;
  Profile plan_;
};

}  // namespace gyrax
