/// Coordinates that are axes: the kinematics of a plain gantry.
///
/// In: the velocity asked of each coordinate of a group, and what each joint may do. Out: the joints' velocities and
/// the greatest share of the asked path speed that their limits allow, direction kept. Never: a joint above its limit.
///
///     double share = identity_share({vx, vy}, {180, 180}, 200, joints);
#pragma once

#include <span>

namespace gyrax {

/// Velocities in unit/s; `joint_limit` > 0 each; `path_limit` on the Euclidean length of `asked` (> 0; infinity for
/// none). The three spans are of one length. Returns the share in [0, 1]; `joint` gets share · asked. Where anything
/// asked is not finite the share and every joint are 0.
double identity_share(std::span<const double> asked, std::span<const double> joint_limit, double path_limit,
                      std::span<double> joint) noexcept;

}  // namespace gyrax
