// Actions: what begins one, what it waits for, and how it ends.
#pragma once

#include <gyrax/engine/parts.hpp>

#include <span>

namespace gyrax::detail {

/// Somebody asks for it: with a control, or by name (`by`: none).
void take_action(EngineParts& e, ActionId action, SlotId by) noexcept;
void take_typed(EngineParts& e, std::span<const ActionId> typed) noexcept;
void refuse_action(EngineParts& e, ActionId action, const Obstacle& why) noexcept;
/// What a link says has become of them.
void take_results(EngineParts& e, const LinkReport& report) noexcept;
/// Their turns, times and ends.
void work_actions(EngineParts& e) noexcept;
/// Takes up where its link says that it is whatever an action moves.
void carry(EngineParts& e) noexcept;
/// What keeps this group from being moved, where an action moves an axis of it or did so just now.
Obstacle carried_by(const EngineParts& e, std::size_t group) noexcept;

}  // namespace gyrax::detail
