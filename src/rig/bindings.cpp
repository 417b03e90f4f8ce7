// Bindings: this control, in this layer, asks for this effect.
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <tuple>

namespace gyrax {
namespace {

const std::vector<std::string> effects{"jog",      "step",      "handwheel", "follow", "go",    "pose",    "set",
                                       "override", "increment", "adjust",    "choose", "layer", "reduced", "permit"};
const std::vector<std::string> permit_words{"ready", "stow", "enable", "stop", "reset"};
const std::vector<std::string> latches{"on", "off", "toggle", "momentary"};

SwitchTo switch_to(const std::string& word) {
  return word == "on" ? SwitchTo::on : word == "off" ? SwitchTo::off : word == "toggle" ? SwitchTo::toggle : SwitchTo::momentary;
}

/// What a press means nothing to: it needs a deflection or counts.
bool needs_no_press(Effect effect) { return effect == Effect::handwheel || effect == Effect::follow; }

}  // namespace

/// Layers that are latched, by name. Those that a held control switches on come as bindings name them.
void RigBuilder::read_layers(Table& root) {
  for (auto& [name, table] : root.tables("layer")) {
    if (!add_name(table, layer_names_, name, "layer")) continue;
    rig_.setup.layers.push_back({no<SlotId>, table.choice("start", {"off", "on"}).value_or("off") == "on"});
    rig_.layers.push_back(name);
    table.refuse_the_rest();
  }
}

LayerId RigBuilder::held_layer(SlotId held) {
  if (held == no<SlotId>) return no<LayerId>;
  for (std::size_t l = 0; l < rig_.setup.layers.size(); ++l)
    if (rig_.setup.layers[l].held == held) return LayerId{static_cast<std::uint16_t>(l)};
  rig_.setup.layers.push_back({held, false});
  rig_.layers.push_back(rig_.slots[index(held)].name + " held");
  return LayerId{static_cast<std::uint16_t>(rig_.setup.layers.size() - 1)};
}

void RigBuilder::read_bindings(Table& root) {
  resolve_needs();
  add_numbers();
  for (Table& row : root.rows("bind")) {
    read_binding(row);
    row.refuse_the_rest();
  }
}

HandsetId RigBuilder::handset_of(Table& row) {
  return handset_names_.empty() ? no<HandsetId> : pick<HandsetId>(row, "handset", handset_names_, "handset");
}

SlotId RigBuilder::control_of(Table& row, const char* key, HandsetId handset) {
  const auto name = row.text(key);
  if (!name || handset == no<HandsetId>) return no<SlotId>;
  return control_named(row, key, handset, *name);
}

SlotId RigBuilder::control_named(Table& row, const char* key, HandsetId handset, const std::string& name) {
  if (const auto made = virtuals_.find({index(handset), name}); made != virtuals_.end()) return virtual_slot(handset, name, made->second);
  const ControlName* control = find_control(name);
  if (control == nullptr) {
    std::vector<std::string> known;
    for (const auto& [at, wish] : virtuals_)
      if (at.first == index(handset)) known.push_back(at.second);
    const std::string guess = nearest(name, known);
    row.problem(Code::unknown_control, key, fmt::format("there is no control '{}'", name),
                "controls are named by where they sit, such as stick.left.x", guess.empty() ? nearest_control(name) : guess);
    return no<SlotId>;
  }
  const bool counts = control->shape == ControlShape::counts, bound = std::string_view(key) == "control";
  const bool wheel = bound && row.has("handwheel"), turned = wheel || (bound && row.has("adjust"));
  if (counts ? !turned : wheel) {
    row.problem(Code::wrong_control, key,
                counts ? fmt::format("'{}' counts, and only a handwheel or adjust takes counts", name)
                       : fmt::format("a handwheel is turned, and '{}' is not", name),
                counts ? "handwheel = … or adjust = …; or a stick, a trigger or a key" : "dial.1 and the like");
    return no<SlotId>;
  }
  return slot(handset, *control);
}

void RigBuilder::read_binding(Table& row) {
  BindingSetup binding;
  const HandsetId handset = handset_of(row);
  if (!row.has("control")) row.missing("control", "the control that this binding is for");
  binding.slot = control_of(row, "control", handset);
  const SlotId held = control_of(row, "while", handset);
  if (held != no<SlotId> && held == binding.slot)
    row.problem(Code::layer_not_allowed, "while", "a control cannot be its own layer", "another control");
  binding.layer = held_layer(held);
  if (const auto name = row.text("in")) {
    const LayerId layer = named<LayerId>(row, "in", layer_names_, *name, "layer");
    if (binding.layer != no<LayerId>) row.problem(Code::layer_not_allowed, "in", "a binding is in one layer", "'while' or 'in', not both");
    binding.layer = layer;
  }
  const bool whole = read_effect(row, binding);
  read_gesture(row, handset, binding);
  if (!whole || binding.slot == no<SlotId>) return;
  rig_.setup.bindings.push_back(binding);
  rig_.bindings.push_back({{row.file(), row.line()}, ""});
}

/// How the control is to be used: pressed, tapped, held, together with others, again and again.
void RigBuilder::read_gesture(Table& row, HandsetId handset, BindingSetup& binding) {
  const bool by_key = binding.slot != no<SlotId> && is_kind(binding, ControlKind::key);
  const auto word = row.choice("gesture", {"press", "release", "tap", "double tap", "hold"});
  if (word) {
    binding.gesture = *word == "release"      ? Gesture::release
                      : *word == "tap"        ? Gesture::tap
                      : *word == "double tap" ? Gesture::double_tap
                      : *word == "hold"       ? Gesture::hold
                                              : Gesture::press;
  }
  const auto hold = row.number("hold_s", {0.05, 30, false, "s"});
  if (binding.gesture == Gesture::hold) {
    binding.hold = from_seconds(hold.value_or(0.6));
  } else if (hold) {
    row.problem(Code::bad_choice, "hold_s", "it is of the gesture 'hold' alone", "gesture = \"hold\", or leave it out");
  }
  if (row.has("with")) {
    for (const std::string& name : row.texts("with")) {
      const SlotId other = handset == no<HandsetId> ? no<SlotId> : control_named(row, "with", handset, name);
      if (other == no<SlotId>) continue;
      if (other == binding.slot || rig_.setup.controls[index(other)].calibration.kind() != ControlKind::key)
        row.problem(Code::wrong_control, "with", fmt::format("'{}' is no other key", name), "keys of the same handset");
      binding.with.push_back(other);
    }
    if (word || binding.with.size() > 3)
      row.problem(Code::bad_choice, "with", "keys together are a gesture of their own", "at most three others, and no 'gesture'");
    binding.gesture = Gesture::chord;
  }
  const bool plain = binding.gesture == Gesture::press;
  if (binding.effect == Effect::enable && (binding.gesture == Gesture::release || binding.gesture == Gesture::tap))
    row.problem(Code::bad_choice, "gesture", "enable allows motion while it is held, and this is over as it begins",
                "press, hold, double tap, or keys together");
  if (!plain && binding.effect == Effect::stop) row.problem(Code::bad_choice, "", "a stop waits for no gesture", "a plain press");
  if (!plain && needs_no_press(binding.effect))
    row.problem(Code::bad_choice, "", "what a control's place or counts move takes no gesture", "leave it out");
  if (!plain && binding.effect == Effect::jog && !by_key && binding.slot != no<SlotId>)
    row.problem(Code::bad_choice, "", "a deflection takes no gesture", "leave it out");
  if (row.has("repeat")) read_repeat(row, binding);
}

/// [[0.5, 4], [2, 12]]: after so many seconds so many a second.
void RigBuilder::read_repeat(Table& row, BindingSetup& binding) {
  constexpr std::size_t max_stages = 8;
  const bool can = binding.effect == Effect::step || binding.effect == Effect::override || binding.effect == Effect::increment ||
                   binding.effect == Effect::adjust;
  if (!can || binding.gesture == Gesture::tap || binding.gesture == Gesture::release)
    row.problem(Code::bad_choice, "repeat", "there is nothing here to repeat",
                "on a step, override, increment or adjust of a key that is held");
  const auto pairs = row.pairs("repeat");
  bool good = pairs && !pairs->empty() && pairs->size() <= max_stages;
  double last = 0;
  for (const auto& [after_s, per_s] : pairs.value_or(std::vector<std::pair<double, double>>{})) {
    good = good && after_s > last && after_s <= 60 && per_s > 0 && per_s <= 50;
    last = after_s;
    if (good) binding.repeat.push_back({from_seconds(after_s), from_seconds(1 / per_s)});
  }
  if (!good)
    row.problem(Code::out_of_range, "repeat", "these are no stages of repeating",
                "at most 8 pairs [seconds held, times a second (at most 50)], each later than the one before, as [[0.5, 4], [2, 12]]");
}

bool RigBuilder::read_effect(Table& row, BindingSetup& binding) {
  std::vector<std::string> given;
  for (const std::string& effect : effects)
    if (row.has(effect.c_str())) given.push_back(effect);
  if (given.size() != 1) {
    for (const std::string& effect : effects) row.is_text(effect.c_str());
    row.problem(Code::one_effect, "", given.empty() ? "the binding asks for nothing" : "the binding asks for more than one thing",
                "exactly one of " + listed(effects));
    return false;
  }
  const std::string& effect = given.front();
  if (effect == "jog") read_jog(row, binding);
  if (effect == "step") read_step(row, binding);
  if (effect == "handwheel") read_handwheel(row, binding);
  if (effect == "follow") read_follow(row, binding);
  if (effect == "go") read_go(row, binding);
  if (effect == "pose") read_pose(row, binding);
  if (effect == "reduced") read_reduced(row, binding);
  if (effect == "set") read_set(row, binding);
  if (effect == "override") read_notch(row, "override", Effect::override, binding);
  if (effect == "increment") read_notch(row, "increment", Effect::increment, binding);
  if (effect == "adjust") read_adjust(row, binding);
  if (effect == "choose") read_choose(row, binding);
  if (effect == "layer") read_layer_effect(row, binding);
  if (effect == "permit") read_permit(row, binding);
  return true;
}

/// An effect's target: a name, or a table with the name under `noun` and more keys beside it.
std::optional<Table> RigBuilder::target(Table& row, const char* effect, const char* noun, BindingSetup& binding) {
  const bool is_axis = std::string(noun) == "axis";
  const auto take = [&](Table& table, const char* key, const std::string& word) {
    if (is_axis) {
      binding.coordinate = CoordinateId{static_cast<std::uint16_t>(index(named<AxisId>(table, key, axis_names_, word, "axis")))};
    } else {
      binding.target = named<SwitchId>(table, key, switch_names_, word, "switch");
    }
  };
  if (row.is_text(effect)) {
    take(row, effect, *row.text(effect));
    return std::nullopt;
  }
  auto table = row.table(effect);
  if (!table) return std::nullopt;
  if (const auto word = table->text(noun)) take(*table, noun, *word);
  if (!table->has(noun)) table->missing(noun, fmt::format("the name of the {}", noun));
  return table;
}

void RigBuilder::read_jog(Table& row, BindingSetup& binding) {
  binding.effect = Effect::jog;
  auto table = target(row, "jog", "axis", binding);
  if (!table) return;
  binding.share = table->number("share", {0, 100, true, "%"}, 100) / 100;
  if (table->flag("reversed").value_or(false)) binding.share = -binding.share;
  binding.accel = table->number("accel_percent", {0, 100, true, "%"}, 100) / 100;
  if (table->has("stages")) read_stages(*table, binding);
  table->refuse_the_rest();
}

bool RigBuilder::is_kind(const BindingSetup& binding, ControlKind kind) const {
  return binding.slot == no<SlotId> || rig_.setup.controls[index(binding.slot)].calibration.kind() == kind;
}

/// [[0, 10], [0.5, 40], [1.5, 100]]: after so many seconds at so many percent.
void RigBuilder::read_stages(Table& table, BindingSetup& binding) {
  constexpr std::size_t max_stages = 8;
  constexpr double max_s = 60;
  if (!is_kind(binding, ControlKind::key)) table.problem(Code::wrong_control, "stages", "only a key's jog grows", "leave 'stages' out");
  const auto pairs = table.pairs("stages");
  bool good = pairs && !pairs->empty() && pairs->size() <= max_stages && pairs->front().first == 0;
  double last = -1;
  for (const auto& [after_s, percent] : pairs.value_or(std::vector<std::pair<double, double>>{})) {
    good = good && after_s > last && after_s <= max_s && percent > 0 && percent <= 100;
    last = after_s;
    if (good) binding.stages.push_back({from_seconds(after_s), percent / 100});
  }
  if (!good)
    table.problem(Code::out_of_range, "stages", "these are no stages",
                  "at most 8 pairs [seconds held, percent], the first at 0 s, each later than the one before, as [[0, 10], [0.5, 100]]");
}

void RigBuilder::require_increments(Table& row, const char* effect, const BindingSetup& binding) {
  const std::size_t axis = index(binding.coordinate);
  if (axis < rig_.axes.size() && rig_.setup.notches.increments[axis].values.empty())
    row.problem(Code::missing_key, effect, fmt::format("axis '{}' has no increments", rig_.axes[axis].name),
                "give it 'increments = [0.1, 1]'");
}

void RigBuilder::read_handwheel(Table& row, BindingSetup& binding) {
  binding.effect = Effect::handwheel;
  if (auto table = target(row, "handwheel", "axis", binding)) {
    binding.count = static_cast<int>(table->whole("by", {-1000, 1000, false, "increments a count"}).value_or(1));
    if (binding.count == 0) table->problem(Code::out_of_range, "by", "counts of 0 go nowhere", "-1, 1 or another whole number");
    binding.max_owed = to_nano(table->number("max_owed", {0, max_position, true, "unit"}, 0));
    table->refuse_the_rest();
  }
  require_increments(row, "handwheel", binding);
}

Nano RigBuilder::goal_inside(const AxisLimits& limits, double position) {
  return std::clamp(to_nano(position), limits.low_nano(), limits.high_nano());
}

/// A motor runs at a share of its power, and nothing takes it to a place.
void RigBuilder::refuse_motor(Table& row, const char* effect, const BindingSetup& binding) {
  const std::size_t axis = index(binding.coordinate);
  if (axis < rig_.axes.size() && rig_.axes[axis].motor)
    row.problem(Code::wrong_control, effect, fmt::format("'{}' is a motor and has no place", rig_.axes[axis].name), "jog = …");
}

void RigBuilder::read_follow(Table& row, BindingSetup& binding) {
  binding.effect = Effect::follow;
  if (is_kind(binding, ControlKind::key) && binding.slot != no<SlotId>)
    row.problem(Code::wrong_control, "follow", "a key has no place to follow", "a stick, a trigger, a throttle");
  auto table = target(row, "follow", "axis", binding);
  refuse_motor(row, "follow", binding);
  const std::size_t axis = index(binding.coordinate);
  if (axis >= rig_.axes.size()) return;
  const AxisLimits& limits = rig_.setup.axes[axis].limits;
  binding.low = limits.low();
  binding.high = limits.high();
  binding.catch_up = limits.speed() / 10;
  if (!table) return;
  if (const auto range = table->range("range", {limits.low(), limits.high(), false, "(the axis's travel)"}))
    std::tie(binding.low, binding.high) = *range;
  if (table->flag("reversed").value_or(false)) std::swap(binding.low, binding.high);
  binding.catch_up = table->number("catch_up", {0, limits.speed(), true, "unit/s"}, binding.catch_up);
  table->refuse_the_rest();
}

void RigBuilder::read_pose(Table& row, BindingSetup& binding) {
  binding.effect = Effect::pose;
  const auto word = row.text("pose");
  if (!word) return;
  const auto at = pose_names_.find(*word);
  if (at == pose_names_.end()) {
    named<AxisId>(row, "pose", pose_names_, *word, "pose");
    return;
  }
  binding.pose = poses_[at->second];
  if (!binding.pose.empty()) binding.coordinate = binding.pose.front().coordinate;
}

void RigBuilder::read_reduced(Table& row, BindingSetup& binding) {
  binding.effect = Effect::reduced;
  binding.to = switch_to(row.choice("reduced", latches).value_or("toggle"));
  if (!can_be_reduced_)
    row.problem(Code::missing_key, "reduced", "the rig does not say what reduced speed is",
                "[reduced] with 'percent', or a group's 'reduced_speed'");
}

void RigBuilder::read_step(Table& row, BindingSetup& binding) {
  binding.effect = Effect::step;
  auto table = target(row, "step", "axis", binding);
  if (table) {
    binding.count = static_cast<int>(table->whole("by", {-1000, 1000, false, "increments"}).value_or(1));
    if (binding.count == 0) table->problem(Code::out_of_range, "by", "a step by 0 goes nowhere", "-1, 1 or another whole number");
    table->refuse_the_rest();
  }
  require_increments(row, "step", binding);
}

void RigBuilder::read_go(Table& row, BindingSetup& binding) {
  binding.effect = Effect::go;
  auto table = target(row, "go", "axis", binding);
  refuse_motor(row, "go", binding);
  const std::size_t axis = index(binding.coordinate);
  if (!table) {
    if (row.is_text("go")) row.missing("to", "go = { axis = …, to = … }");
    return;
  }
  Allowed inside{-max_position, max_position, false, "unit"};
  if (axis < rig_.axes.size()) {
    const AxisLimits& limits = rig_.setup.axes[axis].limits;
    inside = {limits.low(), limits.high(), false, "(the axis's travel)"};
  }
  const double to = table->required_number("to", inside).value_or(0);
  binding.goal = axis < rig_.axes.size() ? goal_inside(rig_.setup.axes[axis].limits, to) : 0;
  table->refuse_the_rest();
}

void RigBuilder::read_set(Table& row, BindingSetup& binding) {
  binding.effect = Effect::set;
  auto table = target(row, "set", "switch", binding);
  if (!table) return;
  binding.to = switch_to(table->choice("to", latches).value_or("toggle"));
  table->refuse_the_rest();
}

/// What bindings can move: the shared override, those of groups and axes, and the increments of all, of a group, of an axis.
void RigBuilder::add_numbers() {
  if (!rig_.numbers.empty()) return;
  NotchSetup& notches = rig_.setup.notches;
  const auto add = [&](const std::string& name, const Origin& origin, NotchSetup::Number number) {
    number_names_[name] = notches.numbers.size();
    notches.numbers.push_back(std::move(number));
    rig_.numbers.push_back({name, origin});
  };
  const auto own_override = [&](AxisId axis) {
    return index(axis) < notches.override_of.size() ? notches.override_of[index(axis)] : OverrideId{0};
  };
  const auto stepping = [&](const std::vector<AxisId>& axes) {
    NotchSetup::Number number;
    for (const AxisId axis : axes)
      if (!notches.increments[index(axis)].values.empty())
        number.coordinates.push_back(CoordinateId{static_cast<std::uint16_t>(index(axis))});
    return number;
  };
  const auto origin_of = [&](const std::string& key, const Origin& otherwise) {
    const auto at = problems_.places.find(key);
    return at == problems_.places.end() ? otherwise : Origin{at->second.file, at->second.line};
  };
  add("override", origin_of("override.start", shared_override_), {OverrideId{0}, {}});
  std::vector<AxisId> all;
  for (std::size_t a = 0; a < rig_.axes.size(); ++a) all.push_back(AxisId{static_cast<std::uint16_t>(a)});
  if (auto every = stepping(all); !every.coordinates.empty()) add("increment", {}, std::move(every));
  for (const auto& [name, row] : group_names_) {
    const GroupSetup& group = rig_.setup.groups[row];
    if (group.axes.empty()) continue;
    if (const auto override = group_overrides_.find(name); override != group_overrides_.end())
      add("override." + name, origin_of("group." + name + ".override.start", {}), {override->second, {}});
    if (auto steps = stepping(group.axes); !steps.coordinates.empty()) add("increment." + name, {}, std::move(steps));
  }
  for (const AxisId axis : all) {
    const std::string& name = rig_.axes[index(axis)].name;
    if (own_override(axis) != OverrideId{0} && problems_.places.contains("axis." + name + ".override.start"))
      add("override." + name, origin_of("axis." + name + ".override.start", {}), {own_override(axis), {}});
    // A group of the same name goes before.
    if (auto steps = stepping({axis}); !steps.coordinates.empty() && !number_names_.contains("increment." + name))
      add("increment." + name, origin_of("axis." + name + ".increment", rig_.axes[index(axis)].origin), std::move(steps));
  }
}

/// `override = "up"`, `override = 25`, `override = { of = "carriage", to = 25 }`; increments in the same way.
void RigBuilder::read_notch(Table& row, const char* key, Effect effect, BindingSetup& binding) {
  binding.effect = effect;
  std::string name = key;
  const auto take = [&](Table& table, const char* to) {
    if (table.is_text(to)) {
      binding.count = table.choice(to, {"up", "down"}).value_or("up") == "up" ? 1 : -1;
      return;
    }
    const auto value =
        effect == Effect::override ? table.number(to, {0, 100, true, "%"}) : table.number(to, {0, max_position, true, "unit"});
    if (!value) {
      if (!table.has(to)) table.missing(to, "\"up\", \"down\" or one of the notches");
      return;
    }
    if (effect == Effect::override) binding.percent = *value;
    if (effect == Effect::increment) binding.goal = to_nano(*value);
  };
  if (row.is_table(key)) {
    auto table = *row.table(key);
    if (const auto of = table.text("of")) name += "." + *of;
    take(table, "to");
    binding.numbers = {named<NumberId>(table, "of", number_names_, name, "number")};
    table.refuse_the_rest();
  } else {
    take(row, key);
    binding.numbers = {named<NumberId>(row, key, number_names_, name, "number")};
  }
  if (binding.numbers.front() == no<NumberId> || (binding.percent == 0 && binding.goal == 0)) return;
  const NotchSetup::Number& number = rig_.setup.notches.numbers[index(binding.numbers.front())];
  const auto& overrides = rig_.setup.notches.overrides;
  bool found = number.override != no<OverrideId> && std::count(overrides[index(number.override)].values.begin(),
                                                               overrides[index(number.override)].values.end(), binding.percent) > 0;
  for (const CoordinateId c : number.coordinates) {
    const auto& values = rig_.setup.notches.increments[index(c)].values;
    found = found || std::count(values.begin(), values.end(), binding.goal) > 0;
  }
  if (!found) row.problem(Code::not_a_notch, key, "that is not one of its notches", "one of them, \"up\" or \"down\"");
}

/// `adjust = "chosen"`, `adjust = "override.carriage"`, or `{ number, by }`; by a dial's counts or a key's presses.
void RigBuilder::read_adjust(Table& row, BindingSetup& binding) {
  binding.effect = Effect::adjust;
  const auto take = [&](Table& table, const char* key) {
    const auto name = table.text(key);
    if (!name || *name == "chosen") {
      adjusts_chosen_ = true;
      return;
    }
    binding.numbers = {named<NumberId>(table, key, number_names_, *name, "number")};
  };
  if (!row.is_table("adjust")) return take(row, "adjust");
  auto table = *row.table("adjust");
  take(table, "number");
  binding.count = static_cast<int>(table.whole("by", {-100, 100, false, "notches"}).value_or(1));
  if (binding.count == 0) table.problem(Code::out_of_range, "by", "0 notches change nothing", "-1, 1 or another whole number");
  table.refuse_the_rest();
}

/// `choose = ["override", "increment.x"]`: which number a dial adjusts; each press goes on to the next.
void RigBuilder::read_choose(Table& row, BindingSetup& binding) {
  binding.effect = Effect::choose;
  chooses_ = true;
  if (row.is_text("choose")) {
    if (const auto name = row.text("choose")) binding.numbers = {named<NumberId>(row, "choose", number_names_, *name, "number")};
    return;
  }
  for (const std::string& name : row.texts("choose"))
    binding.numbers.push_back(named<NumberId>(row, "choose", number_names_, name, "number"));
  if (binding.numbers.empty()) row.problem(Code::missing_key, "choose", "it chooses between nothing", "as [\"override\", \"increment.x\"]");
}

/// `layer = "rotary"`, or `{ name, to }`: switches a latched layer.
void RigBuilder::read_layer_effect(Table& row, BindingSetup& binding) {
  binding.effect = Effect::layer;
  const auto take = [&](Table& table, const char* key) {
    if (const auto name = table.text(key)) binding.to_layer = named<LayerId>(table, key, layer_names_, *name, "layer");
  };
  if (!row.is_table("layer")) return take(row, "layer");
  auto table = *row.table("layer");
  take(table, "name");
  if (!table.has("name")) table.missing("name", "the name of the layer");
  binding.to = switch_to(table.choice("to", latches).value_or("toggle"));
  table.refuse_the_rest();
}

void RigBuilder::read_permit(Table& row, BindingSetup& binding) {
  const std::string word = row.choice("permit", permit_words).value_or("stop");
  binding.effect = word == "ready"    ? Effect::ready
                   : word == "stow"   ? Effect::stow
                   : word == "enable" ? Effect::enable
                   : word == "stop"   ? Effect::stop
                                      : Effect::reset;
  if (const auto zone = row.text("zone")) {
    const ZoneId id = named<ZoneId>(row, "zone", zone_names_, *zone, "zone");
    if (id != no<ZoneId>) binding.zones = 1u << index(id);
  }
  for (const char* key : {"while", "in"})
    if (row.has(key))
      row.problem(Code::layer_not_allowed, key, fmt::format("'{}' is in no layer", word), fmt::format("leave '{}' out", key));
  if (!row.has("squeeze")) return;
  const auto squeeze = row.number("squeeze", {50, 99, true, "%"});
  if (binding.effect != Effect::enable || !is_kind(binding, ControlKind::one_sided))
    row.problem(Code::wrong_control, "squeeze", "only an enable on a trigger can be squeezed", "leave 'squeeze' out");
  if (squeeze) binding.squeeze = *squeeze / 100;
  if (squeeze && binding.slot != no<SlotId> && rig_.setup.controls[index(binding.slot)].press_at >= binding.squeeze)
    row.problem(Code::out_of_range, "squeeze", "it is squeezed before it is pressed", "more than the control's 'press'");
}

/// "x to 10 mm and y to 20 mm".
std::string RigBuilder::places(const BindingSetup& b) const {
  std::string text;
  for (const PosePlace& place : b.pose) {
    const AxisInfo& axis = rig_.axes[index(place.coordinate)];
    text += fmt::format("{}{} to {:g} {}", text.empty() ? "" : " and ", axis.name, from_nano(place.goal), axis.unit);
  }
  return text;
}

namespace {

/// "turns lamp" + how.
std::string latched(const std::string& what, SwitchTo to) {
  switch (to) {
    case SwitchTo::on: return what + " on";
    case SwitchTo::off: return what + " off";
    case SwitchTo::toggle: return what + " on or off";
    case SwitchTo::momentary: return what + " on while held";
  }
  return what;
}

}  // namespace

std::string RigBuilder::describe(const BindingSetup& b) const {
  const auto number = [](double value) { return fmt::format("{:g}", value); };
  const std::size_t c = index(b.coordinate);
  const std::string axis = c < rig_.axes.size() ? rig_.axes[c].name : "";
  const std::string unit = c < rig_.axes.size() ? rig_.axes[c].unit : "";
  const char* direction = b.share < 0 ? ", reversed" : "";
  std::string text;
  switch (b.effect) {
    case Effect::jog:
      text =
          fmt::format("jogs {}{}", axis, std::abs(b.share) < 1 ? fmt::format(" at {} %", number(std::abs(b.share) * 100)) : "") + direction;
      if (b.accel < 1) text += fmt::format(", {} % of its acceleration", number(b.accel * 100));
      for (const JogStage& stage : b.stages)
        text += stage.after == Span{} ? fmt::format(", {} %", number(stage.share * 100))
                                      : fmt::format(", {} % after {} s", number(stage.share * 100), number(to_seconds(stage.after)));
      break;
    case Effect::handwheel:
      text = fmt::format("moves {} by {:+d} increment{} a count, {}", axis, b.count, std::abs(b.count) == 1 ? "" : "s",
                         b.max_owed > 0 ? fmt::format("never more than {} {} behind", number(from_nano(b.max_owed)), unit)
                                        : std::string("every count kept"));
      break;
    case Effect::follow:
      text = fmt::format("takes {} from {} to {} {} with it, at {} {}/s until they meet", axis, number(b.low), number(b.high), unit,
                         number(b.catch_up), unit);
      break;
    case Effect::pose: text = fmt::format("takes {} on a straight line, while held", places(b)); break;
    case Effect::reduced:
      text = b.to == SwitchTo::momentary ? std::string("reduced speed while held")
             : b.to == SwitchTo::toggle  ? std::string("turns reduced speed on or off")
                                         : fmt::format("turns reduced speed {}", b.to == SwitchTo::on ? "on" : "off");
      break;
    case Effect::step: text = fmt::format("steps {} by {:+d} increment{}", axis, b.count, std::abs(b.count) == 1 ? "" : "s"); break;
    case Effect::go: text = fmt::format("takes {} to {} {} while held", axis, number(from_nano(b.goal)), unit); break;
    case Effect::set: text = latched(fmt::format("turns {}", rig_.switches[index(b.target)]), b.to); break;
    case Effect::layer: text = latched(fmt::format("turns layer {}", rig_.layers[index(b.to_layer)]), b.to); break;
    case Effect::override:
    case Effect::increment: {
      const std::string& name = rig_.numbers[index(b.numbers.front())].name;
      text = b.percent > 0 ? fmt::format("{} to {:g} %", name, b.percent)
             : b.goal > 0  ? fmt::format("{} to {:g}", name, from_nano(b.goal))
                           : fmt::format("{} one notch {}", name, b.count > 0 ? "up" : "down");
      break;
    }
    case Effect::adjust:
      text = fmt::format("{} by {:+d} notch{} for each {}",
                         b.numbers.empty() ? std::string("the chosen number") : rig_.numbers[index(b.numbers.front())].name, b.count,
                         std::abs(b.count) == 1 ? "" : "es",
                         rig_.setup.controls[index(b.slot)].calibration.kind() == ControlKind::counts ? "count" : "press");
      break;
    case Effect::choose:
      for (const NumberId one : b.numbers) text += (text.empty() ? "chooses " : ", then ") + rig_.numbers[index(one)].name;
      break;
    case Effect::ready: text = "makes ready"; break;
    case Effect::stow: text = "stows"; break;
    case Effect::enable: text = "enables while held"; break;
    case Effect::stop: text = "stops"; break;
    case Effect::reset: text = "resets"; break;
  }
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
  for (const RepeatStage& stage : b.repeat)
    text += fmt::format(", {} {:g} a second after {:g} s", &stage == &b.repeat.front() ? "again" : "then", 1 / to_seconds(stage.every),
                        to_seconds(stage.after));
  return out + ": " + text;
}

}  // namespace gyrax
