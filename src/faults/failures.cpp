#include "failures.hpp"

#include <algorithm>
#include <cmath>

namespace gyrax {
namespace {

using namespace std::chrono_literals;

// What is bound.

bool is_stop(const Effect& e) { return std::holds_alternative<effect::Stop>(e); }
bool is_stow(const Effect& e) {
  return std::holds_alternative<effect::Stow>(e) || std::holds_alternative<effect::ReadyOrStow>(e);
}

bool holds_to_run(const Trial& t) { return t.rig().setup.zones[index(t.zone())].hold_to_run; }
bool is_measured(const Predictor& p, const Trial&) { return p.applies(Cause::position_frozen); }
const BindingSetup& row(const Trial& t, BindingId id) { return t.rig().setup.bindings[index(id)]; }

// What is predicted.

template <Cause cause>
Prediction of(const Predictor& p, const Trial&) {
  return p.of(cause);
}
Prediction of_release(const Predictor& p, const Trial& t) {
  return p.of(holds_to_run(t) ? Cause::let_go : Cause::enable_released);
}
Prediction unheard(const Predictor& p, const Trial&) { return p.unheard(); }
Prediction no_motion(const Predictor&, const Trial& t) {
  Prediction none;
  none.axis = t.scene().axis;
  none.notice = "nothing may move";
  return none;
}
double creeping(const Predictor& p) { return p.far_end().top_speed * sim::slow_share; }

// What happens.

void release(Trial& t) {
  if (holds_to_run(t)) {
    t.each_tick = nullptr;
    t.let_go(t.scene().way.binding);
  } else {
    t.let_go(*t.word(enables));
  }
}

template <bool (*is_it)(const Effect&)>
void press(Trial& t) {
  const BindingSetup& b = row(t, *t.word(is_it));
  for (const SlotId slot : b.with) t.hands().put(slot, 1, t.now());
  t.hands().put(b.slot, 1, t.now());
}

template <bool (*is_it)(const Effect&)>
bool has_word(const Predictor&, const Trial& t) {
  const auto id = t.word(is_it);
  return id && row(t, *id).gesture == Gesture::press && row(t, *id).layer == no<LayerId>;
}

bool can_turn_round(const Predictor&, const Trial& t) {
  const ControlSetup& control = t.rig().setup.controls[index(t.slot())];
  return t.binding().as<effect::Jog>() && control.control != no<ControlId> &&
         control.calibration.kind() == ControlKind::centred && t.binding().gesture == Gesture::press;
}

bool is_steady(const Predictor&, const Trial& t) {
  return t.rig().setup.handsets[index(t.handset())].max_silence.has_value();
}

bool is_jogged(const Predictor&, const Trial& t) {
  return t.binding().as<effect::Jog>() && t.rig().setup.controls[index(t.slot())].control != no<ControlId> &&
         t.rig().setup.controls[index(t.slot())].calibration.kind() != ControlKind::key;
}

bool can_jog_and_stop(const Predictor& p, const Trial& t) { return is_jogged(p, t) && has_word<is_stop>(p, t); }

void fall_silent(Trial& t) {
  t.each_tick = nullptr;
  t.hands().freeze(t.handset(), t.now());
}

void say_about(Trial& t, Time event, std::int32_t raw) {
  const ControlSetup& control = t.rig().setup.controls[index(t.slot())];
  ControlId id = control.control;
  if (id == no<ControlId>) id = t.rig().setup.controls[index(control.virtual_control.parts[0])].control;
  t.hands().say({t.handset(), id, 0, event, event, raw});
}

void flood(Trial& t) {
  bool up = false;
  t.each_tick = [&t, up]() mutable {
    for (int i = 0; i < 200; ++i) t.hands().put(t.slot(), (up = !up) ? 1 : 0.98, t.now());
  };
  t.run(100ms);
  if (t.state() != State::live) return t.give_up();
  t.mark();
  press<is_stop>(t);
}

void shake(Trial& t) {
  t.each_tick = [&t, random = Random(t.scene().seed)]() mutable {
    t.hands().put(t.slot(), random.between(-1, 1), t.now());
  };
  t.run(200ms);
  if (t.state() != State::live) return t.give_up();
  t.mark();
  press<is_stop>(t);
}

void spoil(Trial& t, Spoils how, Span delay = {}, double share = 0) { t.wires().spoil(t.link(), how, delay, share); }
template <int ms>
void delay(Trial& t) {
  spoil(t, Spoils::delays, std::chrono::milliseconds(ms));
}
template <int percent>
void lose(Trial& t) {
  spoil(t, Spoils::loses, {}, percent / 100.0);
}
template <sim::WireFault fault>
void break_wire(Trial& t) {
  t.wires().machines().bench(t.link()).break_wire(fault);
}
template <sim::AxisFault fault>
void break_axis(Trial& t) {
  t.wires().machines().break_axis(t.scene().axis, fault);
}
template <int ms>
void hang(Trial& t) {
  t.hang(std::chrono::milliseconds(ms));
}
template <int ms>
Prediction hung(const Predictor& p, const Trial&) {
  return ms / 1e3 > p.far_end().valid_s ? p.of(Cause::frames_expired) : p.resumed(ms / 1e3);
}
template <int ms>
bool is_late(const Predictor&, const Trial& t) {
  return std::chrono::milliseconds(ms) >= t.rig().setup.max_tick + t.rig().period;
}

/// What is late and still sooner than silence is noticed by nothing but what it lets happen.
template <int ms>
Prediction late(const Predictor& p, const Trial&) {
  const LinkSetup& link = p.rig().setup.links[index(p.setup().wiring.link)];
  return ms / 1e3 + p.far_end().heard_s() < to_seconds(link.max_silence) ? p.to_the_end() : p.of(Cause::link_silent);
}

/// Farther than a following error.
double leap(const Predictor& p) { return 4 * p.setup().following_error; }
void jump(Trial& t) {
  const Predictor& p = t.predictor();
  const AxisSetup& axis = p.setup();
  const double at = t.wires().machines().position(t.scene().axis);
  const double to = at + leap(p) <= axis.limits.high() ? at + leap(p) : at - leap(p);
  t.wires().machines().bench(axis.wiring.link).place(axis.wiring.channel, to);
}
Prediction jumped(const Predictor& p, const Trial&) {
  Prediction it = p.of_machine(Cause::following_error, p.far_end().top_speed);
  // It is on its way back as it loses its power.
  it.notice = "a report, a tick";
  it.watch_s = 0;
  it.notice_s = p.far_end().report_s + p.far_end().delay_s + to_seconds(p.rig().setup.max_tick);
  it.notice_way = leap(p) + p.speed() * (p.far_end().lag_s + p.far_end().queue_s + to_seconds(p.rig().period));
  it.stop_way = std::max(0.0, it.stop_way - it.notice_way);
  return it;
}

/// Ready, with whatever is held meanwhile; and enable, pressed or held all the time.
void try_to_go(Trial& t, bool enable_too) {
  if (const auto ready = t.word(makes_ready)) {
    t.run(700ms);
    t.perform(*ready, 1);
    t.run(100ms);
    t.let_go(*ready);
    t.run(100ms);
  }
  const auto enable = t.word(enables);
  if (enable_too && enable) t.perform(*enable, 1);
  t.run(200ms);
}

void tape_enable(Trial& t) {
  t.plug_all();
  t.run(60ms);
  t.perform(*t.word(enables), 1);
  t.run(100ms);
  try_to_go(t, false);
  t.perform(t.scene().way.binding, 1);
  t.run(500ms);
}
bool can_be_taped(const Predictor&, const Trial& t) { return !holds_to_run(t) && t.word(enables).has_value(); }

void hold_over(Trial& t) {
  const BindingSetup& b = t.binding();
  for (const SlotId slot : b.with) t.hands().put(slot, 1, t.now());
  t.hands().put(b.slot, 1, t.now());
  t.plug_all();
  t.run(100ms);
  try_to_go(t, true);
  t.run(300ms);
}
bool can_be_held_over(const Predictor&, const Trial& t) {
  return about(t.binding().effect).steady && !t.binding().as<effect::Follow>();
}

void ready_and_stop(Trial& t) {
  t.plug_all();
  t.run(700ms);
  press<makes_ready>(t);
  press<is_stop>(t);
  t.tick();
  t.let_go(*t.word(is_stop));
  if (const auto enable = t.word(enables)) t.perform(*enable, 1);
  t.run(50ms);
  t.perform(t.scene().way.binding, 1);
  t.run(500ms);
}
bool can_ready_and_stop(const Predictor& p, const Trial& t) {
  return has_word<makes_ready>(p, t) && has_word<is_stop>(p, t) && t.binding().layer == no<LayerId>;
}

void hammer_reset(Trial& t) {
  t.hands().unplug(t.handset(), t.now());
  t.run_until([&] { return t.state() == State::tripped && t.machine_speed() == 0; }, 3s);
  t.run(300ms);
  t.hands().plug(t.handset(), t.now());
  t.run(50ms);
  t.mark();
  for (int i = 0; i < 10; ++i) {
    t.perform(*t.word(resets), 1);
    t.run(50ms);
    t.let_go(*t.word(resets));
    t.run(50ms);
  }
}
bool can_reset(const Predictor&, const Trial& t) { return t.word(resets).has_value(); }

const ZoneSetup& zone_of(const Trial& t) { return t.rig().setup.zones[index(t.zone())]; }
bool needs_inputs(const Predictor&, const Trial& t) { return !zone_of(t).needs.empty(); }
bool has_bounds(const Predictor&, const Trial& t) { return !zone_of(t).bounded.empty(); }

void open_contact(Trial& t) { t.wires().machines().set_input(zone_of(t).needs.front(), 0); }
void break_input(Trial& t) {
  const ZoneSetup& zone = zone_of(t);
  t.wires().machines().set_input((zone.needs.empty() ? zone.bounded : zone.needs).front(), 0, false);
}
void go_beyond(Trial& t) {
  const InputId input = zone_of(t).bounded.front();
  const InputBounds& bounds = t.rig().setup.inputs[index(input)].bounds;
  const bool up = std::isfinite(bounds.high);
  const double by = 1 + std::abs(up ? bounds.high : bounds.low) / 10;
  t.wires().machines().set_input(input, up ? bounds.high + by : bounds.low - by);
}

std::vector<Failure> made() {
  using enum Cause;
  using Wire = sim::WireFault;
  using Axis = sim::AxisFault;
  std::vector<Failure> all;
  const auto add = [&](Failure failure) { all.push_back(std::move(failure)); };
  // What a person does.
  Side side = Side::person;
  add({"released",
       side,
       "enable, or what moves it, is let go",
       {enable_released, let_go},
       of_release,
       release,
       {.by_hand = true}});
  add({"squeezed",
       side,
       "enable is squeezed",
       {enable_squeezed},
       of<enable_squeezed>,
       [](Trial& t) { t.hands().put(row(t, *t.word(enables)).slot, 1, t.now()); },
       {.applies =
            [](const Predictor& p, const Trial& t) {
              const auto id = t.word(enables);
              return p.applies(enable_squeezed) && id && row(t, *id).as<effect::Enable>()->squeeze.has_value();
            },
        .by_hand = true}});
  add({"stop",
       side,
       "stop is pressed, all else stays held",
       {stop_key},
       of<stop_key>,
       press<is_stop>,
       {.applies = has_word<is_stop>, .by_hand = true}});
  add({"stow",
       side,
       "stow is pressed, all else stays held",
       {stow},
       of<stow>,
       press<is_stow>,
       {.applies = has_word<is_stow>, .by_hand = true}});
  add({"opposite",
       side,
       "it is pushed the other way at once",
       {},
       of_release,
       [](Trial& t) { t.hands().put(t.slot(), -1, t.now()); },
       {.applies = can_turn_round, .by_hand = true, .forward = true}});
  add({"taped",
       side,
       "enable is held down from the start",
       {},
       no_motion,
       tape_enable,
       {.when = When::starting, .applies = can_be_taped}});
  add({"held_over",
       side,
       "plugged in with its control pushed",
       {},
       no_motion,
       hold_over,
       {.when = When::starting, .applies = can_be_held_over}});
  add({"ready_and_stop",
       side,
       "ready and stop in one tick",
       {},
       no_motion,
       ready_and_stop,
       {.when = When::starting, .applies = can_ready_and_stop}});
  add({"reset_hammered",
       side,
       "reset is hammered with all else held",
       {},
       no_motion,
       hammer_reset,
       {.applies = can_reset}});
  // What a handset and its wire do.
  side = Side::handset;
  add({"unplugged", side, "its handset is unplugged", {handset_gone}, of<handset_gone>, [](Trial& t) {
         t.hands().unplug(t.handset(), t.now());
       }});
  add({"frozen",
       side,
       "its radio repeats the last values",
       {handset_steady, none},
       of<handset_steady>,
       fall_silent,
       {.applies = [](const Predictor& p, const Trial& t) { return !is_steady(p, t); }, .by_radio = true}});
  add({"silent",
       side,
       "its handset falls silent",
       {handset_silent},
       of<handset_silent>,
       fall_silent,
       {.applies = is_steady}});
  add({"flooded",
       side,
       "200 readings a tick, then stop",
       {stop_key, let_go},
       of<stop_key>,
       flood,
       {.applies = can_jog_and_stop, .by_hand = true}});
  add({"noisy",
       side,
       "its control jumps about, then stop",
       {stop_key, let_go},
       of<stop_key>,
       shake,
       {.applies = can_jog_and_stop, .by_hand = true, .remark = "what jumps about is slow"}});
  add({"implausible",
       side,
       "a reading far outside its range",
       {reading_implausible},
       of<reading_implausible>,
       [](Trial& t) { say_about(t, t.now(), 2'000'000'000); }});
  add({"lost",
       side,
       "readings are lost",
       {handset_gap},
       of<handset_gap>,
       [](Trial& t) {
         t.hands().miss(t.handset(), 3);
         t.hands().put(t.slot(), t.hands().share(t.slot()), t.now());
       },
       {.applies = [](const Predictor&, const Trial& t) {
         return t.rig().setup.controls[index(t.slot())].calibration.kind() != ControlKind::counts;
       }}});
  add({"late", side, "a reading that is too old", {reading_clock}, of<reading_clock>, [](Trial& t) {
         say_about(t, t.now() - t.rig().setup.handsets[index(t.handset())].max_age - 1ms, 1);
       }});
  add({"future", side, "a reading from the future", {reading_clock}, of<reading_clock>, [](Trial& t) {
         const Time now = t.now();
         t.hands().delay(-1s);
         say_about(t, now + 900ms, 1);
         t.hands().delay({});
       }});
  // What a link does.
  side = Side::link;
  add({"cut", side, "the wire is cut", {link_silent}, unheard, break_wire<Wire::cut>});
  add({"deaf",
       side,
       "frames are lost",
       {following_error, position_frozen, wrong_way, moves_at_rest, overspeed},
       unheard,
       break_wire<Wire::deaf>,
       {.may_go_on = true}});
  add({"mute", side, "reports are lost", {link_silent}, of<link_silent>, break_wire<Wire::mute>});
  const std::vector<Cause> old{link_silent, following_error, position_frozen, wrong_way, moves_at_rest, overspeed};
  add({"late_50",
       side,
       "reports come 50 ms late",
       old,
       of<link_silent>,
       delay<50>,
       {.may_go_on = true, .from_stop = true}});
  add({"late_100", side, "reports come 100 ms late", old, late<100>, delay<100>, {.may_go_on = true}});
  add({"late_200", side, "reports come 200 ms late", old, late<200>, delay<200>, {.may_go_on = true}});
  add({"late_500", side, "reports come 500 ms late", old, late<500>, delay<500>, {.may_go_on = true}});
  add({"loses_1",
       side,
       "one frame and report in 100 is lost",
       old,
       of<link_silent>,
       lose<1>,
       {.may_go_on = true, .from_stop = true}});
  add({"loses_10", side, "one in ten is lost", old, of<link_silent>, lose<10>, {.may_go_on = true, .from_stop = true}});
  add({"loses_50",
       side,
       "every other one is lost",
       old,
       of<link_silent>,
       lose<50>,
       {.may_go_on = true, .from_stop = true, .remark = "another watchdog is sooner"}});
  add({"doubled", side, "each report comes twice", {report_invalid}, of<report_invalid>, [](Trial& t) {
         spoil(t, Spoils::duplicates);
       }});
  add({"reordered", side, "reports come in the wrong order", {report_invalid}, of<report_invalid>, [](Trial& t) {
         spoil(t, Spoils::reorders);
       }});
  add({"misnamed",
       side,
       "its link answers for another",
       {link_silent, report_invalid, following_error},
       of<link_silent>,
       [](Trial& t) { spoil(t, Spoils::misnames); }});
  add({"garbled", side, "reported positions are no numbers", {report_invalid}, of<report_invalid>, [](Trial& t) {
         spoil(t, Spoils::garbles);
       }});
  add({"complains", side, "its far end reports a fault", {far_end_fault}, of<far_end_fault>, [](Trial& t) {
         spoil(t, Spoils::complains);
       }});
  // What the program does, and its clock.
  side = Side::program;
  const std::vector<Cause> hang_causes{tick_late, frames_expired};
  add({"hangs_30", side, "the program hangs for 30 ms", hang_causes, hung<30>, hang<30>, {.applies = is_late<30>}});
  add({"hangs_50", side, "the program hangs for 50 ms", hang_causes, hung<50>, hang<50>, {.applies = is_late<50>}});
  add({"hangs_500",
       side,
       "the program hangs for 500 ms",
       hang_causes,
       hung<500>,
       hang<500>,
       {.applies = is_late<500>}});
  add({"hangs_2000",
       side,
       "the program stops for 2 s, and goes on",
       hang_causes,
       hung<2000>,
       hang<2000>,
       {.applies = is_late<2000>}});
  add({"killed", side, "the program is killed", {}, unheard, [](Trial& t) { t.kill(); }});
  add({"ends", side, "the program is told to end", {program_ends}, of<program_ends>, [](Trial& t) {
         t.end_program();
       }});
  add({"clock", side, "the clock goes back", {clock_backwards}, of<clock_backwards>, [](Trial& t) {
         t.tick_after(-5ms);
       }});
  // What the machine does.
  side = Side::machine;
  const std::vector<Cause> signs{following_error, moves_at_rest, wrong_way, overspeed, position_frozen};
  add({"stuck",
       side,
       "it sticks",
       signs,
       [](const Predictor& p, const Trial&) { return p.of_machine(following_error, 0); },
       break_axis<Axis::stuck>,
       {.applies = is_measured, .may_go_on = true, .remark = "it stands where it sticks"}});
  add({"reversed",
       side,
       "it runs the wrong way",
       signs,
       [](const Predictor& p, const Trial&) { return p.of_machine(wrong_way, p.far_end().top_speed); },
       break_axis<Axis::reversed>,
       {.applies = is_measured, .remark = "it had to turn round first"}});
  add({"slow",
       side,
       "it is slower than it is told",
       signs,
       [](const Predictor& p, const Trial&) { return p.of_machine(following_error, creeping(p)); },
       break_axis<Axis::slow>,
       {.applies = [](const Predictor& p,
                      const Trial& t) { return is_measured(p, t) && p.speed() > 1.2 * creeping(p); },
        .may_go_on = true,
        .least_speed = 0.98,
        .remark = "it was behind already"}});
  add({"racing",
       side,
       "it races",
       signs,
       [](const Predictor& p, const Trial&) { return p.of_machine(overspeed, p.far_end().top_speed); },
       break_axis<Axis::racing>,
       {.applies = [](const Predictor& p, const Trial&) { return p.applies(Cause::overspeed); }}});
  add({"drifting",
       side,
       "it creeps while it should stand",
       signs,
       [](const Predictor& p, const Trial&) { return p.of_machine(moves_at_rest, creeping(p)); },
       break_axis<Axis::drifting>,
       {.when = When::standing, .applies = is_measured}});
  add({"unmeasured",
       side,
       "its report freezes",
       signs,
       [](const Predictor& p, const Trial&) { return p.of_machine(position_frozen, p.speed()); },
       break_axis<Axis::unmeasured>,
       {.applies = is_measured,
        .may_go_on = true,
        .least_speed = 0.1,
        .remark = "it made up for no late tick just then"}});
  add({"contact_opens",
       side,
       "a contact that it needs opens",
       {input_off},
       of<input_off>,
       open_contact,
       {.applies = needs_inputs}});
  add({"input_breaks",
       side,
       "an input that it needs is not read",
       {input_unknown},
       of<input_unknown>,
       break_input,
       {.applies = [](const Predictor& p, const Trial& t) { return needs_inputs(p, t) || has_bounds(p, t); }}});
  add({"input_beyond",
       side,
       "an input goes beyond its bounds",
       {input_beyond},
       of<input_beyond>,
       go_beyond,
       {.applies = has_bounds}});
  add({"jumping", side, "it is pushed elsewhere", signs, jumped, jump, {.applies = is_measured, .may_go_on = true}});
  return all;
}

}  // namespace

std::span<const Failure> all_failures() {
  static const std::vector<Failure> all = made();
  return all;
}

}  // namespace gyrax
