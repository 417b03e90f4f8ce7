/// What the hands ask of one coordinate in one tick.
///
///     Request r{.jog = -0.4, .jogging = true};      // 40 % of the override, towards the low end
#pragma once

#include <gyrax/base/ids.hpp>
#include <gyrax/base/nano.hpp>

namespace gyrax {

/// Ranked: go (alone or with its group to a pose) before follow before jog before steps and handwheel (those are handed
/// over one by one, as exact increments).
struct Request {
  double jog = 0;  ///< sum of all jogs, [-1, 1] of the speed in force
  bool jogging = false;
  bool following = false;
  bool going = false;
  bool posing = false;              ///< going, together with its group on a straight line
  double accel = 1;                 ///< share of the axis's acceleration, (0, 1]; of several the least
  double position = 0;              ///< of following, in the axis's unit
  double catch_up = 0;              ///< of following: speed until the control is met, unit/s
  Nano goal = 0;                    ///< of going
  bool from_zero = false;           ///< of going: what was asked for counts from the person's own zero
  SlotId by = no<SlotId>;           ///< the control that asks; of several, the last in the rig
  BindingId follower{};             ///< of following: which binding follows; another one has to be met anew
  SlotId waiting_for = no<SlotId>;  ///< a deflected control that has to be at neutral once before it counts here
  /// Of all that is asked what counts, and what it goes before.
  enum class Rank : std::uint8_t { nothing, jog, follow, go, pose };
  Rank rank() const noexcept {
    return going ? (posing ? Rank::pose : Rank::go) : following ? Rank::follow : jogging ? Rank::jog : Rank::nothing;
  }
  bool moving() const noexcept { return rank() != Rank::nothing; }
  bool asked() const noexcept { return moving() || waiting_for != no<SlotId>; }
};

/// What a program beside the hands asks of a coordinate. Reserved: nothing takes it yet.
struct ProgramRequest {
  enum class Kind : std::uint8_t { jog, go };
  CoordinateId coordinate{};
  Kind kind = Kind::jog;
  double velocity = 0;  ///< of jog, unit/s
  Nano goal = 0;        ///< of go
  bool operator==(const ProgramRequest&) const = default;
};

}  // namespace gyrax
