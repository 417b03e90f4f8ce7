/// All axes, in groups that move together.
///
/// In: per group one request a coordinate, and how fast it may be. Out: each axis's state after advance(). Never: a
/// group faster than its path speed in whatever direction, also while one axis takes over from another; a steady
/// direction bent because one joint of a group is slower than the others; an axis off the line on the way to a pose; a
/// stop that takes an axis longer than its own deceleration does, unless its group is coupled.
///
///     motion.ask(group, requests, {.speed = 0.25});     // a quarter of full speed
///     motion.advance(group, 0.002);
#pragma once

#include <gyrax/base/request.hpp>
#include <gyrax/motion/axis.hpp>
#include <gyrax/motion/path.hpp>

#include <limits>
#include <span>
#include <vector>

namespace gyrax {

/// Axes that move together. Every axis is in exactly one group; most are alone in theirs.
struct GroupSetup {
  std::vector<AxisId> axes;
  ZoneId zone{};
  double path_speed = std::numeric_limits<double>::infinity();     ///< along whatever direction, unit/s, > 0
  double reduced_speed = std::numeric_limits<double>::infinity();  ///< the same while reduced speed is on
  bool together =
      false;  ///< coupled by the machine: also a stop stays on the line, and takes what the weakest deceleration takes
};

/// What counts in one tick: shares of the axes' speed and acceleration, (0, 1], and the group's path speed, unit/s.
struct Scale {
  double speed = 1, accel = 1;
  double path_speed = std::numeric_limits<double>::infinity();
  std::span<const double> own{};  ///< further shares of speed, by AxisId; none: 1
  double speed_of(AxisId axis) const noexcept { return own.empty() ? speed : speed * own[index(axis)]; }
};

class Motion {
 public:
  Motion(std::span<const AxisLimits> axes, std::span<const GroupSetup> groups,
         Recompute recompute = Recompute::changed);

  /// Hands a group what its coordinates are asked for (`requests` by CoordinateId). It stands until something else is
  /// asked, or has to be.
  void ask(std::size_t group, std::span<const Request> requests, const Scale& scale) noexcept;
  /// Whether a group has to be asked once more, though nothing else is asked: its axes have changed meanwhile.
  bool asks_again(std::size_t group) const noexcept;
  /// To rest, each axis by its own deceleration; a coupled group on its line.
  void stop(std::size_t group) noexcept;
  /// There is no power: what is under way is forgotten.
  void halt(std::size_t group) noexcept;
  void advance(std::size_t group, double dt_s) noexcept;

  // Of one axis; as of AxisMotion.
  AxisMotion::Step step(AxisId axis, Nano by) noexcept { return axes_[index(axis)].step(by); }
  std::int64_t wheel(AxisId axis, std::int64_t counts, Nano by, Nano most) noexcept {
    return axes_[index(axis)].wheel(counts, by, most);
  }
  Nano take_dropped(AxisId axis) noexcept { return axes_[index(axis)].take_dropped(); }
  void restart(AxisId axis, double position, bool unsure = false) noexcept {
    axes_[index(axis)].restart(position, unsure);
  }
  void keep(AxisId axis) noexcept { axes_[index(axis)].keep(); }
  void set_travel(AxisId axis, double low, double high) noexcept { axes_[index(axis)].set_travel(low, high); }

  const AxisMotion& axis(AxisId axis) const noexcept { return axes_[index(axis)]; }
  std::span<const GroupSetup> groups() const noexcept { return groups_; }
  /// Whether a group is on its way to a pose, or comes to rest on the way.
  bool on_path(std::size_t group) const noexcept { return rows_[group].carried; }

 private:
  void ask_axis(AxisMotion& axis, const Request& request, double speed, double accel) noexcept;
  void ask_capped(const GroupSetup& group, std::span<const Request> requests, const Scale& scale) noexcept;
  bool ask_pose(std::size_t group, std::span<const Request> requests, const Scale& scale) noexcept;
  void begin_path(std::size_t group, std::span<const Request> requests, double path_speed) noexcept;
  bool at_rest(const GroupSetup& group) const noexcept;
  void limit_speeds(const GroupSetup& group, double cap) noexcept;

  std::vector<AxisMotion> axes_;
  std::vector<GroupSetup> groups_;
  std::vector<Path> paths_;  // of the groups of several axes
  /// What each tick needs of a group.
  struct Row {
    AxisId alone = no<AxisId>;  // the one axis of a group of one
    std::uint16_t path = 0;     // the row in paths_
    bool carried = false;       // its path moves the axes
    bool shares = false;        // its axes share a path speed, so that each depends on what the others do
  };
  std::vector<Row> rows_;  // by group
  // Scratch, one a group member.
  std::vector<double> from_, wanted_, limit_, settled_;
  std::vector<Nano> goals_;
  std::vector<std::uint8_t> moves_;
  std::vector<MotionLimits> in_force_;
};

}  // namespace gyrax
