/// What the core says in numbers, in a person's words and the rig's names.
///
///     gyrax::say(rig, status.blocked, status.cause)          // "stick.left.x is not at neutral"
///     gyrax::say_release(rig, status.blocked)                // "let stick.left.x go"
#pragma once

#include <gyrax/engine/event.hpp>
#include <gyrax/rig/rig.hpp>

#include <string>
#include <utility>
#include <vector>

namespace gyrax {

/// What holds: the interlock's sentence with its names filled in.
std::string say(const Rig& rig, const Obstacle& obstacle, Cause cause = Cause::none);
/// What would release it.
std::string say_release(const Rig& rig, const Obstacle& obstacle);
/// What keeps an axis from moving, and what would release it: "enable is not held; … press and hold shoulder.right".
/// Empty where nothing does.
std::string say(const Rig& rig, const AxisStatus& why);
/// Whether the state that follows from it says the same: a fault that names nothing more.
bool is_said_by_state(const Event& event) noexcept;
/// One event as a sentence without its time.
std::string say(const Rig& rig, const Event& event);
/// The kind of an event as one word, for scripts and logbooks: "state", "step_refused" …
const char* name_of(Event::Kind kind) noexcept;
/// "prepared", "begun", "done" …
const char* name_of(ActionStep step) noexcept;
/// What an event is about, by names, for scripts: those of zone, state, cause, interlock, handset, control, link, axis,
/// switch, input, action, step, layer, which and by that it has.
std::vector<std::pair<const char*, std::string>> facts(const Rig& rig, const Event& event);
/// A counted amount in an axis's unit, to the last digit that counts: "+0.05 mm".
std::string say_amount(const Rig& rig, AxisId axis, Nano amount);
/// The controls bound to an effect of which this holds ("menu.right"; several joined by "or"); "nothing (it is not
/// bound)" if none.
std::string controls_for(const Rig& rig, bool (*holds)(const Effect&));

}  // namespace gyrax
