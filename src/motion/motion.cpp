#include <gyrax/kinematics/identity.hpp>
#include <gyrax/motion/motion.hpp>

namespace gyrax {

Motion::Motion(std::span<const AxisLimits> axes, std::span<const GroupSetup> groups)
    : groups_(groups.begin(), groups.end()), asked_(axes.size()), limit_(axes.size()), joint_(axes.size()) {
  axes_.reserve(axes.size());
  for (const AxisLimits& limits : axes) axes_.emplace_back(limits);
}

void Motion::ask(std::size_t group, std::span<const Request> requests, double rate) noexcept {
  const GroupSetup& setup = groups_[group];
  const std::size_t n = setup.axes.size();
  for (std::size_t i = 0; i < n; ++i) {
    const AxisMotion& axis = axes_[index(setup.axes[i])];
    const Request& request = requests[index(setup.axes[i])];
    limit_[i] = axis.limits().speed();
    asked_[i] = request.jogging ? request.jog * rate * limit_[i] : 0;
  }
  identity_share({asked_.data(), n}, {limit_.data(), n}, setup.path_speed, {joint_.data(), n});
  for (std::size_t i = 0; i < n; ++i) {
    AxisMotion& axis = axes_[index(setup.axes[i])];
    const Request& request = requests[index(setup.axes[i])];
    if (request.going) {
      if (!axis.go(request.goal, rate)) axis.stop();
    } else if (request.jogging) {
      axis.jog(joint_[i] / limit_[i], 1);
    } else {
      axis.settle(rate);
    }
  }
}

void Motion::stop(std::size_t group) noexcept {
  for (const AxisId axis : groups_[group].axes) axes_[index(axis)].stop();
}

void Motion::advance(std::size_t group, double dt_s) noexcept {
  for (const AxisId axis : groups_[group].axes) axes_[index(axis)].advance(dt_s);
}

}  // namespace gyrax
