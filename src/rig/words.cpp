#include <gyrax/rig/words.hpp>

#include <fmt/format.h>

#include <filesystem>

namespace gyrax {
namespace {

std::string name_of(const Rig& rig, const Obstacle& o) {
  if (o.slot == no<SlotId>) return "a control";
  const std::string& control = rig.slots[index(o.slot)].name;
  const HandsetId handset = rig.setup.controls[index(o.slot)].handset;
  return rig.handsets.size() > 1 ? rig.handsets[index(handset)] + " " + control : control;
}

/// A number of an input's unit: "80 %".
std::string in_unit(const Rig& rig, InputId input, double value) {
  const std::string& unit = rig.inputs[index(input)].unit;
  return fmt::format("{:.6g}{}{}", value, unit.empty() ? "" : " ", unit);
}

std::string filled(const Rig& rig, const char* text, const Obstacle& o, Cause cause) {
  const InputBounds bounds = o.input == no<InputId> ? InputBounds{} : rig.setup.inputs[index(o.input)].bounds;
  const auto bound = [&](double value) {
    return o.input == no<InputId> ? std::string("its bound") : in_unit(rig, o.input, value);
  };
  return fmt::format(fmt::runtime(text),
                     fmt::arg("handset", o.handset == no<HandsetId> ? "a handset" : rig.handsets[index(o.handset)]),
                     fmt::arg("control", name_of(rig, o)),
                     fmt::arg("link", o.link == no<LinkId> ? "a link" : rig.links[index(o.link)].name),
                     fmt::arg("switch", o.target == no<SwitchId> ? "a switch" : rig.switches[index(o.target)]),
                     fmt::arg("input", o.input == no<InputId> ? "an input" : rig.inputs[index(o.input)].name),
                     fmt::arg("action", o.action == no<ActionId> ? "an action" : rig.actions[index(o.action)].name),
                     fmt::arg("low", bound(bounds.low)), fmt::arg("high", bound(bounds.high)),
                     fmt::arg("from", bound(bounds.low + bounds.hysteresis)),
                     fmt::arg("to", bound(bounds.high - bounds.hysteresis)), fmt::arg("cause", about(cause).sentence),
                     fmt::arg("ready", controls_for(rig, makes_ready)), fmt::arg("enable", controls_for(rig, enables)),
                     fmt::arg("reset", controls_for(rig, resets)));
}

std::string zone_name(const Rig& rig, ZoneId zone) {
  return zone == no<ZoneId> ? std::string("a zone") : rig.zones[index(zone)];
}

std::string number_name(const Rig& rig, NumberId number) {
  return number == no<NumberId> ? "override" : rig.numbers[index(number)].name;
}

/// Where the notches of a number stand: " (bench.toml:17)".
std::string set_at(const Rig& rig, NumberId number) {
  if (number == no<NumberId> || rig.numbers[index(number)].origin.line == 0) return {};
  const Origin& at = rig.numbers[index(number)].origin;
  return fmt::format(" ({}:{})", std::filesystem::path(at.file).filename().string(), at.line);
}

/// How far a control is from its rest, and what to do about it.
std::string not_at_rest(const Rig& rig, const Event& e) {
  const std::string& name = rig.slots[index(e.obstacle.slot)].name;
  const double dead_zone = rig.setup.controls[index(e.obstacle.slot)].shape.zone.inner;
  return fmt::format("{} is at {:.3g} %, its dead zone is {:g} %; let {} go; if it rests there, calibrate it", name,
                     static_cast<double>(e.number) / 1e3, dead_zone * 100, name);
}

/// What has become of an action.
std::string say_step(const Rig& rig, const Event& e) {
  const std::string& name = rig.actions[index(e.action)].name;
  const ActionSetup& action = rig.setup.actions[index(e.action)];
  const std::string because = e.cause == Cause::none ? "" : fmt::format(": {}", about(e.cause).sentence);
  switch (static_cast<ActionStep>(e.number)) {
    case ActionStep::prepared:
      return fmt::format("{} is prepared: ask for it once more within {:g} s, and it begins", name,
                         to_seconds(action.confirm));
    case ActionStep::lapsed: return fmt::format("{} is not prepared any more{}", name, because);
    case ActionStep::begun: return fmt::format("{} begins, for {:g} s at most", name, to_seconds(action.limit));
    case ActionStep::done: return fmt::format("{} is done", name);
    case ActionStep::timed_out: return fmt::format("{} took too long, and is stopped", name);
    case ActionStep::stopped: return fmt::format("{} is stopped{}", name, because);
    case ActionStep::paused: return fmt::format("{} is paused{}; ask for it again, and it goes on", name, because);
    case ActionStep::resumed: return fmt::format("{} goes on", name);
  }
  return name;
}

const char* wanted(State state) {
  switch (state) {
    case State::ready: return "ready";
    case State::live: return "enable";
    default: return "reset";
  }
}

}  // namespace

std::string controls_for(const Rig& rig, bool (*holds)(const Effect&)) {
  std::string all;
  for (const BindingSetup& b : rig.setup.bindings) {
    if (!holds(b.effect)) continue;
    if (!all.empty()) all += " or ";
    if (rig.handsets.size() > 1) all += rig.handsets[index(rig.setup.controls[index(b.slot)].handset)] + " ";
    all += rig.slots[index(b.slot)].name;
  }
  return all.empty() ? std::string("nothing (it is not bound)") : all;
}

std::string say(const Rig& rig, const Obstacle& obstacle, Cause cause) {
  return filled(rig, about(obstacle.what).sentence, obstacle, cause);
}

std::string say_release(const Rig& rig, const Obstacle& obstacle) {
  return filled(rig, about(obstacle.what).release, obstacle, Cause::none);
}

bool is_said_by_state(const Event& event) noexcept {
  return event.kind == Event::Kind::fault && event.obstacle.input == no<InputId>;
}

const char* name_of(Event::Kind kind) noexcept {
  constexpr const char* names[] = {"state",         "fault",          "refused",        "step",      "step_refused",
                                   "wheel_refused", "switch_refused", "override",       "increment", "chosen",
                                   "layer",         "in_charge",      "move_refused",   "reduced",   "switched",
                                   "gap",           "dropped",        "number_refused", "steady",    "unheard",
                                   "homed",         "action",         "action_refused", "zero",      "zero_refused"};
  static_assert(std::size(names) == Event::kinds);
  return names[static_cast<std::size_t>(kind)];
}

const char* name_of(ActionStep step) noexcept {
  constexpr const char* names[] = {"prepared", "lapsed", "begun", "done", "timed_out", "stopped", "paused", "resumed"};
  static_assert(std::size(names) == action_steps);
  return names[static_cast<std::size_t>(step)];
}

std::vector<std::pair<const char*, std::string>> facts(const Rig& rig, const Event& e) {
  std::vector<std::pair<const char*, std::string>> all;
  const auto add = [&](const char* name, auto id, const auto& names) {
    if (id != no<decltype(id)>) all.emplace_back(name, names[index(id)]);
  };
  add("zone", e.zone, rig.zones);
  if (e.kind == Event::Kind::state || e.kind == Event::Kind::refused) all.emplace_back("state", name_of(e.state));
  if (e.cause != Cause::none) all.emplace_back("cause", about(e.cause).name);
  if (e.obstacle.what != Interlock::none) all.emplace_back("interlock", about(e.obstacle.what).name);
  add("handset", e.obstacle.handset, rig.handsets);
  if (e.obstacle.slot != no<SlotId>) all.emplace_back("control", rig.slots[index(e.obstacle.slot)].name);
  if (e.obstacle.link != no<LinkId>) all.emplace_back("link", rig.links[index(e.obstacle.link)].name);
  if (e.obstacle.input != no<InputId>) all.emplace_back("input", rig.inputs[index(e.obstacle.input)].name);
  if (e.axis != no<AxisId>) all.emplace_back("axis", rig.axes[index(e.axis)].name);
  const SwitchId target = e.target != no<SwitchId> ? e.target : e.obstacle.target;
  add("switch", target, rig.switches);
  const ActionId action = e.action != no<ActionId> ? e.action : e.obstacle.action;
  if (action != no<ActionId>) all.emplace_back("action", rig.actions[index(action)].name);
  if (e.kind == Event::Kind::action) all.emplace_back("step", name_of(static_cast<ActionStep>(e.number)));
  if (e.layer != no<LayerId>) all.emplace_back("layer", rig.layers[index(e.layer)]);
  if (e.which != no<NumberId>) all.emplace_back("which", number_name(rig, e.which));
  if (e.by != no<SlotId>) all.emplace_back("by", rig.slots[index(e.by)].name);
  return all;
}

std::string say_amount(const Rig& rig, AxisId axis, Nano amount) {
  const bool negative = amount < 0;
  const auto size = negative ? 0 - static_cast<std::uint64_t>(amount) : static_cast<std::uint64_t>(amount);
  std::string text = fmt::format("{}{}", negative ? "-" : "+", size / 1'000'000'000);
  std::string part = fmt::format("{:09}", size % 1'000'000'000);
  while (!part.empty() && part.back() == '0') part.pop_back();
  if (!part.empty()) text += "." + part;
  return text + " " + rig.axes[index(axis)].unit;
}

std::string say(const Rig& rig, const Event& e) {
  using Kind = Event::Kind;
  const auto refused = [&] {
    return fmt::format("{}; {}", say(rig, e.obstacle, e.cause), say_release(rig, e.obstacle));
  };
  switch (e.kind) {
    case Kind::state:
      return e.cause == Cause::none
                 ? fmt::format("{} is {}", zone_name(rig, e.zone), name_of(e.state))
                 : fmt::format("{} is {}: {}", zone_name(rig, e.zone), name_of(e.state), about(e.cause).sentence);
    case Kind::fault: {
      const bool beyond = e.cause == Cause::input_beyond && e.obstacle.input != no<InputId>;
      return fmt::format("fault in {}: {}{}", zone_name(rig, e.zone),
                         e.obstacle.input == no<InputId> ? about(e.cause).sentence : say(rig, e.obstacle),
                         beyond ? ": " + in_unit(rig, e.obstacle.input, static_cast<double>(e.number) / 1e9) : "");
    }
    case Kind::refused: {
      const bool gone = e.obstacle.what == Interlock::handset_gone || e.obstacle.what == Interlock::handset_silent;
      const std::string without = gone && e.state == State::stowed
                                      ? fmt::format(", or keep {} pressed for {:g} s to go on without it",
                                                    controls_for(rig, resets), to_seconds(Bind::long_reset))
                                      : std::string();
      if (e.obstacle.what == Interlock::not_neutral && e.number != 0)
        return fmt::format("{} was refused: {}", wanted(e.state), not_at_rest(rig, e));
      return fmt::format("{} was refused: {}{}", wanted(e.state), refused(), without);
    }
    case Kind::step:
      return fmt::format("step of {} by {}", rig.axes[index(e.axis)].name, say_amount(rig, e.axis, e.number));
    case Kind::step_refused:
      return fmt::format("step of {} by {} was refused: {}", rig.axes[index(e.axis)].name,
                         say_amount(rig, e.axis, e.number), refused());
    case Kind::wheel_refused:
      return fmt::format("{} count(s) of a handwheel for {} did nothing: {}", e.number, rig.axes[index(e.axis)].name,
                         refused());
    case Kind::reduced: return fmt::format("reduced speed is now {}", e.number != 0 ? "on" : "off");
    case Kind::homed:
      if (e.number == 0 && e.obstacle.input == no<InputId>)
        return fmt::format(
            "{} is not homed: where it is is not known, and its travel does not hold; it is only jogged and stepped, "
            "at {:g} % of its speed",
            rig.axes[index(e.axis)].name, unhomed_share * 100);
      return e.number != 0
                 ? fmt::format("{} is homed", rig.axes[index(e.axis)].name)
                 : fmt::format("{} is not homed ({} is not on): it is only jogged and stepped, at {:g} % of its speed",
                               rig.axes[index(e.axis)].name, rig.inputs[index(e.obstacle.input)].name,
                               unhomed_share * 100);
    case Kind::switch_refused:
      return fmt::format("turning {} was refused: {}", rig.switches[index(e.target)], refused());
    case Kind::override:
      return fmt::format("{} is {:g} %{}", number_name(rig, e.which), static_cast<double>(e.number) / 1000,
                         set_at(rig, e.which));
    case Kind::increment:
      return fmt::format("{} is {} for {}", number_name(rig, e.which), say_amount(rig, e.axis, e.number).substr(1),
                         rig.axes[index(e.axis)].name);
    case Kind::chosen: return fmt::format("the dial adjusts {} now", number_name(rig, e.which));
    case Kind::layer:
      return fmt::format("layer {} is now {}", rig.layers[index(e.layer)], e.number != 0 ? "on" : "off");
    case Kind::in_charge:
      return fmt::format("{} is in charge of {}", rig.handsets[index(e.obstacle.handset)], zone_name(rig, e.zone));
    case Kind::move_refused: {
      Obstacle by;
      by.slot = e.by;
      return fmt::format("{} did not move {}: {}", name_of(rig, by), rig.axes[index(e.axis)].name, refused());
    }
    case Kind::switched: {
      const char* why = e.cause != Cause::none               ? about(e.cause).sentence
                        : e.obstacle.what != Interlock::none ? about(e.obstacle.what).sentence
                                                             : "";
      return fmt::format("{} is now {}{}{}", rig.switches[index(e.target)], e.number != 0 ? "on" : "off",
                         *why == 0 ? "" : ": ", why);
    }
    case Kind::dropped:
      return fmt::format("{} of the steps and counts of {} dropped", say_amount(rig, e.axis, e.number),
                         rig.axes[index(e.axis)].name);
    case Kind::number_refused:
      return fmt::format("{} was not made faster: {}",
                         e.which == no<NumberId> ? std::string("reduced speed") : number_name(rig, e.which), refused());
    case Kind::steady:
      return fmt::format("nothing on {0} has changed for long: {1} stops in {2:g} s; move anything on {0}",
                         rig.handsets[index(e.obstacle.handset)], zone_name(rig, e.zone),
                         static_cast<double>(e.number) / 1e3);
    case Kind::unheard:
      return fmt::format("{} is not plugged in, and what it says is not taken",
                         rig.handsets[index(e.obstacle.handset)]);
    case Kind::action: return say_step(rig, e);
    case Kind::action_refused: return fmt::format("{} was refused: {}", rig.actions[index(e.action)].name, refused());
    case Kind::zero:
      return e.number == 0 ? fmt::format("the zero of {} is the machine's", rig.axes[index(e.axis)].name)
                           : fmt::format("the zero of {} is at {} of the machine's", rig.axes[index(e.axis)].name,
                                         say_amount(rig, e.axis, e.number));
    case Kind::zero_refused:
      return fmt::format("setting the zero of {} was refused: {}", rig.axes[index(e.axis)].name, refused());
    case Kind::gap: return fmt::format("{}: {} reading(s) lost", rig.handsets[index(e.obstacle.handset)], e.number);
  }
  return {};
}

std::string say(const Rig& rig, const AxisStatus& why) {
  if (why.blocked.what == Interlock::none) return {};
  std::string text = say(rig, why.blocked, why.cause);
  const std::string release = say_release(rig, why.blocked);
  return release.empty() ? text : text + "; " + release;
}

}  // namespace gyrax
