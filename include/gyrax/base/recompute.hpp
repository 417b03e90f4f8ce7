/// How much of a tick is worked out anew.
///
///     Engine reference(rig.setup, Recompute::everything);      // says the same as any other, and takes longer
#pragma once

#include <cstdint>

namespace gyrax {

enum class Recompute : std::uint8_t {
  changed,     ///< what readings, reports, limits and time have touched since the last tick
  everything,  ///< all of it, by the general way: what the other is held against
};

}  // namespace gyrax
