// Further wrong inputs: what a line is and what somebody wrote in its place, or added.
#pragma once

#include <gyrax/files/problem.hpp>

#include <vector>

namespace gyrax::test {

struct Edit {
  Code code;
  const char* what;
  const char* from;  // a part of jog_and_step; empty: `to` is added
  const char* to;
};

inline const std::vector<Edit> edits{
    // Values of the wrong kind or size.
    {Code::wrong_type, "a title that is a number", "gyrax = 1", "gyrax = 1\ntitle = 5"},
    {Code::bad_choice, "something that cannot be remembered", "gyrax = 1", "gyrax = 1\nremember = [\"speed\"]"},
    {Code::wrong_type, "one word to remember, and no list", "gyrax = 1", "gyrax = 1\nremember = \"override\""},
    {Code::out_of_range, "a tick shorter than any", "", "[tick]\nperiod_ms = 0.1\n"},
    {Code::out_of_range, "a longest tick below the period", "", "[tick]\nperiod_ms = 5\nmax_ms = 4\n"},
    {Code::out_of_range, "a shortest tick above the period", "", "[tick]\nperiod_ms = 5\nmin_ms = 6\n"},
    {Code::unknown_key, "a rate in Hz in place of a period", "", "[tick]\nrate_hz = 500\n"},
    {Code::out_of_range, "more than full speed", "notches = [10, 50, 100]", "notches = [10, 50, 110]"},
    {Code::wrong_type, "one notch, and no list", "notches = [10, 50, 100]", "notches = 100"},
    {Code::wrong_type, "no notch at all", "notches = [10, 50, 100]", "notches = []"},
    {Code::out_of_range, "a tap of five minutes", "", "[gestures]\ntap_ms = 300000\n"},
    {Code::out_of_range, "reduced to more than all", "", "[reduced]\npercent = 120\n"},
    {Code::bad_choice, "reduced speed that is perhaps on", "", "[reduced]\nstart = \"perhaps\"\n"},
    {Code::out_of_range, "keeping no logbook", "", "[logbook]\nkeep = 0\n"},
    {Code::out_of_range, "keeping logbooks of no size", "", "[logbook]\nkeep_mb = 0.5\n"},
    {Code::unknown_key, "a slip in the logbook's table", "", "[logbook]\nkep = 5\n"},
    {Code::unknown_key, "a cause that is none", "", "[stops]\nhandset_unpluged = 1\n"},
    {Code::out_of_range, "a stop category that the standard does not have", "", "[stops]\nhandset_gone = 3\n"},
    {Code::unknown_name, "a zone that is not there", "speed = 50", "speed = 50\nzone = \"left\""},
    {Code::unknown_name, "a link that is not there", "speed = 50", "speed = 50\nlink = \"left\""},
    {Code::bad_choice, "a kind of link that is none", "kind = \"simulated\"", "kind = \"carrier_pigeon\""},
    {Code::unknown_key, "a link's key of another kind", "kind = \"simulated\"", "kind = \"simulated\"\nbaud = 9600"},
    {Code::out_of_range, "a link that may act on a frame for an hour", "kind = \"simulated\"",
     "kind = \"simulated\"\nvalid_ms = 3600000"},
    // Axes.
    {Code::out_of_range, "an axis slower than any", "speed = 50", "speed = 1e-9"},
    {Code::out_of_range, "acceleration backwards", "accel = 200", "accel = -200"},
    {Code::out_of_range, "no jerk at all", "jerk = { accel = 20000,", "jerk = { accel = 0,"},
    {Code::wrong_type, "a jerk that is a word", "jerk = { accel = 20000,", "jerk = { accel = \"high\","},
    {Code::reversed_range, "travel of nothing", "travel = [0, 100]", "travel = [50, 50]"},
    {Code::wrong_type, "travel of three", "travel = [0, 100]", "travel = [0, 50, 100]"},
    {Code::wrong_type, "travel of words", "travel = [0, 100]", "travel = [\"low\", \"high\"]"},
    {Code::out_of_range, "an increment of nothing", "increments = [0.01, 0.05, 1]", "increments = [0, 0.05, 1]"},
    {Code::not_a_notch, "an increment in force that is not in the list", "increment = 0.05", "increment = 0.5"},
    {Code::unknown_name, "a switch that is needed and not there", "speed = 50", "speed = 50\nneeds = [\"vacuum\"]"},
    {Code::bad_choice, "a place that is guessed", "speed = 50", "speed = 50\nposition = \"guessed\""},
    {Code::out_of_range, "a following error of nothing", "speed = 50", "speed = 50\nfollowing_error = 0"},
    {Code::missing_key, "a servo without its ends", "",
     "[axis.s]\nunit = \"deg\"\ntravel = [-50, 50]\nspeed = 9\naccel = 9\nstart = 0\nservo = { pulse_us = [900, 2100] "
     "}\n"},
    {Code::out_of_range, "a pulse that no servo knows", "",
     "[axis.s]\nunit = \"deg\"\ntravel = [-50, 50]\nspeed = 9\naccel = 9\nstart = 0\nservo = { ends = [-60, 60], "
     "pulse_us = "
     "[900, 21000] }\n"},
    {Code::out_of_range, "a dead band of all", "",
     "[axis.belt]\nunit = \"%\"\naccel = 100\nmotor = { dead_band = 100 }\n"},
    {Code::bad_name, "an axis with a point in its name", "",
     "[axis.\"x.1\"]\nunit = \"mm\"\ntravel = [0, 1]\nspeed = 1\naccel = 1\n"},
    {Code::bad_name, "an axis with a capital letter", "",
     "[axis.X]\nunit = \"mm\"\ntravel = [0, 1]\nspeed = 1\naccel = 1\n"},
    // Groups, poses, switches, stations.
    {Code::unknown_name, "a group of an axis that is not there", "", "[group.a]\naxes = [\"x\", \"y\"]\n"},
    {Code::wrong_type, "a group of one word", "", "[group.a]\naxes = \"x\"\n"},
    {Code::out_of_range, "a path of no speed", "", "[group.a]\naxes = [\"x\"]\npath_speed = 0\n"},
    {Code::bad_choice, "a switch that starts half on", "", "[switch.lamp]\nstart = \"half\"\n"},
    {Code::unknown_key, "a runaway of no cause", "speed = 50", "speed = 50\nrunaway = { too_fast_ms = 100 }"},
    {Code::out_of_range, "a runaway that may last an hour", "speed = 50",
     "speed = 50\nrunaway = { wrong_way_ms = 3600000 }"},
    {Code::bad_choice, "a switch that becomes something unknown", "", "[switch.lamp]\nbecomes = \"blink\"\n"},
    {Code::bad_choice, "a switch that becomes something unknown by cause", "",
     "[switch.lamp]\nbecomes = { stop_key = \"half\" }\n"},
    {Code::unknown_key, "a switch that becomes something for no cause", "",
     "[switch.lamp]\nbecomes = { otherwise = \"off\", stop_button = \"keep\" }\n"},
    {Code::unknown_key, "what a switch becomes, in an older word", "",
     "[switch.lamp]\non_trip = \"keep\"\non_handset_lost = \"off\"\n"},
    {Code::out_of_range, "a pulse of no time", "", "[switch.lamp]\npulse_ms = 0\n"},
    {Code::out_of_range, "a pulse longer than the switch may be on", "",
     "[switch.lamp]\npulse_ms = 3000\nmax_on_s = 2\n"},
    {Code::bad_choice, "a switch of pulses that is on at first", "", "[switch.lamp]\nstart = \"on\"\npulse_ms = 300\n"},
    {Code::out_of_range, "a switch that rests for two days", "", "[switch.lamp]\nmin_off_s = 172800\n"},
    {Code::unknown_name, "a station of a handset that is not there", "",
     "[station.s]\nhandsets = [\"pad\", \"wheel\"]\n"},
    // Handsets and controls.
    {Code::bad_choice, "reports in a way that is none", "[handset.pad]", "[handset.pad]\nreports = \"often\""},
    {Code::out_of_range, "a reading as old as an hour", "[handset.pad]", "[handset.pad]\nmax_age_ms = 3600000"},
    {Code::out_of_range, "a dead zone of all", "[handset.pad]",
     "[handset.pad]\ncontrol.\"stick.left\" = { dead_zone = 100 }"},
    {Code::unknown_control, "a shape of a control that no handset has", "[handset.pad]",
     "[handset.pad]\ncontrol.\"stick.middle\" = { dead_zone = 5 }"},
    {Code::unknown_control, "the kernel's name of a stick", "\"stick.left.x\"", "\"ABS_X\""},
    {Code::unknown_control, "the kernel's name of a key", "\"menu.right\" = \"ready\"", "\"BTN_START\" = \"ready\""},
    {Code::unknown_control, "the kernel's name of something that no control has", "\"stick.left.x\"",
     "\"ABS_MT_SLOT\""},
    {Code::unknown_control, "a control in capitals", "\"stick.left.x\"", "\"Stick.Left.X\""},
    {Code::wrong_type, "a device that is only a word", "[handset.pad]", "[handset.pad]\ndevice = \"1209:0001\""},
    {Code::wrong_type, "a device with half an identity", "[handset.pad]", "[handset.pad]\ndevice = { id = \"1209\" }"},
    {Code::include, "a calibration that is not there", "[handset.pad]", "[handset.pad]\ncalibration = \"none.toml\""},
    // Bindings.
    {Code::out_of_range, "a share above all", "jog = \"x\"", "jog = \"x\", share = 150"},
    {Code::wrong_type, "half a step", "", "[bind]\n\"thumb.left\" = { step = \"x\", by = 0.5 }\n"},
    {Code::out_of_range, "a hold that never comes", "",
     "[bind]\n\"thumb.left\".hold = { step = \"x\", hold_s = 600 }\n"},
    {Code::missing_key, "going, and nowhere to", "", "[bind]\n\"thumb.left\" = { go = \"x\" }\n"},
    {Code::unknown_name, "a switch that is set and not there", "", "[bind]\n\"thumb.left\" = { set = \"lmap\" }\n"},
    {Code::unknown_name, "a layer that is not there", "", "[bind]\n\"thumb.left\" = { layer = \"rotary\" }\n"},
    {Code::bad_choice, "an override that goes sideways", "", "[bind]\n\"thumb.left\" = { override = \"sideways\" }\n"},
    {Code::not_a_notch, "an override that is no notch", "", "[bind]\n\"thumb.left\" = { override = 33 }\n"},
    {Code::unknown_name, "choosing what is not there", "",
     "[bind]\n\"thumb.left\" = { choose = [\"override\", \"increment.y\"] }\n"},
    {Code::bad_choice, "five keys together", "",
     "[bind]\n\"face.north + face.west + face.south + thumb.left + thumb.right\" = { step = \"x\" }\n"},
    {Code::one_effect, "an effect that is none", "", "[bind]\n\"thumb.left\" = { jump = \"x\" }\n"},
    {Code::wrong_type, "a key that is true", "", "[bind]\n\"thumb.left\" = true\n"},
    {Code::wrong_type, "a number for a word", "= \"ready\"", "= 5"},
    {Code::wrong_type, "a date for a speed", "speed = 50", "speed = 2026-05-04"},
    {Code::wrong_type, "signs that are a word", "[handset.pad]", "[handset.pad]\nsigns = \"yes\""},
    {Code::unknown_key, "degrees for a range", "", "[bind]\n\"trigger.left\" = { follow = \"x\", ragne = [0, 50] }\n"},
    {Code::reversed_range, "a range that goes down", "",
     "[bind]\n\"trigger.left\" = { follow = \"x\", range = [50, 0] }\n"},
    {Code::out_of_range, "a range beyond the travel", "",
     "[bind]\n\"trigger.left\" = { follow = \"x\", range = [0, 500] }\n"},
    {Code::wrong_control, "a dial that follows", "", "[bind]\n\"dial.1\" = { follow = \"x\" }\n"},
    {Code::unknown_name, "the permit's word for a zone that is not there", "",
     "[bind]\n\"thumb.left\" = { stop = \"left\" }\n"},
    // Few keys.
    {Code::bad_choice, "a zone that is hold to run, with an enable of its own", "\"shoulder.right\" = \"enable\"",
     "\"shoulder.right\" = { enable = \"main\" }\n[zone.main]\nhold_to_run = true\n[bind]"},
    {Code::bad_choice, "a step in a zone that is hold to run", "", "[zone.main]\nhold_to_run = true\n"},
    {Code::bad_choice, "a tap that is to be held", "",
     "[zone.main]\nhold_to_run = true\n[bind]\n\"thumb.left\".tap = { jog = \"x\" }\n"},
    {Code::one_effect, "one key for ready and stow, and something else", "",
     "[bind]\n\"thumb.left\" = [\"ready_or_stow\", { set = \"lamp\" }]\n"},
    {Code::bad_choice, "one key for ready and stow that waits for a gesture", "",
     "[bind]\n\"thumb.left\".hold = \"ready_or_stow\"\n"},
    {Code::bad_choice, "a reset that cannot be kept down", "\"menu.centre\" = \"reset\"",
     "\"menu.centre\".tap = \"reset\""},
    {Code::bad_choice, "stowing after what never changes", "", "[zone.main]\nstow_after = [\"overide\"]\n"},
    {Code::wrong_type, "one word to stow after, and no list", "", "[zone.main]\nstow_after = \"override\"\n"},
};

}  // namespace gyrax::test
