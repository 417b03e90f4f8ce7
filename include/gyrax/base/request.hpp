/// What the hands ask of one coordinate in one tick.
///
///     Request r{.jog = -0.4, .jogging = true};      // 40 % of the rate, towards the low end
#pragma once

#include <gyrax/base/ids.hpp>
#include <gyrax/base/nano.hpp>

namespace gyrax {

/// Ranked: go before jog before steps (those are handed over one by one, as exact increments).
struct Request {
  double jog = 0;  ///< sum of all jogs, [-1, 1] of the speed in force
  bool jogging = false;
  bool going = false;
  Nano goal = 0;                    ///< of going
  SlotId by = no<SlotId>;           ///< the control that jogs or goes; of several, the last in the rig
  SlotId waiting_for = no<SlotId>;  ///< a deflected control that has to be at neutral once before it counts here
  bool asked() const noexcept { return jogging || going || waiting_for != no<SlotId>; }
};

}  // namespace gyrax
