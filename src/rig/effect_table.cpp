// Reading an effect from its table, whichever it is.
#include "effects.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

const std::vector<std::string> latches{"on", "off", "toggle", "momentary"};

/// What an older form said beside an effect, and how it is said now.
void refuse_old_keys(Table& entry) {
  constexpr std::pair<const char*, const char*> keys[] = {
      {"reversed", "a '-' before the name turns it round, as \"-x\""},
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

std::optional<std::string> EffectTable::object() {
  std::optional<std::string> name;
  if (part.object) {
    const auto names = entry.is_text(key) ? std::vector<std::string>{} : entry.texts(key);
    if (names.size() != 2) {
      entry.problem(Code::wrong_control, key, "the control is a pair",
                    fmt::format("two names, as {} = [\"x\", \"y\"]", key));
      return std::nullopt;
    }
    name = names[*part.object];
  } else if (entry.is_table(key)) {
    entry.is_text(key);
    entry.problem(Code::wrong_type, key, "a table stands where a name does",
                  fmt::format("{{ {} = \"x\", … }}: everything else stands beside it", key));
  } else if (entry.is_list(key)) {
    entry.is_text(key);
    entry.problem(Code::wrong_control, key, "one control moves one thing",
                  "one name; or bind a pair, as \"stick.left\"");
  } else {
    name = entry.text(key);
  }
  if (name && name->starts_with('-')) {
    part.sign = -part.sign;
    name->erase(0, 1);
  }
  return name;
}

std::optional<AxisId> EffectTable::axis() {
  const AxisId axis = one_of<AxisId>(known.axes, "axis");
  return axis == no<AxisId> ? std::nullopt : std::optional(axis);
}

void EffectTable::refuse_pair() {
  if (part.object || part.sign < 0)
    entry.problem(Code::wrong_control, key, "it has no opposite, and is for one control", "a key by itself");
}

void EffectTable::refuse_motor(AxisId axis) {
  if (known.rig.axes[index(axis)].motor)
    entry.problem(Code::wrong_control, key,
                  fmt::format("'{}' is a motor and has no place", known.rig.axes[index(axis)].name), "{ jog = … }");
}

bool EffectTable::is_kind(ControlKind kind) const {
  return binding.slot == no<SlotId> || known.rig.setup.controls[index(binding.slot)].calibration.kind() == kind;
}

SwitchTo EffectTable::switch_to(const char* from) {
  const std::string word = entry.choice(from, latches).value_or("toggle");
  return word == "on"       ? SwitchTo::on
         : word == "off"    ? SwitchTo::off
         : word == "toggle" ? SwitchTo::toggle
                            : SwitchTo::momentary;
}

EffectTable::Notch EffectTable::notch(const Allowed& allowed,
                                      const std::function<bool(const NotchSetup::Number&, double)>& among) {
  std::string name = key;
  const char* to = key;
  if (entry.has("to")) {
    to = "to";
    if (const auto of = entry.text(key)) name += "." + *of;
  }
  Notch read{.number = named<NumberId>(entry, key, known.numbers, name, "number")};
  if (entry.is_text(to)) {
    read.by = part.sign * (entry.choice(to, {"up", "down"}).value_or("up") == "up" ? 1 : -1);
    return read;
  }
  refuse_pair();
  read.value = entry.number(to, allowed);
  if (!read.value || read.number == no<NumberId>) return read;
  if (!among(known.rig.setup.notches.numbers[index(read.number)], *read.value))
    entry.problem(Code::not_a_notch, to, fmt::format("{:g} is not one of its notches", *read.value),
                  "one of them, \"up\" or \"down\"");
  return read;
}

bool is_from_zero(Table& table) { return table.choice("from", {"machine", "zero"}).value_or("machine") == "zero"; }

Allowed places_of(const AxisLimits& limits, bool from_zero) {
  const double way = limits.high() - limits.low();
  return from_zero ? Allowed{-way, way, false, "(as far as the travel is long)"}
                   : Allowed{limits.low(), limits.high(), false, "(the axis's travel)"};
}

Nano counted_inside(const AxisLimits& limits, double position) {
  return std::clamp(to_nano(position), limits.low_nano(), limits.high_nano());
}

bool is_effect(const std::string& key) {
  return std::any_of(effect_rows().begin(), effect_rows().end(), [&](const EffectRow& row) { return key == row.key; });
}

bool takes_counts(const Table& entry) {
  return std::any_of(effect_rows().begin(), effect_rows().end(),
                     [&](const EffectRow& row) { return about(row.plain).by_counts && entry.has(row.key); });
}

std::optional<Effect> read_effect(Table& entry, Part part, const BindingSetup& binding, const EffectNames& known) {
  refuse_old_keys(entry);
  std::vector<std::string> keys;
  std::vector<const EffectRow*> given;
  for (const EffectRow& row : effect_rows()) {
    keys.emplace_back(row.key);
    if (entry.has(row.key)) given.push_back(&row);
  }
  if (given.size() == 1) {
    EffectTable table{entry, given.front()->key, part, binding, known};
    return given.front()->read(table);
  }
  for (const std::string& key : keys) entry.is_text(key.c_str());
  if (given.empty()) entry.refuse_the_rest();
  entry.problem(Code::one_effect, "",
                given.empty() ? "it asks for nothing" : fmt::format("it asks for {} things", given.size()),
                given.empty() ? "one of " + listed(keys) : "one; two at once are a list: [{ … }, { … }]");
  return std::nullopt;
}

std::optional<Effect> read_word(Table& table, const std::string& key, const std::string& word) {
  std::vector<std::string> words;
  for (const EffectRow& row : effect_rows()) {
    if (!about(row.plain).word) continue;
    if (word == row.key) return row.plain;
    words.emplace_back(row.key);
  }
  const std::string more = is_effect(word) ? fmt::format("; this one is {{ {} = … }}", word) : "";
  table.problem(Code::bad_choice, key.c_str(), fmt::format("'{}' alone means nothing", word),
                fmt::format("one of {}, or a table{}", listed(words), more), nearest(word, words));
  return std::nullopt;
}

std::string describe(const Rig& rig, const BindingSetup& b) {
  std::string out = rig.slots[index(b.slot)].name;
  if (rig.handsets.size() > 1) out = rig.handsets[index(rig.setup.controls[index(b.slot)].handset)] + " " + out;
  for (const SlotId other : b.with) out += " and " + rig.slots[index(other)].name;
  out += about(b.gesture).said;
  if (b.gesture == Gesture::hold) out += fmt::format(" for {:g} s", to_seconds(b.hold));
  if (b.layer != no<LayerId>) {
    const SlotId held = rig.setup.layers[index(b.layer)].held;
    out += held != no<SlotId> ? fmt::format(" with {} held", rig.slots[index(held)].name)
                              : fmt::format(" in layer {}", rig.layers[index(b.layer)]);
  }
  out += ": " + effect_rows()[b.effect.index()].describe(rig, b);
  for (const RepeatStage& stage : b.repeat)
    out += fmt::format(", {} {:g} a second after {:g} s", &stage == &b.repeat.front() ? "again" : "then",
                       1 / to_seconds(stage.every), to_seconds(stage.after));
  return out;
}

}  // namespace gyrax
