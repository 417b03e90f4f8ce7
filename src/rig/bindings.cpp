// Bindings: this control, in this layer, asks for this effect.
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <tuple>

namespace gyrax {
namespace {

const std::vector<std::string> effects{"jog", "step", "handwheel", "follow", "go", "pose", "set", "rate", "increment", "reduced", "permit"};
const std::vector<std::string> permits{"ready", "stow", "enable", "stop", "reset"};

}  // namespace

void RigBuilder::read_bindings(Table& root) {
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
  const ControlName* control = find_control(*name);
  if (control == nullptr) {
    row.problem(Code::unknown_control, key, fmt::format("there is no control '{}'", *name),
                "controls are named by where they sit, such as stick.left.x", nearest_control(*name));
    return no<SlotId>;
  }
  const bool counts = control->shape == ControlShape::counts;
  const bool wheel = row.has("handwheel") && std::string_view(key) == "control";
  if (counts != wheel) {
    row.problem(Code::wrong_control, key,
                counts ? fmt::format("'{}' counts, and only a handwheel takes counts", *name)
                       : fmt::format("a handwheel is turned, and '{}' is not", *name),
                counts ? "handwheel = …, or a stick, a trigger or a key" : "dial.1 and the like");
    return no<SlotId>;
  }
  return slot(handset, *control);
}

void RigBuilder::read_binding(Table& row) {
  BindingSetup binding;
  const HandsetId handset = handset_of(row);
  if (!row.has("control")) row.missing("control", "the control that this binding is for");
  binding.slot = control_of(row, "control", handset);
  binding.layer = control_of(row, "while", handset);
  const bool whole = read_effect(row, binding);
  if (!whole || binding.slot == no<SlotId>) return;
  rig_.setup.bindings.push_back(binding);
  rig_.bindings.push_back({{row.file(), row.line()}, ""});
}

bool RigBuilder::read_effect(Table& row, BindingSetup& binding) {
  std::vector<std::string> given;
  for (const std::string& effect : effects)
    if (row.has(effect.c_str())) given.push_back(effect);
  if (given.size() != 1) {
    for (const std::string& effect : effects) row.is_text(effect.c_str());
    row.problem(Code::one_effect, "", given.empty() ? "the binding asks for nothing" : "the binding asks for more than one thing",
                "exactly one of jog, step, handwheel, follow, go, pose, set, rate, increment, reduced, permit");
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
  if (effect == "rate") read_notch(row, "rate", Effect::rate, binding);
  if (effect == "increment") read_notch(row, "increment", Effect::increment, binding);
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
  constexpr std::size_t most_stages = 8;
  constexpr double longest_s = 60;
  if (!is_kind(binding, ControlKind::key)) table.problem(Code::wrong_control, "stages", "only a key's jog grows", "leave 'stages' out");
  const auto pairs = table.pairs("stages");
  bool good = pairs && !pairs->empty() && pairs->size() <= most_stages && pairs->front().first == 0;
  double last = -1;
  for (const auto& [after_s, percent] : pairs.value_or(std::vector<std::pair<double, double>>{})) {
    good = good && after_s > last && after_s <= longest_s && percent > 0 && percent <= 100;
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
    binding.behind = to_nano(table->number("behind", {0, greatest_position, true, "unit"}, 0));
    table->refuse_the_rest();
  }
  require_increments(row, "handwheel", binding);
}

void RigBuilder::read_follow(Table& row, BindingSetup& binding) {
  binding.effect = Effect::follow;
  if (is_kind(binding, ControlKind::key) && binding.slot != no<SlotId>)
    row.problem(Code::wrong_control, "follow", "a key has no place to follow", "a stick, a trigger, a throttle");
  auto table = target(row, "follow", "axis", binding);
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
  const std::string to = row.choice("reduced", {"on", "off", "toggle", "while held"}).value_or("toggle");
  binding.to = to == "on" ? SwitchTo::on : to == "off" ? SwitchTo::off : to == "toggle" ? SwitchTo::toggle : SwitchTo::while_held;
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
  const std::size_t axis = index(binding.coordinate);
  if (!table) {
    if (row.is_text("go")) row.missing("to", "go = { axis = …, to = … }");
    return;
  }
  Allowed inside{-greatest_position, greatest_position, false, "unit"};
  if (axis < rig_.axes.size()) {
    const AxisLimits& limits = rig_.setup.axes[axis].limits;
    inside = {limits.low(), limits.high(), false, "(the axis's travel)"};
  }
  binding.goal = to_nano(table->required_number("to", inside).value_or(0));
  table->refuse_the_rest();
}

void RigBuilder::read_set(Table& row, BindingSetup& binding) {
  binding.effect = Effect::set;
  auto table = target(row, "set", "switch", binding);
  if (!table) return;
  const std::string to = table->choice("to", {"on", "off", "toggle"}).value_or("toggle");
  binding.to = to == "on" ? SwitchTo::on : to == "off" ? SwitchTo::off : SwitchTo::toggle;
  table->refuse_the_rest();
}

void RigBuilder::read_notch(Table& row, const char* key, Effect effect, BindingSetup& binding) {
  binding.effect = effect;
  binding.count = row.choice(key, {"up", "down"}).value_or("up") == "up" ? 1 : -1;
}

void RigBuilder::read_permit(Table& row, BindingSetup& binding) {
  const std::string word = row.choice("permit", permits).value_or("stop");
  binding.effect = word == "ready"    ? Effect::ready
                   : word == "stow"   ? Effect::stow
                   : word == "enable" ? Effect::enable
                   : word == "stop"   ? Effect::stop
                                      : Effect::reset;
  if (const auto zone = row.text("zone")) {
    const ZoneId id = named<ZoneId>(row, "zone", zone_names_, *zone, "zone");
    if (id != no<ZoneId>) binding.zones = 1u << index(id);
  }
  if (row.has("while")) row.problem(Code::layer_not_allowed, "while", fmt::format("'{}' counts in every layer", word), "leave 'while' out");
  if (!row.has("squeeze")) return;
  const auto squeeze = row.number("squeeze", {50, 99, true, "%"});
  if (binding.effect != Effect::enable || !is_kind(binding, ControlKind::one_sided))
    row.problem(Code::wrong_control, "squeeze", "only an enable on a trigger can be squeezed", "leave 'squeeze' out");
  if (squeeze) binding.squeeze = *squeeze / 100;
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
      text = fmt::format(
          "moves {} by {:+d} increment{} a count, {}", axis, b.count, std::abs(b.count) == 1 ? "" : "s",
          b.behind > 0 ? fmt::format("never more than {} {} behind", number(from_nano(b.behind)), unit) : std::string("every count kept"));
      break;
    case Effect::follow:
      text = fmt::format("takes {} from {} to {} {} with it, at {} {}/s until they meet", axis, number(b.low), number(b.high), unit,
                         number(b.catch_up), unit);
      break;
    case Effect::pose: text = fmt::format("takes {} on a straight line, while held", places(b)); break;
    case Effect::reduced:
      text = b.to == SwitchTo::while_held ? std::string("reduced speed while held")
             : b.to == SwitchTo::toggle   ? std::string("turns reduced speed on or off")
                                          : fmt::format("turns reduced speed {}", b.to == SwitchTo::on ? "on" : "off");
      break;
    case Effect::step: text = fmt::format("steps {} by {:+d} increment{}", axis, b.count, std::abs(b.count) == 1 ? "" : "s"); break;
    case Effect::go: text = fmt::format("takes {} to {} {} while held", axis, number(from_nano(b.goal)), unit); break;
    case Effect::set:
      text = b.to == SwitchTo::toggle ? fmt::format("turns {} on or off", rig_.switches[index(b.target)])
                                      : fmt::format("turns {} {}", rig_.switches[index(b.target)], b.to == SwitchTo::on ? "on" : "off");
      break;
    case Effect::rate: text = fmt::format("rate one notch {}", b.count > 0 ? "up" : "down"); break;
    case Effect::increment: text = fmt::format("increments one notch {}", b.count > 0 ? "up" : "down"); break;
    case Effect::ready: text = "makes ready"; break;
    case Effect::stow: text = "stows"; break;
    case Effect::enable: text = "enables while held"; break;
    case Effect::stop: text = "stops"; break;
    case Effect::reset: text = "resets"; break;
  }
  std::string out = rig_.slots[index(b.slot)].name;
  if (rig_.handsets.size() > 1) out = rig_.handsets[index(rig_.setup.controls[index(b.slot)].handset)] + " " + out;
  if (b.layer != no<SlotId>) out += fmt::format(" with {} held", rig_.slots[index(b.layer)].name);
  return out + ": " + text;
}

}  // namespace gyrax
