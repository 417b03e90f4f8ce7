// Rigs that hold, and that an experienced colleague would not leave so: what a line of the sound rig is and what
// somebody wrote in its place, or added.
#pragma once

#include <vector>

namespace gyrax::test {

struct Doubt {
  const char* code;
  const char* what;
  const char* from;  // a part of the sound rig; empty: `to` is added
  const char* to;
};

/// Nothing is to be found in it. A stick and keys for x and y of one gantry, a servo, a lamp.
inline constexpr const char* sound_rig = R"(gyrax = 1
[tick]
period_ms = 2
[override]
notches = [10, 50, 100]
start = 100
[link.machine]
kind = "simulated"
[axis.x]
unit = "mm"
travel = [0, 400]
speed = 100
accel = 500
increments = [0.1, 1]
[axis.y]
unit = "mm"
travel = [0, 300]
speed = 100
accel = 500
decel = 800
increments = [0.1, 1]
[axis.tilt]
unit = "deg"
travel = [-40, 40]
speed = 60
accel = 300
increments = [0.5]
servo = { ends = [-60, 60], pulse_us = [900, 2100] }
[group.gantry]
axes = ["x", "y"]
[switch.lamp]
[handset.pad]
control."stick.left" = { straight = 15 }
[bind]
"menu.right" = "ready"
"menu.left" = "stow"
"shoulder.right" = "enable"
"face.east" = "stop"
"menu.centre" = "reset"
"stick.left" = { jog = ["x", "y"] }
"hat.x" = { step = "x" }
"hat.y" = { override = "up" }
"stick.right.y" = { jog = "tilt" }
"face.north" = { set = "lamp" }
"face.west".hold = { go = "x", to = 200 }
[while."shoulder.left"]
"hat.x" = { step = "y" }
)";

