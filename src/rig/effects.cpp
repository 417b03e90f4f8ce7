// What a binding can ask for: each effect with its key, how it is read and how it is described, in one row.
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <tuple>

namespace gyrax {
namespace {

const std::vector<std::string> latches{"on", "off", "toggle", "momentary"};

SwitchTo switch_to(const std::string& word) {
  return word == "on" ? SwitchTo::on : word == "off" ? SwitchTo::off : word == "toggle" ? SwitchTo::toggle : SwitchTo::momentary;
}

/// "lamp on or off".
std::string latched(const std::string& what, SwitchTo to) {
  switch (to) {
    case SwitchTo::on: return what + " on";
    case SwitchTo::off: return what + " off";
    case SwitchTo::toggle: return what + " on or off";
    case SwitchTo::momentary: return what + " on while held";
  }
  return what;
}

std::string number(double value) { return fmt::format("{:g}", value); }

std::string plural(const char* noun, int count, const char* ending = "s") {
  return fmt::format("{:+d} {}{}", count, noun, std::abs(count) == 1 ? "" : ending);
}

}  // namespace

/// One effect: its key in the rig, what it is for the engine, how it is read, what `check` says of it.
struct RigBuilder::EffectRow {
  const char* key;
  Effect effect;
  void (RigBuilder::*read)(Table& entry, const EffectRow& row, Part part, BindingSetup& binding);
  std::string (*describe)(const Rig& rig, const BindingSetup& binding);
};

const std::vector<RigBuilder::EffectRow>& RigBuilder::effects() {
  using B = BindingSetup;
  static const auto axis = [](const Rig& rig, const B& b) -> const AxisInfo& { return rig.axes[index(b.coordinate)]; };
  static const std::vector<EffectRow> rows{
      {"jog", Effect::jog, &RigBuilder::read_jog,
       [](const Rig& rig, const B& b) {
         std::string text = "jogs " + axis(rig, b).name;
         if (std::abs(b.share) < 1) text += fmt::format(" at {} %", number(std::abs(b.share) * 100));
         if (b.share < 0) text += ", reversed";
         if (b.accel < 1) text += fmt::format(", {} % of its acceleration", number(b.accel * 100));
         for (const JogStage& stage : b.stages)
           text += stage.after == Span{} ? fmt::format(", {} %", number(stage.share * 100))
                                         : fmt::format(", {} % after {} s", number(stage.share * 100), number(to_seconds(stage.after)));
         return text;
       }},
      {"step", Effect::step, &RigBuilder::read_step,
       [](const Rig& rig, const B& b) { return fmt::format("steps {} by {}", axis(rig, b).name, plural("increment", b.count)); }},
      {"handwheel", Effect::handwheel, &RigBuilder::read_step,
       [](const Rig& rig, const B& b) {
         return fmt::format("moves {} by {} a count, {}", axis(rig, b).name, plural("increment", b.count),
                            b.max_owed > 0 ? fmt::format("never more than {} {} behind", number(from_nano(b.max_owed)), axis(rig, b).unit)
                                           : std::string("every count kept"));
       }},
      {"follow", Effect::follow, &RigBuilder::read_follow,
       [](const Rig& rig, const B& b) {
         const auto& [name, unit] = std::tie(axis(rig, b).name, axis(rig, b).unit);
         return fmt::format("takes {} from {} to {} {} with it, at {} {}/s until they meet", name, number(b.low), number(b.high), unit,
                            number(b.catch_up), unit);
       }},
      {"go", Effect::go, &RigBuilder::read_go,
       [](const Rig& rig, const B& b) {
         return fmt::format("takes {} to {} {} while held", axis(rig, b).name, number(from_nano(b.goal)), axis(rig, b).unit);
       }},
      {"pose", Effect::pose, &RigBuilder::read_pose,
       [](const Rig& rig, const B& b) {
         std::string places;
         for (const PosePlace& place : b.pose)
           places += fmt::format("{}{} to {:g} {}", places.empty() ? "" : " and ", rig.axes[index(place.coordinate)].name,
                                 from_nano(place.goal), rig.axes[index(place.coordinate)].unit);
         return fmt::format("takes {} on a straight line, while held", places);
       }},
      {"set", Effect::set, &RigBuilder::read_set,
       [](const Rig& rig, const B& b) { return latched("turns " + rig.switches[index(b.target)], b.to); }},
      {"override", Effect::override, &RigBuilder::read_notch,
       [](const Rig& rig, const B& b) {
         const std::string& name = rig.numbers[index(b.numbers.front())].name;
         return b.percent > 0 ? fmt::format("{} to {:g} %", name, b.percent)
                              : fmt::format("{} one notch {}", name, b.count > 0 ? "up" : "down");
       }},
      {"increment", Effect::increment, &RigBuilder::read_notch,
       [](const Rig& rig, const B& b) {
         const std::string& name = rig.numbers[index(b.numbers.front())].name;
         return b.goal > 0 ? fmt::format("{} to {:g}", name, from_nano(b.goal))
                           : fmt::format("{} one notch {}", name, b.count > 0 ? "up" : "down");
       }},
      {"adjust", Effect::adjust, &RigBuilder::read_adjust,
       [](const Rig& rig, const B& b) {
         const bool counts = rig.setup.controls[index(b.slot)].calibration.kind() == ControlKind::counts;
         return fmt::format("{} by {} for each {}",
                            b.numbers.empty() ? std::string("the chosen number") : rig.numbers[index(b.numbers.front())].name,
                            plural("notch", b.count, "es"), counts ? "count" : "press");
       }},
      {"choose", Effect::choose, &RigBuilder::read_choose,
       [](const Rig& rig, const B& b) {
         std::string text;
         for (const NumberId one : b.numbers) text += (text.empty() ? "chooses " : ", then ") + rig.numbers[index(one)].name;
         return text;
       }},
      {"layer", Effect::layer, &RigBuilder::read_layer_effect,
       [](const Rig& rig, const B& b) { return latched("turns layer " + rig.layers[index(b.to_layer)], b.to); }},
      {"reduced", Effect::reduced, &RigBuilder::read_reduced,
       [](const Rig&, const B& b) {
         return b.to == SwitchTo::momentary ? std::string("reduced speed while held") : latched("turns reduced speed", b.to);
       }},
      {"ready", Effect::ready, &RigBuilder::read_permit, [](const Rig&, const B&) { return std::string("makes ready"); }},
      {"stow", Effect::stow, &RigBuilder::read_permit, [](const Rig&, const B&) { return std::string("stows"); }},
      {"enable", Effect::enable, &RigBuilder::read_permit, [](const Rig&, const B&) { return std::string("enables while held"); }},
      {"stop", Effect::stop, &RigBuilder::read_permit, [](const Rig&, const B&) { return std::string("stops"); }},
      {"reset", Effect::reset, &RigBuilder::read_permit, [](const Rig&, const B&) { return std::string("resets"); }},
  };
  return rows;
}

bool RigBuilder::is_effect(const std::string& key) {
  return std::any_of(effects().begin(), effects().end(), [&](const EffectRow& row) { return key == row.key; });
}

namespace {

/// What an older form said beside an effect, and how it is said now.
void refuse_old_keys(Table& entry) {
  constexpr std::pair<const char*, const char*> keys[] = {{"reversed", "a '-' before the name turns it round, as \"-x\""},
                                                          {"with", "keys together are one name, as \"face.south + face.east\""},
                                                          {"gesture", "a gesture stands behind the control, as \"face.south\".hold"},
                                                          {"zone", "a zone is what the word is for, as { stop = \"left\" }"},
                                                          {"permit", "the word itself, as \"stop\" or { stop = \"left\" }"}};
  for (const auto& [key, now] : keys) {
    if (!entry.has(key)) continue;
    entry.problem(Code::unknown_key, key, "no such key any more", now);
    entry.is_text(key);
  }
}

}  // namespace

/// The one effect of an entry; what stands beside it is its own. False: there is none, or more than one.
bool RigBuilder::read_effect(Table& entry, Part part, BindingSetup& binding) {
  refuse_old_keys(entry);
  std::vector<std::string> known, given;
  for (const EffectRow& row : effects()) {
    known.emplace_back(row.key);
    if (entry.has(row.key)) given.emplace_back(row.key);
  }
  if (given.size() != 1) {
    for (const std::string& key : known) entry.is_text(key.c_str());
    if (given.empty()) entry.refuse_the_rest();
    entry.problem(Code::one_effect, "", given.empty() ? "it asks for nothing" : fmt::format("it asks for {} things", given.size()),
                  given.empty() ? "one of " + listed(known) : "one; two at once are a list: [{ … }, { … }]");
    return false;
  }
  for (const EffectRow& row : effects()) {
    if (given.front() != row.key) continue;
    binding.effect = row.effect;
    (this->*row.read)(entry, row, part, binding);
  }
  return true;
}

/// A bare word: what the permit takes, of all zones.
bool RigBuilder::read_word(Line& line, BindingSetup& binding) {
  std::vector<std::string> words;
  for (const EffectRow& row : effects()) {
    if (!permits(row.effect)) continue;
    words.emplace_back(row.key);
    if (line.word != row.key) continue;
    binding.effect = row.effect;
    return true;
  }
  const std::string more = is_effect(line.word) ? fmt::format("; this one is {{ {} = … }}", line.word) : "";
  line.table.problem(Code::bad_choice, line.key.c_str(), fmt::format("'{}' alone means nothing", line.word),
                     fmt::format("one of {}, or a table{}", listed(words), more), nearest(line.word, words));
  return false;
}

/// The object's name; `-x` turns it round. For a pair, its own of the two objects.
std::optional<std::string> RigBuilder::object_of(Table& entry, const char* key, Part& part) {
  std::optional<std::string> name;
  if (part.object) {
    const auto names = entry.is_text(key) ? std::vector<std::string>{} : entry.texts(key);
    if (names.size() != 2) {
      entry.problem(Code::wrong_control, key, "the control is a pair", fmt::format("two names, as {} = [\"x\", \"y\"]", key));
      return std::nullopt;
    }
    name = names[*part.object];
  } else if (entry.is_table(key)) {
    entry.is_text(key);
    entry.problem(Code::wrong_type, key, "a table stands where a name does",
                  fmt::format("{{ {} = \"x\", … }}: everything else stands beside it", key));
  } else if (entry.is_list(key)) {
    entry.is_text(key);
    entry.problem(Code::wrong_control, key, "one control moves one thing", "one name; or bind a pair, as \"stick.left\"");
  } else {
    name = entry.text(key);
  }
  if (name && name->starts_with('-')) {
    part.sign = -part.sign;
    name->erase(0, 1);
  }
  return name;
}

/// The axis that an effect moves; false where there is none.
bool RigBuilder::read_axis_of(Table& entry, const EffectRow& row, Part& part, BindingSetup& binding) {
  binding.coordinate = no<CoordinateId>;
  const auto name = object_of(entry, row.key, part);
  if (!name) return false;
  const AxisId axis = named<AxisId>(entry, row.key, axis_names_, *name, "axis");
  if (axis == no<AxisId>) return false;
  binding.coordinate = id_at<CoordinateId>(index(axis));
  return true;
}

/// Whether it is for each of two opposite keys what it is for one.
void RigBuilder::refuse_pair(Table& entry, const EffectRow& row, const Part& part) {
  if (part.object || part.sign < 0)
    entry.problem(Code::wrong_control, row.key, "it has no opposite, and is for one control", "a key by itself");
}

bool RigBuilder::is_kind(const BindingSetup& binding, ControlKind kind) const {
  return binding.slot == no<SlotId> || rig_.setup.controls[index(binding.slot)].calibration.kind() == kind;
}

void RigBuilder::read_jog(Table& entry, const EffectRow& row, Part part, BindingSetup& binding) {
  read_axis_of(entry, row, part, binding);
  binding.share = part.sign * entry.number("share", {0, 100, true, "%"}, 100) / 100;
  binding.accel = entry.number("accel_percent", {0, 100, true, "%"}, 100) / 100;
  if (entry.has("stages")) read_stages(entry, binding);
}

/// [[0, 10], [0.5, 40], [1.5, 100]]: after so many seconds at so many percent.
void RigBuilder::read_stages(Table& entry, BindingSetup& binding) {
  constexpr std::size_t max_stages = 8;
  constexpr double max_s = 60;
  if (!is_kind(binding, ControlKind::key)) entry.problem(Code::wrong_control, "stages", "only a key's jog grows", "leave 'stages' out");
  const auto pairs = entry.pairs("stages");
  bool good = pairs && !pairs->empty() && pairs->size() <= max_stages && pairs->front().first == 0;
  double last = -1;
  for (const auto& [after_s, percent] : pairs.value_or(std::vector<std::pair<double, double>>{})) {
    good = good && after_s > last && after_s <= max_s && percent > 0 && percent <= 100;
    last = after_s;
    if (good) binding.stages.push_back({from_seconds(after_s), percent / 100});
  }
  if (!good)
    entry.problem(Code::out_of_range, "stages", "these are no stages",
                  "at most 8 pairs [seconds held, percent], the first at 0 s, each later than the one before, as [[0, 10], [0.5, 100]]");
}

/// Whole increments for each press or count.
void RigBuilder::read_step(Table& entry, const EffectRow& row, Part part, BindingSetup& binding) {
  const bool known = read_axis_of(entry, row, part, binding), wheel = row.effect == Effect::handwheel;
  const auto by = entry.whole("by", {-1000, 1000, false, "increments"}).value_or(1);
  if (by <= 0)
    entry.problem(Code::out_of_range, "by", fmt::format("{} is no number of increments", by), "1 to 1000; \"-x\" goes the other way");
  binding.count = part.sign * static_cast<int>(by);
  if (wheel) binding.max_owed = to_nano(entry.number("max_owed", {0, max_position, true, "unit"}, 0));
  if (known && rig_.setup.notches.increments[index(binding.coordinate)].values.empty())
    entry.problem(Code::missing_key, row.key, fmt::format("axis '{}' has no increments", rig_.axes[index(binding.coordinate)].name),
                  "give it 'increments = [0.1, 1]'");
}

Nano RigBuilder::goal_inside(const AxisLimits& limits, double position) {
  return std::clamp(to_nano(position), limits.low_nano(), limits.high_nano());
}

/// A motor runs at a share of its power, and nothing takes it to a place.
void RigBuilder::refuse_motor(Table& entry, const char* effect, const BindingSetup& binding) {
  if (rig_.axes[index(binding.coordinate)].motor)
    entry.problem(Code::wrong_control, effect, fmt::format("'{}' is a motor and has no place", rig_.axes[index(binding.coordinate)].name),
                  "{ jog = … }");
}

void RigBuilder::read_follow(Table& entry, const EffectRow& row, Part part, BindingSetup& binding) {
  if (is_kind(binding, ControlKind::key) && binding.slot != no<SlotId>)
    entry.problem(Code::wrong_control, row.key, "a key has no place to follow", "a stick, a trigger, a throttle");
  const bool known = read_axis_of(entry, row, part, binding);
  if (known) refuse_motor(entry, row.key, binding);
  const AxisLimits limits =
      known ? rig_.setup.axes[index(binding.coordinate)].limits : *AxisLimits::make(-max_position, max_position, {1, 1, 1, 1, 1});
  const auto range = entry.range("range", {limits.low(), limits.high(), false, "(the axis's travel)"});
  std::tie(binding.low, binding.high) = range.value_or(std::pair(limits.low(), limits.high()));
  if (part.sign < 0) std::swap(binding.low, binding.high);
  binding.catch_up = entry.number("catch_up", {0, limits.speed(), true, "unit/s"}, limits.speed() / 10);
}

void RigBuilder::read_go(Table& entry, const EffectRow& row, Part part, BindingSetup& binding) {
  refuse_pair(entry, row, part);
  const bool known = read_axis_of(entry, row, part, binding);
  if (known && part.sign < 0) entry.problem(Code::wrong_control, row.key, "a place has no opposite", "the axis without '-'");
  Allowed inside{-max_position, max_position, false, "unit"};
  if (known) {
    refuse_motor(entry, row.key, binding);
    const AxisLimits& limits = rig_.setup.axes[index(binding.coordinate)].limits;
    inside = {limits.low(), limits.high(), false, "(the axis's travel)"};
  }
  const double to = entry.required_number("to", inside).value_or(0);
  if (known) binding.goal = goal_inside(rig_.setup.axes[index(binding.coordinate)].limits, to);
}

void RigBuilder::read_pose(Table& entry, const EffectRow& row, Part part, BindingSetup& binding) {
  refuse_pair(entry, row, part);
  const auto word = object_of(entry, row.key, part);
  if (!word) return;
  const auto at = pose_names_.find(*word);
  if (at == pose_names_.end()) {
    named<AxisId>(entry, row.key, pose_names_, *word, "pose");
    return;
  }
  binding.pose = poses_[at->second];
  if (!binding.pose.empty()) binding.coordinate = binding.pose.front().coordinate;
}

void RigBuilder::read_reduced(Table& entry, const EffectRow& row, Part part, BindingSetup& binding) {
  refuse_pair(entry, row, part);
  binding.to = switch_to(entry.choice(row.key, latches).value_or("toggle"));
  if (!can_be_reduced_)
    entry.problem(Code::missing_key, row.key, "the rig does not say what reduced speed is",
                  "[reduced] with 'percent', or a group's 'reduced_speed'");
}

void RigBuilder::read_set(Table& entry, const EffectRow& row, Part part, BindingSetup& binding) {
  refuse_pair(entry, row, part);
  if (const auto word = object_of(entry, row.key, part)) binding.target = named<SwitchId>(entry, row.key, switch_names_, *word, "switch");
  binding.to = switch_to(entry.choice("to", latches).value_or("toggle"));
}

/// `{ override = "up" }`, `{ override = 25 }`, `{ override = "carriage", to = 25 }`; increments in the same way. The opposite of up is
/// down.
void RigBuilder::read_notch(Table& entry, const EffectRow& row, Part part, BindingSetup& binding) {
  std::string name = row.key;
  const char* to = row.key;
  if (entry.has("to")) {
    to = "to";
    if (const auto of = entry.text(row.key)) name += "." + *of;
  }
  binding.numbers = {named<NumberId>(entry, row.key, number_names_, name, "number")};
  if (entry.is_text(to)) {
    binding.count = part.sign * (entry.choice(to, {"up", "down"}).value_or("up") == "up" ? 1 : -1);
    return;
  }
  refuse_pair(entry, row, part);
  const bool percent = row.effect == Effect::override;
  const auto value = percent ? entry.number(to, {0, 100, true, "%"}) : entry.number(to, {0, max_position, true, "unit"});
  if (!value) return;
  if (percent) binding.percent = *value;
  if (!percent) binding.goal = to_nano(*value);
  if (binding.numbers.front() == no<NumberId>) return;
  const NotchSetup::Number& which = rig_.setup.notches.numbers[index(binding.numbers.front())];
  const auto& overrides = rig_.setup.notches.overrides;
  const auto among = [](const auto& values, auto one) { return std::find(values.begin(), values.end(), one) != values.end(); };
  bool found = which.override != no<OverrideId> && among(overrides[index(which.override)].values, binding.percent);
  for (const CoordinateId c : which.coordinates) found = found || among(rig_.setup.notches.increments[index(c)].values, binding.goal);
  if (!found) entry.problem(Code::not_a_notch, to, "that is not one of its notches", "one of them, \"up\" or \"down\"");
}

/// `{ adjust = "chosen" }`, `{ adjust = "override.carriage", by = 2 }`; by a dial's counts or a key's presses.
void RigBuilder::read_adjust(Table& entry, const EffectRow& row, Part part, BindingSetup& binding) {
  const auto name = object_of(entry, row.key, part);
  binding.count = part.sign * static_cast<int>(entry.whole("by", {1, 100, false, "notches"}).value_or(1));
  if (!name || *name == "chosen") {
    adjusts_chosen_ = true;
  } else {
    binding.numbers = {named<NumberId>(entry, row.key, number_names_, *name, "number")};
  }
}

/// `{ choose = ["override", "increment.x"] }`: which number a dial adjusts; each press goes on to the next.
void RigBuilder::read_choose(Table& entry, const EffectRow& row, Part part, BindingSetup& binding) {
  refuse_pair(entry, row, part);
  chooses_ = true;
  std::vector<std::string> names;
  if (entry.is_text(row.key))
    names = {*entry.text(row.key)};
  else
    names = entry.texts(row.key);
  for (const std::string& name : names) binding.numbers.push_back(named<NumberId>(entry, row.key, number_names_, name, "number"));
  if (names.empty()) entry.problem(Code::missing_key, row.key, "it chooses between nothing", "as [\"override\", \"increment.x\"]");
}

/// `{ layer = "rotary" }`: switches a latched layer.
void RigBuilder::read_layer_effect(Table& entry, const EffectRow& row, Part part, BindingSetup& binding) {
  refuse_pair(entry, row, part);
  if (const auto name = object_of(entry, row.key, part)) binding.to_layer = named<LayerId>(entry, row.key, layer_names_, *name, "layer");
  binding.to = switch_to(entry.choice("to", latches).value_or("toggle"));
}

/// `{ enable = "all", squeeze = 80 }`: of one zone, or of all.
void RigBuilder::read_permit(Table& entry, const EffectRow& row, Part part, BindingSetup& binding) {
  refuse_pair(entry, row, part);
  const auto zone = object_of(entry, row.key, part);
  if (zone && *zone != "all") {
    const ZoneId id = named<ZoneId>(entry, row.key, zone_names_, *zone, "zone");
    if (id != no<ZoneId>) binding.zones = 1u << index(id);
  }
  if (row.effect != Effect::enable) return;
  const auto squeeze = entry.number("squeeze", {50, 99, true, "%"});
  if (!squeeze) return;
  if (!is_kind(binding, ControlKind::one_sided))
    entry.problem(Code::wrong_control, "squeeze", "only an enable on a trigger can be squeezed", "leave 'squeeze' out");
  binding.squeeze = *squeeze / 100;
  if (binding.slot != no<SlotId> && rig_.setup.controls[index(binding.slot)].press_at >= binding.squeeze)
    entry.problem(Code::out_of_range, "squeeze", "it is squeezed before it is pressed", "more than the control's 'press'");
}

/// The whole sentence: the control, its gesture and layer, what it asks for, how often.
std::string RigBuilder::describe(const BindingSetup& b) const {
  std::string out = rig_.slots[index(b.slot)].name;
  if (rig_.handsets.size() > 1) out = rig_.handsets[index(rig_.setup.controls[index(b.slot)].handset)] + " " + out;
  for (const SlotId other : b.with) out += " and " + rig_.slots[index(other)].name;
  if (b.gesture == Gesture::hold) out += fmt::format(" held for {} s", number(to_seconds(b.hold)));
  if (b.gesture == Gesture::tap || b.gesture == Gesture::double_tap) out += b.gesture == Gesture::tap ? " tapped" : " tapped twice";
  if (b.gesture == Gesture::release) out += " released";
  if (b.gesture == Gesture::chord) out += " together";
  if (b.layer != no<LayerId>) {
    const SlotId held = rig_.setup.layers[index(b.layer)].held;
    out += held != no<SlotId> ? fmt::format(" with {} held", rig_.slots[index(held)].name)
                              : fmt::format(" in layer {}", rig_.layers[index(b.layer)]);
  }
  for (const EffectRow& row : effects())
    if (row.effect == b.effect) out += ": " + row.describe(rig_, b);
  for (const RepeatStage& stage : b.repeat)
    out += fmt::format(", {} {:g} a second after {:g} s", &stage == &b.repeat.front() ? "again" : "then", 1 / to_seconds(stage.every),
                       to_seconds(stage.after));
  return out;
}

}  // namespace gyrax
