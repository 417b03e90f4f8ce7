#include <gyrax/kinematics/identity.hpp>

#include "../base/size.hpp"

#include <cmath>

namespace gyrax {

double identity_share(std::span<const double> asked, std::span<const double> joint_limit, double path_limit,
                      std::span<double> joint) noexcept {
  double share = 1, squares = 0;
  for (std::size_t i = 0; i < asked.size(); ++i) {
    const double speed = size(asked[i]);
    squares += speed * speed;
    if (speed * share > joint_limit[i]) share = joint_limit[i] / speed;
  }
  const double path = std::sqrt(squares);
  if (path * share > path_limit) share = path_limit / path;
  const bool finite = std::isfinite(path);
  for (std::size_t i = 0; i < asked.size(); ++i) joint[i] = finite ? share * asked[i] : 0;
  return finite ? share : 0;
}

}  // namespace gyrax
