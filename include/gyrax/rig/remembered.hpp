/// What a live run leaves behind for the next one: numbers, where the rig says so (`remember`); zeros of one's own; and
/// where servos of a
/// board stand that nothing measures, since their board forgets it with its power.
///
/// In: a rig, and what is in force. Out: a small text; a rig that starts with it. Never: a number that is not among the
/// rig's notches; a place outside of the travel; anything of another rig.
///
///     Rig rig = with_remembered(load_rig(path), read_text(remembered_path(path), 1 << 16).text);
#pragma once

#include <gyrax/rig/rig.hpp>

#include <optional>
#include <span>
#include <string>

namespace gyrax {

/// The name under which it stands among a rig's sources, so that a logbook's replay starts with it, too.
inline constexpr const char* remembered_source = "(remembered)";

/// Where it is kept for a rig's file: $XDG_STATE_HOME/gyrax, otherwise ~/.local/state/gyrax.
std::string remembered_path(const std::string& rig_path);
/// Whether a live run remembers anything of it.
bool remembers(const Rig& rig);
/// Whether a person can set a zero of this axis, which is remembered then.
bool remembers_zero(const Rig& rig, AxisId axis);
/// Whether it remembers where this axis stands.
bool remembers_place(const Rig& rig, AxisId axis);
/// `overrides` by OverrideId, percent; `increments` by CoordinateId; `places` by AxisId, in its unit, nullopt where it
/// has power and may be anywhere soon; `zeros` by AxisId. Empty where the rig remembers nothing.
std::string remembered_text(const Rig& rig, std::span<const double> overrides, std::span<const Nano> increments,
                            std::span<const std::optional<double>> places = {}, std::span<const Nano> zeros = {});
/// The rig with those of its notches in force at first, and its servos where they were left. That, and what is no notch
/// any more, is outside of the travel or cannot be read, is told in a remark.
Rig with_remembered(Rig rig, const std::string& text);

}  // namespace gyrax
