/// The named reasons that hold an axis still, each with what would release it, in words a person can act on.
///
///     about(Interlock::end_of_travel_high).release      // "move it the other way"
#pragma once

#include <gyrax/base/ids.hpp>
#include <gyrax/permit/cause.hpp>

namespace gyrax {

enum class Interlock : std::uint8_t {
  none,     ///< it moves
  unasked,  ///< it could move; nothing asks it to
  stowed,
  not_enabled,
  stopping,
  tripped,
  handset_gone,
  handset_silent,
  link_silent,
  no_position,
  unreported,
  not_neutral,
  end_of_travel_low,
  end_of_travel_high,
  too_many_steps,
  another_in_charge,
  switch_off,
  turning_round,
  begun_before,
  stop_held,
  squeezed,
  on_path,
  not_met,
  switch_rests,
  on_too_long,
  not_held,
  too_soon,
  tripped_again,
  has_run,
  brake_holds,
  far_end_fault,
  waits_for_power,
  input_off,
  input_unknown,
  end_switch,
  input_too_low,
  input_too_high,
  switching_on,
  not_homed,
  action_runs,
  not_standing,
  link_refused,
  state_forbids,
  beyond_travel,
  place_unknown,
  switch_not_met,
  action_paused,
};
inline constexpr std::size_t interlock_count = static_cast<std::size_t>(Interlock::action_paused) + 1;

struct AboutInterlock {
  const char* name;
  const char* sentence;  ///< what holds it; {handset}, {control}, {link}, {switch}, {input}, {action} and {cause} stand
                         ///< for names, {low} and {high} for the input's bounds
  const char* release;   ///< what would release it; {ready}, {enable} and {reset} stand for the controls bound to them,
                         ///< {from} and {to} for where the input has come back
};

const AboutInterlock& about(Interlock interlock) noexcept;

/// One interlock with what it is about.
struct Obstacle {
  Interlock what = Interlock::none;
  HandsetId handset = no<HandsetId>;
  SlotId slot = no<SlotId>;
  LinkId link = no<LinkId>;
  SwitchId target = no<SwitchId>;
  InputId input = no<InputId>;
  ActionId action = no<ActionId>;
  bool operator==(const Obstacle&) const = default;
};

/// Why an axis does what it does in this tick.
struct AxisStatus {
  bool asked = false;         ///< some control asks it to move
  Obstacle blocked;           ///< what blocks it; none while it moves
  Obstacle before;            ///< what has to be put right before `blocked` can be released; none if nothing
  Cause cause = Cause::none;  ///< of the stop, while stopping or tripped
  bool operator==(const AxisStatus&) const = default;
};

/// Whether hands ask for motion and get none, and it is not just on its way to a stop.
bool is_blocked(const AxisStatus& why) noexcept;

}  // namespace gyrax
