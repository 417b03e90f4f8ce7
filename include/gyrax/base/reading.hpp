/// What a handset said, as it was said: the raw number, with the time it happened and the time it arrived.
///
///     Reading r{HandsetId{0}, ControlId{3}, 17, event, arrival, -32768};
#pragma once

#include <gyrax/base/ids.hpp>
#include <gyrax/base/time.hpp>

namespace gyrax {

struct Reading {
  HandsetId handset{};
  ControlId control{};
  /// One more than the last reading of this handset; a jump is a gap. Any start is fine after a presence of 1.
  std::uint32_t sequence = 0;
  Time event{};        ///< when it happened
  Time arrival{};      ///< when this program had it; never before `event`
  std::int32_t raw{};  ///< keys: 0 or 1; absolute controls: the device's number; dials: counts since the last one;
                       ///< ControlId::presence: 0 gone, 1 there, or wireless_presence
};

/// There, by radio, which may repeat its last values when the handset is out of its reach.
inline constexpr std::int32_t wireless_presence = 2;

}  // namespace gyrax
