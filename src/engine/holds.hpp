// What keeps an axis from what it is asked, besides its zone and its travel: a switch that it needs, homing, a control
// that has to be met, a motor that rests before it turns round, a brake that has not let go, a time for which it may
// run.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

/// What a group lacks: a switch that one of its axes needs and that is off, a brake that lets go, or rest. They move
/// together: what one needs, all need.
Obstacle lacking(const EngineParts& e, std::size_t group) noexcept;
/// The same, but for what keeps it from moving one way only, and for what the hands ask of it.
Obstacle lacking_but_ends(const EngineParts& e, std::size_t group) noexcept;
/// What an axis lacks that is not homed.
Obstacle not_homed(const Axis& axis) noexcept;
/// How long axes have run that may do so for a time only.
void watch_duty(EngineParts& e) noexcept;
/// Takes from the requests of a group what it lacks something for. What is asked meanwhile has to be let go before it
/// counts, and a control that is followed has to be brought to where its axis stands. Whether it lacks one.
bool hold_back(EngineParts& e, std::size_t group, bool live) noexcept;
/// Looks whether its axes are homed, and tells where that changed. Whether it did for one.
bool watch_homed(EngineParts& e, std::size_t group) noexcept;
/// Whether all of them are.
bool is_homed(const EngineParts& e, const GroupSetup& group) noexcept;
/// Brings a motor to rest, and keeps it there for its time, before it turns the other way.
void turn_round(EngineParts& e, AxisId axis) noexcept;

}  // namespace gyrax::detail
