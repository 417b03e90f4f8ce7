// The lines of a rig's bindings: [bind], [while."CONTROL"] and [in.LAYER], at the root or under a handset. Each line is
// a control and what it asks for; pairs of controls, gestures, chords and layers are resolved here, and one line
// becomes one binding or more.
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <tuple>

namespace gyrax {
namespace {

const AboutGesture* gesture_named(const std::string& key) {
  for (const AboutGesture& row : about_gestures())
    if (row.key != nullptr && key == row.key) return &row;
  return nullptr;
}

std::vector<std::string> gesture_keys() {
  std::vector<std::string> keys;
  for (const AboutGesture& row : about_gestures())
    if (row.key != nullptr) keys.emplace_back(row.key);
  return keys;
}

/// "a + b" → a, b.
std::vector<std::string> parts_of_chord(const std::string& text) {
  std::vector<std::string> parts;
  std::size_t from = 0;
  for (std::size_t plus; (plus = text.find(" + ", from)) != std::string::npos; from = plus + 3)
    parts.push_back(text.substr(from, plus - from));
  parts.push_back(text.substr(from));
  return parts;
}

/// One of the controls that a pair stands for: which of two objects it is for, which way, and how precisely it was
/// named.
struct Half {
  std::string control;
  std::optional<std::size_t> object;
  int sign = 1;
  int precision = 0;
};

std::vector<Half> halves_of(const std::string& name, const std::function<bool(const std::string&)>& exists) {
  if (exists(name)) return {{name, {}, 1, 2}};
  if (name == "hat.x") return {{"hat.right", {}, 1, 1}, {"hat.left", {}, -1, 1}};
  if (name == "hat.y") return {{"hat.up", {}, 1, 1}, {"hat.down", {}, -1, 1}};
  if (name == "hat")
    return {{"hat.right", 0, 1, 0}, {"hat.left", 0, -1, 0}, {"hat.up", 1, 1, 0}, {"hat.down", 1, -1, 0}};
  if (exists(name + ".x") && exists(name + ".y")) return {{name + ".x", 0, 1, 1}, {name + ".y", 1, 1, 1}};
  return {{name, {}, 1, 2}};
}

}  // namespace

/// Layers that are latched, by name. Those that no section describes come with the lines in them.
void RigBuilder::read_layers(Table& root) {
  for (auto& [name, table] : root.tables("layer")) {
    if (!add_name(table, names_.layers, name, "layer")) continue;
    rig_.setup.layers.push_back({no<SlotId>, table.choice("start", {"off", "on"}).value_or("off") == "on"});
    rig_.layers.push_back(name);
    table.refuse_the_rest();
  }
}

/// [bind], [while] and [in] of one place: the root, or a handset's table.
void RigBuilder::collect_lines(Table& place, HandsetId handset) {
  if (place.is_list("bind")) {
    place.is_text("bind");
    place.problem(Code::wrong_type, "bind", "bindings have another form now",
                  "[bind], and under it a line a control, as \"stick.left.x\" = { jog = \"x\" }");
  } else if (auto table = place.table("bind")) {
    collect_controls(*table, handset, "", "");
  }
  if (place.has("while"))
    for (auto& [held, table] : place.tables("while")) collect_controls(table, handset, held, "");
  if (place.has("in"))
    for (auto& [layer, table] : place.tables("in")) collect_controls(table, handset, "", layer);
}

void RigBuilder::collect_controls(Table& table, HandsetId handset, const std::string& held,
                                  const std::string& latched) {
  if (const std::size_t lines = table.keys().size(); lines > Table::max_rows) {
    table.problem(Code::too_many, "", fmt::format("{} of them", lines), fmt::format("at most {}", Table::max_rows));
    return;
  }
  for (const std::string& control : table.keys()) {
    const Line line{table, control, control, handset, held, latched, Gesture::press, {}, {}, {}};
    if (table.is_table(control.c_str()))
      collect_table(line);
    else
      collect_values(line);
  }
}

/// Where a control has a table: what it asks for, or its gestures.
void RigBuilder::collect_table(Line line) {
  Table inner = *line.table.table(line.key.c_str());
  const std::vector<std::string> keys = inner.keys();
  if (std::none_of(keys.begin(), keys.end(), [](const std::string& key) { return gesture_named(key) != nullptr; })) {
    if (!refuse_misnamed(line, inner)) collect_values(line);
    return;
  }
  line.table = inner;
  for (const std::string& key : keys) {
    const AboutGesture* gesture = gesture_named(key);
    if (gesture == nullptr) {
      inner.problem(Code::bad_choice, key.c_str(), "what a plain press asks for, among gestures",
                    fmt::format("\"{}\".press = …; gestures are {}", line.control, listed(gesture_keys())));
      continue;
    }
    line.key = key;
    line.gesture = gesture->gesture;
    collect_values(line);
  }
}

/// A gesture that is none, or a name whose dot is not in quotes, which the parser takes for tables in one another.
bool RigBuilder::refuse_misnamed(const Line& line, Table& inner) {
  const std::vector<std::string> keys = inner.keys();
  const auto continues = [&](const std::string& key) { return inner.is_table(key.c_str()) && !is_effect(key); };
  if (keys.empty() || !std::all_of(keys.begin(), keys.end(), continues)) return false;
  const std::string& control = line.control;
  Table table = line.table;
  if (is_control(line.handset, line.held + "." + control)) {
    table.problem(Code::unknown_control, control.c_str(), fmt::format("there is no control '{}'", line.held),
                  fmt::format("a name with a dot stands in quotes: [while.\"{}.{}\"]", line.held, control));
  } else if (is_control(line.handset, control)) {
    for (const std::string& key : keys)
      inner.problem(Code::bad_choice, key.c_str(), fmt::format("'{}' is no gesture", key),
                    "one of " + listed(gesture_keys()), nearest(key, gesture_keys()));
  } else {
    table.problem(Code::unknown_control, control.c_str(), fmt::format("there is no control '{}'", control),
                  fmt::format("a name with a dot stands in quotes: \"{}.{}\"", control, keys.front()));
  }
  return true;
}

/// A word, a table, or a list of them.
void RigBuilder::collect_values(Line line) {
  std::vector<TableValue> values = line.table.values(line.key.c_str());
  if (values.empty() && line.table.is_list(line.key.c_str()))
    line.table.problem(Code::one_effect, line.key.c_str(), "it asks for nothing",
                       "one effect at least: [{ … }, { … }]");
  for (TableValue& value : values) {
    line.word = value.word;
    line.entry = std::move(value.table);
    line.place = value.place;
    lines_.push_back(line);
  }
}

void RigBuilder::read_bindings(Table& root) { collect_lines(root, no<HandsetId>); }

std::size_t RigBuilder::file_order(const std::string& file) const {
  return static_cast<std::size_t>(std::find(files.begin(), files.end(), file) - files.begin());
}

bool RigBuilder::is_control(HandsetId handset, const std::string& name) const {
  return virtuals_.contains({index(handset), name}) || find_control(name) != nullptr;
}

HandsetId RigBuilder::handset_of(Line& line) {
  if (line.handset != no<HandsetId>) return line.handset;
  if (handset_names_.size() == 1) return HandsetId{0};
  line.table.problem(Code::unknown_name, "",
                     fmt::format("there are {} handsets, and it is not said which", handset_names_.size()),
                     fmt::format("[handset.{}.bind] and the like", rig_.handsets.front()));
  return no<HandsetId>;
}

namespace {

/// What makes two lines the same: handset, layer, gesture and controls.
using What = std::tuple<std::size_t, std::size_t, Gesture, std::string>;
/// Where that was said, and how precisely.
struct Said {
  Place place;
  int precision = 0;
};

bool is_chord(const std::string& control) { return control.find(" + ") != std::string::npos; }

/// Keys together are the same in whatever order they are named.
std::string in_order(const std::string& chord) {
  std::vector<std::string> parts = parts_of_chord(chord);
  std::sort(parts.begin(), parts.end());
  return fmt::format("{}", fmt::join(parts, " + "));
}

}  // namespace

/// Every line as it counts: in the order of the files and their lines, a pair's halves apart, a half by itself before
/// its pair.
void RigBuilder::build_bindings() {
  resolve_needs();
  resolve_registers();
  resolve_dialects();
  add_numbers();
  std::stable_sort(lines_.begin(), lines_.end(), [&](const Line& a, const Line& b) {
    const auto at = [&](const Line& one) {
      return std::tuple(file_order(one.place.file), one.place.line, one.place.column);
    };
    return at(a) < at(b);
  });
  for (Line& line : lines_) layer_of(line);
  std::map<What, Said> said;
  struct Single {
    Line* line;
    Half half;
    What what;
  };
  std::vector<Single> all;
  for (Line& line : lines_) {
    line.handset = handset_of(line);
    if (line.handset == no<HandsetId>) continue;
    const auto exists = [&](const std::string& name) { return is_control(line.handset, name); };
    const bool chord = is_chord(line.control);
    for (Half& half : chord ? std::vector<Half>{{line.control, {}, 1, 2}} : halves_of(line.control, exists)) {
      const What what{index(line.handset), index(line.layer), line.gesture,
                      chord ? in_order(half.control) : half.control};
      Said& before = said.try_emplace(what, Said{line.place, half.precision}).first->second;
      const bool same_line = before.place.line == line.place.line && before.place.file == line.place.file;
      if (before.precision == half.precision && !same_line)
        line.table.problem(Code::duplicate_name, line.key.c_str(), fmt::format("'{}' is bound twice", half.control),
                           fmt::format("it stands at {}:{} already; two things at once are a list: [{{ … }}, {{ … }}]",
                                       before.place.file, before.place.line));
      if (before.precision < half.precision) before = {line.place, half.precision};
      all.push_back({&line, std::move(half), what});
    }
  }
  for (Single& one : all) {
    // What names a control itself goes before a pair that it is part of.
    if (one.half.precision < said.at(one.what).precision) continue;
    build_binding(*one.line, one.half.control, {one.half.object, one.half.sign});
  }
}

/// The layer of a line. What is not known is told once, and counts as the base layer.
void RigBuilder::layer_of(Line& line) {
  line.layer = no<LayerId>;
  if (!line.latched.empty()) {
    if (const auto at = names_.layers.find(line.latched); at != names_.layers.end()) {
      line.layer = id_at<LayerId>(at->second);
    } else if (add_name(line.table, names_.layers, line.latched, "layer")) {
      // Layers are numbered with those that held controls make.
      names_.layers[line.latched] = rig_.setup.layers.size();
      line.layer = id_at<LayerId>(rig_.setup.layers.size());
      rig_.setup.layers.push_back({no<SlotId>, false});
      rig_.layers.push_back(line.latched);
    }
    return;
  }
  if (line.held.empty()) return;
  const HandsetId handset = handset_of(line);
  if (handset == no<HandsetId>) return;
  const SlotId held = control_named(line.table, "", handset, line.held, false);
  if (held == no<SlotId>) return;
  for (std::size_t l = 0; l < rig_.setup.layers.size(); ++l)
    if (rig_.setup.layers[l].held == held) line.layer = id_at<LayerId>(l);
  if (line.layer != no<LayerId>) return;
  line.layer = id_at<LayerId>(rig_.setup.layers.size());
  rig_.setup.layers.push_back({held, false});
  rig_.layers.push_back(rig_.slots[index(held)].name + " held");
}

SlotId RigBuilder::control_named(Table& table, const char* key, HandsetId handset, const std::string& name,
                                 bool turned) {
  if (const auto made = virtuals_.find({index(handset), name}); made != virtuals_.end())
    return virtual_slot(handset, name, made->second);
  const ControlName* control = find_control(name);
  if (control == nullptr) {
    std::vector<std::string> known;
    for (const auto& [at, wish] : virtuals_)
      if (at.first == index(handset)) known.push_back(at.second);
    if (name.find('+') != std::string::npos) {
      table.problem(Code::unknown_control, key, fmt::format("there is no control '{}'", name),
                    "keys together have blanks between, as \"face.south + face.east\"");
      return no<SlotId>;
    }
    const std::string guess = nearest(name, known);
    table.problem(Code::unknown_control, key, fmt::format("there is no control '{}'", name),
                  "controls are named by where they sit, such as stick.left.x",
                  guess.empty() ? nearest_control(name) : guess);
    return no<SlotId>;
  }
  if (control->kind == ControlKind::counts && !turned) {
    table.problem(Code::wrong_control, key,
                  fmt::format("'{}' counts, and only a handwheel or adjust takes counts", name),
                  "{ handwheel = … } or { adjust = … }; or a stick, a trigger or a key");
    return no<SlotId>;
  }
  return slot(handset, *control);
}

void RigBuilder::build_binding(Line& line, const std::string& control, Part part) {
  BindingSetup binding;
  binding.gesture = line.gesture;
  binding.layer = line.layer;
  const std::vector<std::string> controls = parts_of_chord(control);
  const bool turned = line.entry && takes_counts(*line.entry);
  binding.slot = control_named(line.table, line.key.c_str(), line.handset, controls.front(), turned);
  if (binding.layer != no<LayerId> && binding.slot != no<SlotId> &&
      rig_.setup.layers[index(binding.layer)].held == binding.slot)
    line.table.problem(Code::layer_not_allowed, line.key.c_str(), "a control cannot be its own layer",
                       "another control");
  if (controls.size() > 1) read_chord(line, controls, binding);
  std::optional<Table> entry = line.entry;
  const auto effect = entry ? read_effect(*entry, part, binding, names_) : read_word(line.table, line.key, line.word);
  if (effect) {
    binding.effect = *effect;
    check_effect(line, entry, binding);
  }
  if (entry) entry->refuse_the_rest();
  if (!effect || binding.slot == no<SlotId>) return;
  rig_.setup.bindings.push_back(binding);
  rig_.bindings.push_back({{line.place.file, line.place.line, line.place.column}, ""});
}

/// Keys together: the last is the one that asks, the others have to be down with it, in any order.
void RigBuilder::read_chord(Line& line, const std::vector<std::string>& controls, BindingSetup& binding) {
  constexpr std::size_t max_keys = 4;
  const auto is_key = [&](SlotId slot) {
    return rig_.setup.controls[index(slot)].calibration.kind() == ControlKind::key;
  };
  if (line.gesture != Gesture::press || controls.size() > max_keys)
    line.table.problem(Code::bad_choice, line.key.c_str(), "keys together are a gesture of their own",
                       "at most four keys, and no gesture");
  if (binding.slot != no<SlotId> && !is_key(binding.slot))
    line.table.problem(Code::wrong_control, line.key.c_str(), fmt::format("'{}' is no key", controls.front()),
                       "keys of the same handset");
  for (std::size_t i = 1; i < controls.size(); ++i) {
    const SlotId other = control_named(line.table, line.key.c_str(), line.handset, controls[i], false);
    if (other == no<SlotId>) continue;
    if (other == binding.slot || !is_key(other))
      line.table.problem(Code::wrong_control, line.key.c_str(), fmt::format("'{}' is no other key", controls[i]),
                         "keys of the same handset");
    binding.with.push_back(other);
  }
  binding.gesture = Gesture::chord;
}

/// What control and gesture an effect can have, and what stands beside it for that.
void RigBuilder::check_effect(Line& line, std::optional<Table>& entry, BindingSetup& binding) {
  Table& at = entry ? *entry : line.table;
  const char* key = entry ? "" : line.key.c_str();
  const auto hold = entry ? entry->number("hold_s", {0.05, 30, false, "s"}) : std::nullopt;
  if (binding.gesture == Gesture::hold) {
    binding.hold = from_seconds(hold.value_or(0.6));
  } else if (hold) {
    entry->problem(Code::bad_choice, "hold_s", "it is of the gesture 'hold' alone",
                   fmt::format("\"{}\".hold = …, or leave it out", line.control));
  }
  const AboutEffect& is = about(binding.effect);
  const auto is_kind = [&](ControlKind kind) {
    return rig_.setup.controls[index(binding.slot)].calibration.kind() == kind;
  };
  if (is.by_place && is.by_counts && binding.slot != no<SlotId> && !is_kind(ControlKind::counts))
    line.table.problem(Code::wrong_control, line.key.c_str(),
                       fmt::format("a handwheel is turned, and '{}' is not", line.control), "dial.1 and the like");
  const bool plain = binding.gesture == Gesture::press,
             by_key = binding.slot != no<SlotId> && is_kind(ControlKind::key);
  if (is.word && binding.layer != no<LayerId>)
    at.problem(Code::layer_not_allowed, key, "a word to the permit is in no layer", "[bind]");
  check_held_to_run(at, key, binding);
  if (binding.as<effect::Enable>() && about(binding.gesture).over)
    at.problem(Code::bad_choice, key, "enable allows motion while it is held, and this is over as it begins",
               "press, hold, double_tap, or keys together");
  if (binding.as<effect::Reset>() && about(binding.gesture).over)
    at.problem(Code::bad_choice, key, "reset has to be kept down after some faults, and this is over as it begins",
               "press, hold, double_tap, or keys together");
  if (!plain && stops(binding.effect))
    at.problem(Code::bad_choice, key, "a stop waits for no gesture", "a plain press");
  if (!plain && is.by_place)
    at.problem(Code::bad_choice, key, "what a control's place or counts move takes no gesture", "leave it out");
  if (!plain && is.by_deflection && !by_key && binding.slot != no<SlotId>)
    at.problem(Code::bad_choice, key, "a deflection takes no gesture", "leave it out");
  if (entry && entry->has("repeat")) read_repeat(*entry, binding);
}

/// In a zone that is hold to run what moves is what allows it, only while it is held.
void RigBuilder::check_held_to_run(Table& at, const char* key, const BindingSetup& binding) {
  const auto held_to_run = [&](std::size_t z) { return rig_.setup.zones[z].hold_to_run; };
  if (binding.as<effect::Enable>()) {
    std::string held;
    for (std::size_t z = 0; z < rig_.zones.size(); ++z) {
      if (!has(zones_of(binding.effect), id_at<ZoneId>(z))) continue;
      if (!held_to_run(z)) return;
      held = rig_.zones[z];
    }
    if (!held.empty())
      at.problem(Code::bad_choice, key, fmt::format("zone '{}' is hold to run, and has no enable", held),
                 "no such line, or the zone without hold_to_run");
    return;
  }
  const CoordinateId moved = moved_by(binding.effect);
  if (moved == no<CoordinateId> || index(moved) >= rig_.axes.size()) return;
  const std::size_t zone = index(rig_.setup.axes[index(moved)].zone);
  const bool is_held = binding.as<effect::Jog>() || binding.as<effect::Go>() || binding.as<effect::Pose>();
  if (zone >= rig_.zones.size() || !held_to_run(zone)) return;
  if (!is_held)
    at.problem(Code::bad_choice, key,
               fmt::format("zone '{}' is hold to run, and this goes on without being held", rig_.zones[zone]),
               "jog, go or pose");
  else if (about(binding.gesture).over)
    at.problem(Code::bad_choice, key,
               fmt::format("zone '{}' is hold to run, and this is over as it begins", rig_.zones[zone]),
               "press, hold, double_tap, or keys together");
}

/// [[0.5, 4], [2, 12]]: after so many seconds so many a second.
void RigBuilder::read_repeat(Table& entry, BindingSetup& binding) {
  constexpr std::size_t max_stages = 8;
  if (!about(binding.effect).repeats || about(binding.gesture).over)
    entry.problem(Code::bad_choice, "repeat", "there is nothing here to repeat",
                  "on a step, override, increment or adjust of a key that is held");
  const auto pairs = entry.pairs("repeat");
  bool good = pairs && !pairs->empty() && pairs->size() <= max_stages;
  double last = 0;
  for (const auto& [after_s, per_s] : pairs.value_or(std::vector<std::pair<double, double>>{})) {
    good = good && after_s > last && after_s <= 60 && per_s > 0 && per_s <= 50;
    last = after_s;
    if (good) binding.repeat.push_back({from_seconds(after_s), from_seconds(1 / per_s)});
  }
  if (!good)
    entry.problem(Code::out_of_range, "repeat", "these are no stages of repeating",
                  "at most 8 pairs [seconds held, times a second (at most 50)], each later than the one before, as "
                  "[[0.5, 4], [2, 12]]");
}

}  // namespace gyrax
