#include <gyrax/permit/interlock.hpp>

namespace gyrax {
namespace {

constexpr std::array<AboutInterlock, interlock_count> interlocks{{
    {"none", "it moves", ""},
    {"unasked", "nothing asks it to move", "use a control that is bound to it"},
    {"stowed", "the zone is stowed", "press {ready} to make it ready"},
    {"not_enabled", "enable is not held", "let all controls go, then press and hold {enable}"},
    {"stopping", "it is stopping: {cause}", "wait until it is at rest"},
    {"tripped", "the zone has tripped: {cause}", "put the cause right, let all controls go, then press {reset}"},
    {"handset_gone", "{handset} is not plugged in", "plug {handset} in"},
    {"handset_silent", "{handset} has stopped reporting", "check {handset}, its battery and its cable"},
    {"link_silent", "{link} gives no heartbeat", "check that {link} is on and connected"},
    {"no_position", "{link} has not said where it is", "wait for a report, or check the axis's sensor"},
    {"unreported", "{control} has not reported yet", "move {control} once and let it go"},
    {"not_neutral", "{control} is not at neutral", "let {control} go; if nobody touches it, move it once"},
    {"end_of_travel_low", "it is at the low end of its travel", "move it the other way"},
    {"end_of_travel_high", "it is at the high end of its travel", "move it the other way"},
    {"too_many_steps", "it still has to make too many steps",
     "wait until it has caught up, or take a larger increment"},
    {"another_in_charge", "{handset} is in charge", "let {handset} come to rest, then take over with {ready}"},
    {"switch_off", "{switch} is off, and it must be on for this",
     "let the control go, turn {switch} on, then use it again"},
    {"turning_round", "it rests before it turns round", "wait until it has rested"},
    {"begun_before", "it was begun before the zone's state changed", "let the control go and do it again"},
    {"stop_held", "stop is held down ({control})", "let {control} go"},
    {"squeezed", "{control} is squeezed past its middle position",
     "let {control} go, then press it to its middle position"},
    {"on_path", "its group is on the way to a pose", "let the pose's control go and wait until the group is at rest"},
    {"not_met", "{control} is not where the axis stands", "bring {control} to where the axis stands"},
    {"switch_rests", "it was on a moment ago, and has to stay off for its time", "wait, then turn it on again"},
    {"on_too_long", "it was on for the longest time that the rig allows", "turn it on again"},
    {"not_held", "nothing that moves it is held", "let all controls go, then use one that moves it"},
    {"too_soon", "its state changed a moment ago, and the key only stows then", "press it once more"},
    {"tripped_again", "the zone has tripped of the same three times in a minute: {cause}",
     "put the cause right, let all controls go, then keep {reset} pressed for 2 s"},
    {"has_run", "it, or an axis of its group, has run for as long as it may, and rests",
     "let the control go, wait until it has rested, then use it again"},
    {"brake_holds", "its brake, or that of an axis of its group, has not let go yet",
     "wait a moment, let the control go, then use it again"},
    {"far_end_fault", "the far end of {link} stopped by itself, began anew, or reports a fault",
     "see what {link} says, and put it right"},
    {"waits_for_power", "it, or an axis of its group, gets its power after others",
     "wait a moment, let the control go, then use it again"},
    {"input_off", "{input} is off", "see what {input} says, put it right, and let the control go once"},
    {"input_unknown", "nobody knows what {input} is", "check {input} and its wire, and let the control go once"},
    {"end_switch", "{input}, the switch at its end, is on", "move it the other way"},
    {"input_too_low", "{input} is below {low}", "see what {input} says, and wait until it is at {from} or above"},
    {"input_too_high", "{input} is above {high}", "see what {input} says, and wait until it is at {to} or below"},
    {"switching_on", "{link} is still switching on", "wait a moment, then press {enable}; see what {link} says"},
    {"not_homed", "it is not homed ({input} is not on): it is only jogged and stepped",
     "home it, then let the control go once"},
    {"action_runs", "{action} is under way", "wait until it is over, or stop it"},
    {"not_standing", "an axis is still moving", "let it come to rest first"},
    {"link_refused", "{link} refused it", "see what {link} says, and put it right"},
    {"state_forbids", "its zone is in a state that does not allow it", "`gyrax check` says which states do"},
    {"beyond_travel", "from its zero that place is beyond its travel", "go elsewhere, or set another zero"},
    {"place_unknown", "nobody knows where it is before it is homed: it is only jogged and stepped",
     "let it be homed, then let the control go once"},
    {"switch_not_met", "{input} did not change within the way that homing may take",
     "look at that switch, its wire and the axis's direction"},
    {"action_paused", "{action} is paused", "ask for {action} again, and it goes on; or stop it"},
}};

}  // namespace

const AboutInterlock& about(Interlock interlock) noexcept { return interlocks[static_cast<std::size_t>(interlock)]; }

bool is_blocked(const AxisStatus& why) noexcept {
  const Interlock what = why.blocked.what;
  return why.asked && what != Interlock::none && what != Interlock::unasked && what != Interlock::stopping;
}

}  // namespace gyrax
