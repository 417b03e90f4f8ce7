/// Homing to a switch by Gyrax itself: how an axis whose far end only counts learns where it is.
///
/// It runs towards the switch until that is on, off it again and a little further, and once more towards it, slowly.
/// Where the switch comes on then is the place that the rig says; from there it goes to where the rig says.
#pragma once

#include <gyrax/base/ids.hpp>

#include <cstdint>

namespace gyrax {

/// In the axis's unit, and a second.
struct HomingSetup {
  InputId home = no<InputId>;  ///< its switch; none: it is not homed by Gyrax
  bool up = false;             ///< the switch is towards the high end
  double speed = 1, slow = 1;  ///< of the search; of what finds the place. > 0, slow ≤ speed ≤ the axis's speed
  double back_off = 1;         ///< so far off the switch before the second approach, > 0
  double at = 0;               ///< where the switch comes on
  double then = 0;             ///< where it goes at last, inside its travel
  double way = 1;              ///< it gives up after so long a way in one direction, > 0
  bool keeps = false;          ///< without power it stays where it is, or something measures where it goes
  bool any() const noexcept { return home != no<InputId>; }
};

enum class HomingPhase : std::uint8_t {
  begin,
  search,    ///< towards the switch
  leave,     ///< away until it is off
  back_off,  ///< and a little further
  approach,  ///< towards it, slowly
  settle,    ///< it was met: to rest
  go,        ///< its place is known: where it is to stand at last
};

}  // namespace gyrax
