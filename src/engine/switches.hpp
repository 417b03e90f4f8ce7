// Switches: who turned them, what they become at a stop and after a time.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

/// What a person asked of a switch, or what was lost.
void take_switch(EngineParts& e, const Ask& ask) noexcept;
/// A lamp that tells something, in whatever state its zone is.
void turn_light(EngineParts& e, SwitchId target, bool on) noexcept;
/// Whether that would turn it off, which is never refused.
bool turns_off(const EngineParts& e, const Ask& ask) noexcept;
/// What the switches of a zone become as it stops or trips. The same fault, or the end of the program, counts once
/// until the zone is made ready again: what a person turns off meanwhile stays off.
void stop_switches(EngineParts& e, ZoneId zone, Cause cause) noexcept;
/// Turns off what has been on for its time.
void end_times(EngineParts& e) noexcept;

}  // namespace gyrax::detail
