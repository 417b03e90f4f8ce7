/// One axis of a rig alone and slowly, and what somebody learns of it kept in the rig's text.
///
/// In: a rig and one of its axes; what was taught. Out: a rig that moves nothing else; the rig's text with other
/// numbers in it. Never: another byte of that text than those numbers, a text that is no rig.
///
///     const Rig alone = bring_up_rig(rig, axis, {{1000, 2000}});
///     … somebody moves it and keeps 1040 as low, 1960 as high …
///     const Taught taught{.low_us = 1040, .high_us = 1960};
///     const RigEdit edit = with_servo(rig, axis, taught);
#pragma once

#include <gyrax/rig/rig.hpp>

#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace gyrax {

/// Pulses, low and high, in µs.
using PulseRange = std::pair<int, int>;

/// The same rig with this axis at a tenth of its speed, on one stick and one key or hat that move something in the rig
/// already; with every word to the permit; and with no power on any other axis. A servo (with a PulseRange) may go to
/// any pulse of that range, at 80 µs a second at most, in steps of 1, 5 and 20 µs.
/// Its axes may stand in another order. Errors: std::runtime_error where no control of the rig moves anything;
/// RigError.
Rig bring_up_rig(const Rig& rig, AxisId axis, const std::optional<PulseRange>& allowed = std::nullopt);

/// Pulses at the ends and the middle of a servo's `ends`, in µs; what is not there stays as it is.
struct Taught {
  std::optional<int> low_us, centre_us, high_us;
  bool any() const { return low_us || centre_us || high_us; }
};

/// One file of a rig with something else in it.
struct RigEdit {
  std::string path, text;
  std::vector<std::string> says;  ///< what was changed, and what to know of it, a sentence each
};
/// `pulse_us`, `trim_us` and `reversed` so that the servo does what was taught. Errors: std::runtime_error where the
/// axis is no servo, or low and high are too near; RigError where the rig would be wrong with it (its travel does not
/// fit any more).
RigEdit with_servo(const Rig& rig, AxisId axis, const Taught& taught);
/// So that it runs the other way: `reversed` of a servo and a motor, the sign of `steps` of a stepper on a board.
/// Errors: std::runtime_error where nothing in the rig can say that.
RigEdit with_other_way(const Rig& rig, AxisId axis);

}  // namespace gyrax
