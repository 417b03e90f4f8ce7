/// All axes, in groups that move together.
///
/// In: per group one request a coordinate, and the rate. Out: each axis's state after advance(). Never: a direction
/// bent because one joint of a group is slower than the others.
///
///     motion.ask(group, requests, 0.25);     // a quarter of full speed
///     motion.advance(group, 0.002);
#pragma once

#include <gyrax/base/request.hpp>
#include <gyrax/motion/axis.hpp>

#include <limits>
#include <span>
#include <vector>

namespace gyrax {

/// Axes that move together. Every axis is in exactly one group; most are alone in theirs.
struct GroupSetup {
  std::vector<AxisId> axes;
  ZoneId zone{};
  double path_speed = std::numeric_limits<double>::infinity();  ///< along whatever direction, unit/s, > 0
};

class Motion {
 public:
  Motion(std::span<const AxisLimits> axes, std::span<const GroupSetup> groups);

  /// Hands a group what its coordinates are asked for (`requests` by CoordinateId). `rate` in [0, 1] scales speeds.
  void ask(std::size_t group, std::span<const Request> requests, double rate) noexcept;
  void stop(std::size_t group) noexcept;
  void advance(std::size_t group, double dt_s) noexcept;

  AxisMotion& axis(AxisId axis) noexcept { return axes_[index(axis)]; }
  const AxisMotion& axis(AxisId axis) const noexcept { return axes_[index(axis)]; }
  std::span<const GroupSetup> groups() const noexcept { return groups_; }

 private:
  std::vector<AxisMotion> axes_;
  std::vector<GroupSetup> groups_;
  std::vector<double> asked_, limit_, joint_;  // scratch, one a group member
};

}  // namespace gyrax
