#include <gyrax/kinematics/identity.hpp>
#include <gyrax/motion/motion.hpp>

#include "speed_change.hpp"

#include <cassert>

namespace gyrax {

namespace {

/// The greatest speed, either way, that a state leads to if its acceleration is taken off at once.
double unavoidable_speed(const AxisState& state, const MotionLimits& limits) noexcept {
  const double v = size(state.v),
               settled = settled_speed(v, state.v * state.a < 0 ? -size(state.a) : size(state.a), limits);
  return settled < 0 ? greater(v, -settled * limits.decel_jerk / limits.jerk) : greater(v, settled);
}

}  // namespace

Motion::Motion(std::span<const AxisLimits> axes, std::span<const GroupSetup> groups, Recompute recompute)
    : groups_(groups.begin(), groups.end()), rows_(groups.size()) {
  std::size_t most = 0;
  for (const GroupSetup& group : groups) most = group.axes.size() > most ? group.axes.size() : most;
  for (auto* scratch : {&from_, &wanted_, &limit_, &settled_}) scratch->resize(most);
  goals_.resize(most);
  moves_.resize(most);
  in_force_.resize(most);
  axes_.reserve(axes.size());
  for (const AxisLimits& limits : axes) axes_.emplace_back(limits, recompute);
  for (std::size_t g = 0; g < groups.size(); ++g) {
    const std::vector<AxisId>& members = groups[g].axes;
    rows_[g].path = static_cast<std::uint16_t>(paths_.size());
    if (members.size() == 1) rows_[g].alone = members.front();
    if (members.size() > 1) paths_.emplace_back(members.size());
  }
}

void Motion::ask_axis(AxisMotion& axis, const Request& request, double speed, double accel) noexcept {
  axis.scale(speed, accel * request.accel);
  switch (request.rank()) {
    case Request::Rank::pose:
    case Request::Rank::go:
      if (!axis.go(request.goal)) axis.stop();
      break;
    case Request::Rank::follow:
      axis.follow(request.position, request.catch_up, static_cast<std::uint32_t>(index(request.follower)));
      break;
    case Request::Rank::jog: axis.jog(request.jog * axis.in_force().speed); break;
    case Request::Rank::nothing: axis.settle(); break;
  }
}

void Motion::ask(std::size_t group, std::span<const Request> requests, const Scale& scale) noexcept {
  assert(group < groups_.size() && requests.size() == axes_.size());
  assert(scale.own.empty() || scale.own.size() == axes_.size());
  const GroupSetup& setup = groups_[group];
  rows_[group].shares = false;
  if (setup.axes.size() > 1 && ask_pose(group, requests, scale)) {
    rows_[group].shares = true;
  } else if (scale.path_speed < std::numeric_limits<double>::infinity()) {
    ask_capped(setup, requests, scale);
    rows_[group].shares = true;
  } else {
    for (const AxisId axis : setup.axes)
      ask_axis(axes_[index(axis)], requests[index(axis)], scale.speed_of(axis), scale.accel);
  }
  for (const AxisId axis : setup.axes) axes_[index(axis)].asked();
}

bool Motion::asks_again(std::size_t group) const noexcept {
  const Row& row = rows_[group];
  if (row.shares) return true;
  if (row.alone != no<AxisId>) return axes_[index(row.alone)].asks_again();
  for (const AxisId axis : groups_[group].axes)
    if (axes_[index(axis)].asks_again()) return true;
  return false;
}

bool Motion::at_rest(const GroupSetup& group) const noexcept {
  for (const AxisId axis : group.axes)
    if (!axes_[index(axis)].at_rest()) return false;
  return true;
}

/// Whether the group is taken to a pose, or still comes to rest on the way to one.
bool Motion::ask_pose(std::size_t group, std::span<const Request> requests, const Scale& scale) noexcept {
  const GroupSetup& setup = groups_[group];
  Path& path = paths_[rows_[group].path];
  bool posing = false, same = rows_[group].carried;
  const std::size_t n = setup.axes.size();
  for (std::size_t i = 0; i < n; ++i) {
    const Request& request = requests[index(setup.axes[i])];
    const bool named = request.rank() == Request::Rank::pose;
    posing = posing || named;
    same = same && named == path.moves(i) && (!named || request.goal == path.goal(i));
  }
  if (!posing && !rows_[group].carried) return false;
  for (std::size_t i = 0; i < n; ++i) {
    AxisMotion& axis = axes_[index(setup.axes[i])];
    axis.scale(scale.speed_of(setup.axes[i]), scale.accel);
    in_force_[i] = axis.in_force();
  }
  if (!rows_[group].carried) {
    begin_path(group, requests, scale.path_speed);
    return true;
  }
  path.change(in_force_, scale.path_speed);
  if (posing && same) {
    path.go();
  } else {
    path.hold();
  }
  return true;
}

/// From rest; what is not at rest comes to it first.
void Motion::begin_path(std::size_t group, std::span<const Request> requests, double path_speed) noexcept {
  const GroupSetup& setup = groups_[group];
  Path& path = paths_[rows_[group].path];
  const bool rests = at_rest(setup);
  for (const AxisId axis : setup.axes) axes_[index(axis)].stop();
  if (!rests) return;
  for (std::size_t i = 0; i < setup.axes.size(); ++i) {
    const AxisMotion& axis = axes_[index(setup.axes[i])];
    const Request& request = requests[index(setup.axes[i])];
    from_[i] = axis.state().p;
    goals_[i] = request.goal;
    moves_[i] = request.rank() == Request::Rank::pose ? 1 : 0;
  }
  path.begin(from_, goals_, moves_, in_force_, path_speed);
  path.go();
  rows_[group].carried = !path.arrived();
}

/// Shares the path speed out: each axis's speed limit for this tick, in limit_. An axis that slows down goes on to use
/// what its speed still is, so that no other gains more than what is left.
void Motion::limit_speeds(const GroupSetup& group, double cap) noexcept {
  const std::size_t n = group.axes.size();
  identity_share({wanted_.data(), n}, {wanted_.data(), n}, cap, {limit_.data(), n});
  // In each pass at least one axis more is seen to keep what it has, until the rest fit into what is left.
  for (std::size_t pass = 0; pass < n; ++pass) {
    double left = cap * cap, gaining = 0;
    for (std::size_t i = 0; i < n; ++i) {
      if (limit_[i] > settled_[i]) {
        gaining += wanted_[i] * wanted_[i];
      } else {
        left -= settled_[i] * settled_[i];
      }
    }
    if (!(gaining > 0)) return;
    const double fits = left > 0 ? std::sqrt(left / gaining) : 0;
    bool again = false;
    for (std::size_t i = 0; i < n; ++i) {
      if (!(limit_[i] > settled_[i]) || limit_[i] <= fits * wanted_[i]) continue;
      limit_[i] = greater(fits * wanted_[i], settled_[i]);
      again = again || limit_[i] == settled_[i];
    }
    if (!again) return;
  }
}

void Motion::ask_capped(const GroupSetup& group, std::span<const Request> requests, const Scale& scale) noexcept {
  const std::size_t n = group.axes.size();
  for (std::size_t i = 0; i < n; ++i) {
    const AxisMotion& axis = axes_[index(group.axes[i])];
    const Request& request = requests[index(group.axes[i])];
    const double speed = scale.speed_of(group.axes[i]) * axis.limits().speed();
    settled_[i] = unavoidable_speed(axis.state(), axis.in_force());
    const bool jogs = request.rank() == Request::Rank::jog;
    wanted_[i] = jogs ? size(request.jog) * speed : request.moving() || axis.has_goal() ? speed : 0;
  }
  limit_speeds(group, scale.path_speed);
  for (std::size_t i = 0; i < n; ++i) {
    AxisMotion& axis = axes_[index(group.axes[i])];
    Request request = requests[index(group.axes[i])];
    double speed = scale.speed_of(group.axes[i]);
    if (request.rank() == Request::Rank::jog) {
      // The deflection is in the limit already.
      request.jog = wanted_[i] > 0 ? request.jog * (limit_[i] / wanted_[i]) : 0;
    } else {
      speed = limit_[i] / axis.limits().speed();
    }
    ask_axis(axis, request, speed, scale.accel);
    // Others have all of the path's speed: it waits.
    if (speed < AxisMotion::min_share) axis.pause();
  }
}

void Motion::stop(std::size_t group) noexcept {
  if (rows_[group].carried && groups_[group].together) {
    paths_[rows_[group].path].hold();
    return;
  }
  rows_[group].carried = false;
  for (const AxisId axis : groups_[group].axes) axes_[index(axis)].stop();
}

void Motion::halt(std::size_t group) noexcept {
  rows_[group].carried = false;
  for (const AxisId axis : groups_[group].axes) axes_[index(axis)].keep();
}

void Motion::advance(std::size_t group, double dt_s) noexcept {
  if (const AxisId alone = rows_[group].alone; alone != no<AxisId>) {
    axes_[index(alone)].advance(dt_s);
    return;
  }
  const GroupSetup& setup = groups_[group];
  if (!rows_[group].carried) {
    for (const AxisId axis : setup.axes) axes_[index(axis)].advance(dt_s);
    return;
  }
  Path& path = paths_[rows_[group].path];
  path.advance(dt_s);
  for (std::size_t i = 0; i < setup.axes.size(); ++i) {
    AxisMotion& axis = axes_[index(setup.axes[i])];
    if (!path.moves(i)) continue;
    if (path.arrived()) {
      axis.put_down(path.goal(i));
    } else {
      axis.carry(path.state(i));
    }
  }
  if (path.at_rest()) rows_[group].carried = false;
}

}  // namespace gyrax
