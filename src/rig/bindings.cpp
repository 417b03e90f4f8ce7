// Bindings: this control, in this layer, asks for this effect.
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace gyrax {
namespace {

const std::vector<std::string> effects{"jog", "step", "go", "set", "rate", "increment", "permit"};
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
  if (control->shape == ControlShape::counts) {
    row.problem(Code::wrong_control, key, fmt::format("'{}' counts, and no effect of this version takes counts", *name),
                "a stick, a trigger or a key");
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
                "exactly one of jog, step, go, set, rate, increment, permit");
    return false;
  }
  const std::string& effect = given.front();
  if (effect == "jog") read_jog(row, binding);
  if (effect == "step") read_step(row, binding);
  if (effect == "go") read_go(row, binding);
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
  table->refuse_the_rest();
}

void RigBuilder::read_step(Table& row, BindingSetup& binding) {
  binding.effect = Effect::step;
  auto table = target(row, "step", "axis", binding);
  if (table) {
    binding.count = static_cast<int>(table->whole("by", {-1000, 1000, false, "increments"}).value_or(1));
    if (binding.count == 0) table->problem(Code::out_of_range, "by", "a step by 0 goes nowhere", "-1, 1 or another whole number");
    table->refuse_the_rest();
  }
  const std::size_t axis = index(binding.coordinate);
  if (axis < rig_.axes.size() && rig_.setup.notches.increments[axis].values.empty())
    row.problem(Code::missing_key, "step", fmt::format("axis '{}' has no increments", rig_.axes[axis].name),
                "give it 'increments = [0.1, 1]'");
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
  const bool one_sided =
      binding.slot != no<SlotId> && rig_.setup.controls[index(binding.slot)].calibration.kind() == ControlKind::one_sided;
  if (binding.effect != Effect::enable || (binding.slot != no<SlotId> && !one_sided))
    row.problem(Code::wrong_control, "squeeze", "only an enable on a trigger can be squeezed", "leave 'squeeze' out");
  if (squeeze) binding.squeeze = *squeeze / 100;
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
