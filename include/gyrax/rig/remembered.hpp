/// The numbers that a live run leaves behind for the next one, where the rig says so (`remember`).
///
/// In: a rig, and what is in force. Out: a small text; a rig that starts with it. Never: a number that is not among the
/// rig's notches; anything of another rig.
///
///     Rig rig = with_remembered(load_rig(path), read_text(remembered_path(path), 1 << 16).text);
#pragma once

#include <gyrax/rig/rig.hpp>

#include <span>
#include <string>

namespace gyrax {

/// The name under which it stands among a rig's sources, so that a logbook's replay starts with it, too.
inline constexpr const char* remembered_source = "(remembered)";

/// Where it is kept for a rig's file: $XDG_STATE_HOME/gyrax, otherwise ~/.local/state/gyrax.
std::string remembered_path(const std::string& rig_path);
/// `overrides` by OverrideId, percent; `increments` by CoordinateId. Empty where the rig remembers nothing.
std::string remembered_text(const Rig& rig, std::span<const double> overrides, std::span<const Nano> increments);
/// The rig with those of its notches in force at first. What is no notch any more, or cannot be read, is told in a
/// remark.
Rig with_remembered(Rig rig, const std::string& text);

}  // namespace gyrax