inline const std::vector<Doubt> doubts{
    // Cannot work.
    {"over_at_once", "a tap that jogs", "", "[bind]\n\"face.south\".tap = { jog = \"x\" }\n"},
    {"over_at_once", "a go as a key is let go", "\"face.west\".hold", "\"face.west\".release"},
    {"never_fires", "what a layer that is always on binds anew", "",
     "[layer.fine]\nstart = \"on\"\n[in.fine]\n\"stick.right.y\" = { jog = \"tilt\", share = 10 }\n"},
    {"needs_never_on", "an axis that needs a switch that nothing turns on", "speed = 60",
     "speed = 60\nneeds = [\"pump\"]\n[switch.pump]\n[axis.tilt]"},
    {"step_beyond_travel", "a step of half a metre", "increments = [0.5]", "increments = [0.5, 500]\nincrement = 0.5"},
    {"trips_at_speed", "a following error for a machine without lag", "accel = 500\ndecel",
     "accel = 500\nfollowing_error = 1\ndecel"},
    {"trips_at_speed", "a machine that lags half a second", "kind = \"simulated\"",
     "kind = \"simulated\"\n[link.machine.simulated]\nlag_ms = 500"},
    {"stops_between_frames", "frames that are over before the next", "kind = \"simulated\"",
     "kind = \"simulated\"\nvalid_ms = 1"},
    {"stops_between_frames", "frames that are over as the next is due", "period_ms = 2", "period_ms = 50"},
    {"silent_between_reports", "silence that is shorter than a report", "kind = \"simulated\"",
     "kind = \"simulated\"\nsilence_ms = 5"},
    {"silent_between_reports", "reports that come once a second", "kind = \"simulated\"",
     "kind = \"simulated\"\n[link.machine.simulated]\nreport_ms = 1000"},
    {"never_good", "a simulated door that is open for ever", "speed = 60",
     "speed = 60\nneeds = [\"door\"]\n[input.door]\n[axis.tilt]"},
    {"never_good", "a zone whose chain is open for ever", "", "[input.chain]\n[zone.main]\nneeds = [\"chain\"]\n"},
    {"never_good", "a switch at an end that is on for ever", "speed = 60",
     "speed = 60\nends = { low = \"low\" }\n[input.low]\nstart = \"on\"\n[axis.tilt]"},
    {"never_good", "a pressure that starts too low", "", "[input.air]\nunit = \"bar\"\ntrips = { below = 4 }\n"},
    {"needs_its_end", "an axis that needs the switch at its end", "speed = 60",
     "speed = 60\nneeds = [\"low\"]\nends = { low = \"low\" }\n[input.low]\n[axis.tilt]"},
    {"one_switch_two_ends", "one switch for both ends", "speed = 60",
     "speed = 60\nends = { low = \"end\", high = \"end\" }\n[input.end]\n[axis.tilt]"},
    // Dangerous.
    {"permit_and_more", "enable on a stick that jogs", "{ jog = \"tilt\" }", "[{ jog = \"tilt\" }, \"enable\"]"},
    {"permit_and_more", "stop and a lamp on one key", "\"face.east\" = \"stop\"",
     "\"face.east\" = [\"stop\", { set = \"lamp\" }]"},
    {"permit_and_more", "ready, and an override", "\"menu.right\" = \"ready\"",
     "\"menu.right\" = [\"ready\", { override = 10 }]"},
    {"permit_and_more", "a stop that does something else in a layer", "\"hat.x\" = { step = \"y\" }",
     "\"face.east\" = { step = \"y\" }"},
    {"permit_and_more", "reset, and keys together with it", "",
     "[bind]\n\"menu.centre + face.south\" = { set = \"lamp\" }\n"},
    {"stop_too_long", "a stop that is longer than the rig allows", "travel = [0, 400]",
     "travel = [0, 400]\nmax_stop = 5"},
    {"stop_too_long", "an allowance for a servo", "travel = [-40, 40]", "travel = [-40, 40]\nmax_stop = 2"},
    {"noticed_too_late", "a lost link that the allowance does not bear", "travel = [0, 400]",
     "travel = [0, 400]\nmax_stop = 16"},
    {"noticed_too_late", "a patient link", "kind = \"simulated\"",
     "kind = \"simulated\"\nsilence_ms = 400\n[axis.z]\nunit = "
     "\"mm\"\ntravel = [0, 400]\nspeed = 100\naccel = 500\nmax_stop = 40\n[bind]\n\"trigger.left\" = { jog = \"z\" }"},
    {"switch_never_off", "a lamp that a key turns on, and none off", "{ set = \"lamp\" }",
     "{ set = \"lamp\", to = \"on\" }"},
    {"switch_never_off", "a pump that is on at first", "", "[switch.pump]\nstart = \"on\"\n"},
    {"power_stays", "a following error that leaves power on", "", "[stops]\nfollowing_error = 2\n"},
    {"power_stays", "a runaway that leaves power on, in a zone", "", "[zone.main]\nstops = { wrong_way = 2 }\n"},
    // Doubtful.
    {"two_words", "ready and stow on one key", "\"menu.right\" = \"ready\"",
     "\"menu.right\".press = \"ready\"\n\"menu.right\".hold = \"stow\""},
    {"two_words", "reset and ready on one key", "\"menu.centre\" = \"reset\"",
     "\"menu.centre\".press = \"reset\"\n\"menu.centre\".double_tap = \"ready\""},
    {"two_effects", "one key for two switches", "{ set = \"lamp\" }",
     "[{ set = \"lamp\" }, { set = \"pump\" }]\n[switch.pump]\n[bind]"},
    {"two_effects", "a step and a lamp", "\"hat.x\" = { step = \"x\" }",
     "\"hat.right\" = [{ step = \"x\" }, { set = \"lamp\", to = \"on\" }]"},
    {"two_axes", "one stick that jogs two axes", "{ jog = \"tilt\" }", "[{ jog = \"tilt\" }, { jog = \"x\" }]"},
    {"two_axes", "two axes on a key", "", "[bind]\n\"face.south\" = [{ jog = \"x\" }, { jog = \"-y\" }]\n"},
    {"layer_key_bound", "a layer's key that turns a lamp on", "", "[bind]\n\"shoulder.left\" = { set = \"lamp\" }\n"},
    {"layer_key_bound", "a layer's key that is another layer's", "",
     "[in.fine]\n\"shoulder.left\" = { set = \"lamp\" }\n[bind]\n\"thumb.left\" = { layer = \"fine\" }\n"},
    {"layer_never_off", "a layer without a way back", "",
     "[in.fine]\n\"face.south\" = { set = \"lamp\" }\n[bind]\n\"thumb.left\" = { layer = \"fine\", to = \"on\" }\n"},
    {"bound_out_of_range", "a load that trips above what its gauge shows", "",
     "[input.load]\nunit = \"%\"\nrange = [0, 100]\ntrips = { above = 120 }\n"},
    {"coarse_notch", "a notch at which a servo crawls", "notches = [10, 50, 100]", "notches = [1, 50, 100]"},
    {"not_calibrated", "a stick that was not measured", "control.\"stick.left\"",
     "calibration = \"demo/handsets/joystick.calibration.toml\"\ncontrol.\"stick.left\""},
    {"one_way", "an override that only falls", "\"hat.y\" = { override = \"up\" }",
     "\"hat.down\" = { override = \"down\" }"},
    {"one_way", "an increment that only grows", "", "[bind]\n\"thumb.right\" = { increment = \"up\" }\n"},
    {"one_way", "a key that adjusts, one way", "\"hat.y\" = { override = \"up\" }",
     "\"hat.up\" = { adjust = \"override\" }"},
    {"out_of_order", "notches from the greatest", "notches = [10, 50, 100]", "notches = [100, 50, 10]"},
    {"out_of_order", "a notch twice", "notches = [10, 50, 100]", "notches = [10, 50, 50, 100]"},
    {"out_of_order", "increments in disorder", "increments = [0.1, 1]\n[axis.y]", "increments = [1, 0.1]\n[axis.y]"},
    {"switch_never_on", "a switch that nothing turns on", "", "[switch.pump]\n"},
    {"switch_never_on", "a lamp that is only turned off", "{ set = \"lamp\" }", "{ set = \"lamp\", to = \"off\" }"},
    {"always_reduced", "reduced speed for ever", "", "[reduced]\npercent = 20\n"},
    {"always_reduced", "reduced speed that a key turns on only", "",
     "[reduced]\npercent = 20\n[bind]\n\"thumb.left\" = { reduced = \"on\" }\n"},
    {"springs_back", "a followed stick", "{ jog = \"tilt\" }", "{ follow = \"tilt\" }"},
    {"crooked_pair", "a gantry without straight pushes", "{ straight = 15 }", "{ dead_zone = 15 }"},
    {"crooked_pair", "a gantry by the other stick as well", "\"stick.right.y\" = { jog = \"tilt\" }",
     "\"stick.right\" = { jog = [\"x\", \"y\"] }"},
    {"long_stop", "a speed per minute", "travel = [0, 400]\nspeed = 100", "travel = [0, 400]\nspeed = 6000"},
    {"long_stop", "a weak brake", "decel = 800", "decel = 50"},
    {"wide_following_error", "an axis that may be anywhere", "accel = 500\ndecel",
     "accel = 500\nfollowing_error = 150\ndecel"},
    {"wide_following_error", "fast and short, without a word", "travel = [0, 300]\nspeed = 100",
     "travel = [0, 40]\nspeed = 100"},
    {"weak_decel", "an axis that gains faster than it loses", "decel = 800", "decel = 300"},
    {"never_at_speed", "a travel too short for its speed", "travel = [-40, 40]\nspeed = 60",
     "travel = [-40, 40]\nspeed = 200"},
    {"absurd_speed", "through its travel in no time", "travel = [-40, 40]\nspeed = 60",
     "travel = [-40, 40]\nspeed = 3600"},
    {"absurd_speed", "through its travel in an hour", "travel = [0, 400]\nspeed = 100",
     "travel = [0, 400]\nspeed = 0.1"},
    {"step_below_pulse", "a step that a servo cannot show", "increments = [0.5]", "increments = [0.01, 0.5]"},
    {"wide_dead_zone", "a dead zone of two thirds", "{ straight = 15 }", "{ straight = 15, dead_zone = 66 }"},
    {"wide_dead_zone", "a trigger that hardly does anything", "{ straight = 15 }",
     "{ straight = 15 }\ncontrol.\"trigger.left\" = { dead_zone = 80 }\n[bind]\n\"trigger.left\" = { jog = \"tilt\" }"},
    {"tiny_share", "a key that jogs at a thousandth", "", "[bind]\n\"face.south\" = { jog = \"-x\", share = 0.1 }\n"},
    {"tiny_share", "a share between 0 and 1", "{ jog = \"tilt\" }", "{ jog = \"tilt\", share = 0.5 }"},
    {"long_silence", "a link that may be silent for five seconds", "kind = \"simulated\"",
     "kind = \"simulated\"\nsilence_ms = 5000"},
    {"long_silence", "frames that are valid for a minute", "kind = \"simulated\"",
     "kind = \"simulated\"\nvalid_ms = 60000"},
    {"long_silence", "a handset that may be silent for a second", "[handset.pad]",
     "[handset.pad]\nreports = \"steadily\"\nsilence_ms = 1000"},
    {"old_readings", "readings of a second ago", "[handset.pad]", "[handset.pad]\nmax_age_ms = 1000"},
    {"late_ticks", "a tick that may be half a second late", "period_ms = 2", "period_ms = 2\nmax_ms = 500"},
    // The same again, in other places.
    {"trips_at_speed", "a following error of a hair", "speed = 100\naccel = 500\nincrements",
     "speed = 100\naccel = 500\nfollowing_error = 0.1\nincrements"},
    {"step_beyond_travel", "a step that is longer than a gantry", "increments = [0.1, 1]\n[axis.y]",
     "increments = [0.1, 1, 1000]\nincrement = 1\n[axis.y]"},
    {"over_at_once", "a pose that is tapped", "",
     "[pose.near]\nx = 10\n[bind]\n\"face.south\".tap = { pose = \"near\" }\n"},
    {"never_fires", "a key that a layer takes for ever", "",
     "[layer.fine]\nstart = \"on\"\n[in.fine]\n\"face.north\" = { step = \"y\" }\n"},
    {"permit_and_more", "stow and a layer on one key", "\"menu.left\" = \"stow\"",
     "\"menu.left\" = [\"stow\", { override = 10 }]"},
    {"permit_and_more", "enable that holds reduced speed as well", "\"shoulder.right\" = \"enable\"",
     "\"shoulder.right\" = [\"enable\", { reduced = \"momentary\" }]\n[reduced]\npercent = 30\n[bind]"},
    {"stop_too_long", "an allowance that needs a better brake", "decel = 800", "decel = 800\nmax_stop = 1"},
    {"power_stays", "an axis that moves at rest, and keeps its power", "", "[stops]\nmoves_at_rest = 2\n"},
    {"power_stays", "an axis that runs too fast, and keeps its power", "", "[stops]\noverspeed = 2\n"},
    {"power_stays", "a frozen report that leaves power on", "", "[stops]\nposition_frozen = 2\n"},
    {"two_effects", "an override and an increment", "\"hat.y\" = { override = \"up\" }",
     "\"hat.y\" = [{ override = \"up\" }, { increment = \"up\" }]"},
    {"one_way", "an axis's increment that only shrinks", "",
     "[bind]\n\"thumb.right\" = { increment = \"x\", to = \"down\" }\n"},
    {"one_way", "an override that a layer raises", "\"hat.y\" = { override = \"up\" }",
     ""
     "\"hat.up\" = { override = \"up\" }"},
    {"out_of_order", "a gantry's own notches in disorder", "axes = [\"x\", \"y\"]",
     "axes = [\"x\", \"y\"]\noverride = { notches = [25, 100, 50], start = 100 }"},
    {"out_of_order", "a servo's increments in disorder", "increments = [0.5]", "increments = [2, 0.5]"},
    {"layer_never_off", "a layer that a long press turns on for ever", "",
     "[in.fine]\n\"face.south\" = { step = \"x\" }\n[bind]\n\"thumb.left\".hold = { layer = \"fine\", to = \"on\" }\n"},
    {"springs_back", "a followed stick, the other way", "{ jog = \"tilt\" }", "{ follow = \"-tilt\" }"},
    {"never_at_speed", "an axis that hardly gains speed", "accel = 500\ndecel = 800", "accel = 5\ndecel = 800"},
    {"absurd_speed", "two millimetres in no time", "travel = [0, 300]", "travel = [0, 2]"},
    {"long_stop", "a brake that takes half of the gantry", "decel = 800", "decel = 30"},
    {"late_ticks", "a slow tick that may be a second late", "period_ms = 2", "period_ms = 10\nmax_ms = 1000"},
};

}  // namespace gyrax::test
