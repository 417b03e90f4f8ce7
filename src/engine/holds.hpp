// What keeps an axis from what it is asked, besides its zone and its travel: a switch that it needs, a control that has
// to be met, a motor that rests before it turns round.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

/// Takes from the requests of a group what it lacks a switch for. What is asked meanwhile has to be let go before it
/// counts, and a control that is followed has to be brought to where its axis stands. Whether it lacks one.
bool hold_back(EngineParts& e, std::size_t group, bool live) noexcept;
/// Brings a motor to rest, and keeps it there for its time, before it turns the other way.
void turn_round(EngineParts& e, AxisId axis) noexcept;

}  // namespace gyrax::detail
