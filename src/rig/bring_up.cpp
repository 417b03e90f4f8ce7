#include "../files/toml_parser.hpp"

#include <gyrax/rig/bring_up.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>
#include <stdexcept>
#include <variant>

namespace gyrax {
namespace {

constexpr double share_of_speed = 0.1, share_of_accel = 0.25;
constexpr double servo_us_per_s = 80, servo_us_per_s2 = 400;
constexpr std::array<int, 3> servo_steps_us{1, 5, 20};
constexpr int least_between_us = 50;  // of low and high: nearer is a slip

bool is_one_of(std::string_view word, std::initializer_list<const char*> words) {
  return std::ranges::find(words, word) != words.end();
}
bool is_word(std::string_view word) {
  return is_one_of(word, {"ready", "stow", "ready_or_stow", "enable", "stop", "reset"});
}

// ---- As a text ----

std::string quoted(std::string_view text) {
  std::string all = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') all += '\\';
    if (static_cast<unsigned char>(c) < 0x20)
      all += fmt::format("\\u{:04x}", static_cast<unsigned>(c));
    else
      all += c;
  }
  return all + "\"";
}

/// In one line; the package's own writer computes the widths of small fractions out of range.
std::string one_line(const toml::node& node) {
  std::string text;
  if (const toml::array* list = node.as_array()) {
    for (const toml::node& one : *list) text += (text.empty() ? "" : ", ") + one_line(one);
    return "[" + text + "]";
  }
  if (const toml::table* table = node.as_table()) {
    for (const auto& [key, one] : *table)
      text += fmt::format("{}{} = {}", text.empty() ? "" : ", ", quoted(key.str()), one_line(one));
    return "{ " + text + " }";
  }
  if (const auto number = node.value_exact<double>()) {
    text = fmt::format("{}", *number);
    return std::isfinite(*number) && text.find_first_of(".e") == std::string::npos ? text + ".0" : text;
  }
  if (const auto number = node.value_exact<std::int64_t>()) return std::to_string(*number);
  if (const auto flag = node.value_exact<bool>()) return *flag ? "true" : "false";
  return quoted(node.value<std::string>().value_or(""));
}

std::string text_of(const toml::table& root) {
  std::string text;
  for (const auto& [key, one] : root) text += fmt::format("{} = {}\n", quoted(key.str()), one_line(one));
  return text;
}

// ---- The rig with one axis ----

/// Whether a binding's value moves nothing; of a key with several gestures those that do are taken out.
bool keep_still(toml::node& value) {
  if (const auto word = value.value<std::string>()) return is_word(*word);
  toml::table* table = value.as_table();
  if (table == nullptr) return false;
  bool gestures = false;
  std::vector<std::string> moving;
  for (auto&& [key, one] : *table) {
    if (is_word(key.str()) || is_one_of(key.str(), {"set", "reduced"})) return true;
    // Of all numbers at once; those of a group go with it.
    if (is_one_of(key.str(), {"override", "increment"}))
      return is_one_of(one.value<std::string>().value_or(""), {"up", "down"});
    if (!is_one_of(key.str(), {"press", "release", "tap", "double_tap", "hold"})) continue;
    gestures = true;
    if (!keep_still(one)) moving.emplace_back(key.str());
  }
  for (const std::string& key : moving) table->erase(key);
  return gestures && !table->empty();
}

/// A control that moves something: which one can jog, which one can step.
struct Mover {
  toml::table* bind = nullptr;  // the base bindings of its handset
  std::string control;
  bool for_axis = false;
  explicit operator bool() const { return bind != nullptr; }
};

/// What an effect names, "x" or "-x", alone or first of two; empty: it is not this effect.
std::string object_of(const toml::node& value, const char* effect, bool& pair) {
  const toml::table* table = value.as_table();
  if (table == nullptr || !table->contains(effect)) return {};
  const toml::node* object = table->get(effect);
  pair = object->is_array();
  if (pair) object = object->as_array()->get(0);
  std::string name = object != nullptr ? object->value<std::string>().value_or("") : "";
  return name.starts_with('-') ? name.substr(1) : name;
}

void look_for(Mover& best, toml::table& bind, const toml::table& in, const char* effect, const std::string& axis) {
  for (const auto& [key, value] : in) {
    bool pair = false;
    const std::string object = object_of(value, effect, pair);
    if (object.empty() || (best && (best.for_axis || object != axis))) continue;
    const std::string control = std::string(key.str()) + (pair ? ".x" : "");
    if (const toml::node* taken = bind.get(control); taken != nullptr && taken->is_string()) continue;
    best = {&bind, control, object == axis};
  }
}

/// The tables of bindings of one handset, or of the only one.
struct Bindings {
  explicit Bindings(toml::table& holder) : holder_(&holder) {}
  toml::table& base() {
    if (!(*holder_)["bind"].is_table()) holder_->insert("bind", toml::table{});
    return *(*holder_)["bind"].as_table();
  }
  template <class F>
  void each_layer(F&& f) {
    for (const char* kind : {"while", "in"})
      if (toml::table* layers = (*holder_)[kind].as_table())
        for (auto&& [name, layer] : *layers)
          if (toml::table* table = layer.as_table()) f(*table);
  }
  bool any() const { return holder_->contains("bind"); }
  void keep_what_is_still() {
    std::vector<toml::table*> all;
    if (any()) all.push_back(&base());
    each_layer([&](toml::table& layer) { all.push_back(&layer); });
    for (toml::table* table : all) {
      std::vector<std::string> moving;
      for (auto&& [key, value] : *table)
        if (!keep_still(value)) moving.emplace_back(key.str());
      for (const std::string& key : moving) table->erase(key);
    }
  }

 private:
  toml::table* holder_;
};

std::vector<Bindings> bindings_of(toml::table& root) {
  std::vector<Bindings> all{Bindings(root)};
  if (toml::table* handsets = root["handset"].as_table())
    for (auto&& [name, handset] : *handsets)
      if (toml::table* table = handset.as_table()) all.emplace_back(*table);
  std::erase_if(all, [](const Bindings& one) { return !one.any(); });
  return all;
}

void set_number(toml::table& table, const char* key, double value) { table.insert_or_assign(key, value); }

/// A servo that goes to any pulse that is allowed, along the same line as in the rig.
void widen_servo(toml::table& axis, const ServoMap& servo, const PulseRange& allowed) {
  const double scale = (servo.high() - servo.low()) / (servo.high_us() - servo.low_us());
  const auto at = [&](int us) {
    const double from_low = (us - servo.trim_us() - servo.low_us()) * scale;
    return servo.reversed() ? servo.high() - from_low : servo.low() + from_low;
  };
  const auto [low, high] = std::minmax({at(allowed.first), at(allowed.second)});
  toml::table made{{"ends", toml::array{low, high}},
                   {"pulse_us", toml::array{std::int64_t{allowed.first}, std::int64_t{allowed.second}}},
                   {"reversed", servo.reversed()}};
  axis.insert_or_assign("servo", std::move(made));
  axis.insert_or_assign("travel", toml::array{low, high});
  if (const auto start = axis["start"].value<double>()) set_number(axis, "start", std::clamp(*start, low, high));
  set_number(axis, "speed", servo_us_per_s * scale);
  set_number(axis, "accel", servo_us_per_s2 * scale);
  toml::array steps;
  for (const int us : servo_steps_us) steps.push_back(us * scale);
  axis.insert_or_assign("increments", std::move(steps));
}

void slow_down(toml::table& axis, const MotionLimits& full, const std::string& unit) {
  set_number(axis, "speed", full.speed * share_of_speed);
  set_number(axis, "accel", full.accel * share_of_accel);
  if (unit != "%" && !axis.contains("increments")) axis.insert_or_assign("increments", toml::array{0.1, 1.0});
}

/// Everything but this axis has no power: it is in a zone to which no word leads.
void park_the_others(Rig& rig, const std::string& name) {
  const auto named = std::ranges::find(rig.axes, name, &AxisInfo::name);
  const auto axis = id_at<AxisId>(static_cast<std::size_t>(named - rig.axes.begin()));
  const auto parked = id_at<ZoneId>(rig.setup.zones.size());
  ZoneSetup zone;
  for (ZoneSetup& other : rig.setup.zones) {
    std::erase_if(other.axes, [&](AxisId one) {
      if (one != axis) zone.axes.push_back(one);
      return one != axis;
    });
  }
  if (zone.axes.empty()) return;
  for (const AxisId one : zone.axes) rig.setup.axes[index(one)].zone = parked;
  rig.setup.zones.push_back(std::move(zone));
  rig.zones.emplace_back("parked");
  for (BindingSetup& binding : rig.setup.bindings)
    std::visit(
        [&]<class E>(E& e) {
          if constexpr (requires { e.zones; }) e.zones &= ~bit(parked);
        },
        binding.effect);
}

struct Part {
  RigSource* source;
  toml::table root;
};

void bind_mover(const Mover& mover, const char* effect, const std::string& axis) {
  mover.bind->insert_or_assign(mover.control, toml::table{{effect, axis}});
}

}  // namespace

Rig bring_up_rig(const Rig& rig, AxisId axis, const std::optional<PulseRange>& allowed) {
  const AxisInfo& info = rig.axes[index(axis)];
  std::vector<RigSource> sources = rig.sources;
  std::vector<Part> parts;
  for (RigSource& source : sources) {
    toml::table root = toml::parse(source.text);
    if (!root.contains("gyrax_calibration")) parts.push_back({&source, std::move(root)});
  }
  Mover jog, step;
  for (Part& part : parts)
    for (Bindings& bindings : bindings_of(part.root)) {
      toml::table& base = bindings.base();
      look_for(jog, base, base, "jog", info.name);
      look_for(step, base, base, "step", info.name);
      bindings.each_layer([&](const toml::table& layer) {
        look_for(jog, base, layer, "jog", info.name);
        look_for(step, base, layer, "step", info.name);
      });
    }
  if (!jog && !step)
    throw std::runtime_error(
        fmt::format("{}: no control of it jogs or steps an axis, so nothing could move {}", rig.path, info.name));
  for (Part& part : parts) {
    for (const char* gone : {"group", "pose"}) part.root.erase(gone);
    for (Bindings& bindings : bindings_of(part.root)) bindings.keep_what_is_still();
    toml::table* own = part.root["axis"][info.name].as_table();
    if (own == nullptr) continue;
    for (const char* key : {"decel", "jerk", "max_stop", "increment"}) own->erase(key);
    const AxisSetup& setup = rig.setup.axes[index(axis)];
    const auto* servo = std::get_if<ServoMap>(&setup.drive);
    if (servo != nullptr && allowed)
      widen_servo(*own, *servo, *allowed);
    else
      slow_down(*own, setup.limits.full(), info.unit);
  }
  if (jog) bind_mover(jog, "jog", info.name);
  if (step && !info.motor && step.control != jog.control) bind_mover(step, "step", info.name);
  for (const Part& part : parts) part.source->text = text_of(part.root);
  Rig alone = parse_rig(sources);
  alone.title = fmt::format("{} alone, slowly", info.name);
  park_the_others(alone, info.name);
  return alone;
}

// ---- Its text with other numbers ----

namespace {

/// Where a line and a column, counted in characters, are in a text.
std::size_t offset_of(const std::string& text, const Origin& at) {
  std::size_t offset = 0;
  for (int line = 1; line < at.line; ++line) offset = text.find('\n', offset) + 1;
  const auto goes_on = [&](std::size_t i) {
    return i < text.size() && (static_cast<unsigned char>(text[i]) & 0xc0) == 0x80;
  };
  for (int column = 1; column < at.column; ++column)
    for (++offset; goes_on(offset);) ++offset;
  return offset;
}

std::size_t end_of_value(const std::string& text, std::size_t begin) {
  const char opens = text[begin], closes = opens == '[' ? ']' : opens == '{' ? '}' : '\0';
  if (closes == '\0') return std::min(text.find_first_of(" \t\r\n,}]#", begin), text.size());
  int depth = 0;
  for (std::size_t i = begin; i < text.size(); ++i) {
    if (text[i] == '#') i = std::min(text.find('\n', i), text.size() - 1);
    depth += text[i] == opens ? 1 : text[i] == closes ? -1 : 0;
    if (depth == 0) return i + 1;
  }
  return text.size();
}

class Editor {
 public:
  Editor(const Rig& rig, AxisId axis) : rig_(rig), prefix_("axis." + rig.axes[index(axis)].name) {
    edit_.path = rig.axes[index(axis)].origin.file;
    for (const RigSource& source : rig.sources)
      if (source.path == edit_.path) edit_.text = source.text;
  }

  /// Of the axis's own keys, "servo.pulse_us".
  bool has(const std::string& key) const { return origin(key) != nullptr; }
  void set(const std::string& key, const std::string& value) {
    const std::size_t begin = offset_of(edit_.text, *origin(key)), end = end_of_value(edit_.text, begin);
    const std::string was = edit_.text.substr(begin, end - begin);
    if (was == value) return;
    changes_.push_back({begin, end, value});
    say(fmt::format("{}.{} was {}, is {}", prefix_, key, was, value));
  }
  /// `key` where it is there; otherwise in the same table as `other`, which is.
  void set_beside(const std::string& other, const std::string& key, const std::string& value) {
    if (has(key)) return set(key, value);
    const std::size_t end = end_of_value(edit_.text, offset_of(edit_.text, *origin(other)));
    const std::size_t dot = other.rfind('.');
    const Origin* holder = dot == std::string::npos ? nullptr : origin(other.substr(0, dot));
    const bool in_line = holder != nullptr && edit_.text[offset_of(edit_.text, *holder)] == '{';
    const std::string name = key.substr(key.rfind('.') + 1);
    // A line of its own goes behind what the line before says of its value.
    const std::size_t at = in_line ? end : std::min(edit_.text.find('\n', end), edit_.text.size());
    changes_.push_back({at, at, fmt::format("{}{} = {}", in_line ? ", " : "\n", name, value)});
    say(fmt::format("{}.{} is {}", prefix_, key, value));
  }
  void say(std::string words) { edit_.says.push_back(std::move(words)); }

  RigEdit take() {
    // From the end, so that the places of the earlier ones hold.
    std::ranges::stable_sort(changes_, std::ranges::greater{}, &Change::begin);
    for (const Change& one : changes_) edit_.text.replace(one.begin, one.end - one.begin, one.text);
    return std::move(edit_);
  }

 private:
  struct Change {
    std::size_t begin, end;
    std::string text;
  };
  const Origin* origin(const std::string& key) const {
    const auto at = rig_.origins.find(prefix_ + "." + key);
    return at == rig_.origins.end() ? nullptr : &at->second;
  }

  const Rig& rig_;
  std::string prefix_;
  std::vector<Change> changes_;
  RigEdit edit_;
};

/// Errors: RigError where the rig would be wrong; std::runtime_error where it does not say what was meant.
template <class Holds>
RigEdit checked(const Rig& rig, AxisId axis, RigEdit edit, Holds holds) {
  std::vector<RigSource> sources = rig.sources;
  for (RigSource& source : sources)
    if (source.path == edit.path) source.text = edit.text;
  if (!holds(parse_rig(sources), axis))
    throw std::runtime_error(fmt::format("{}: axis {} is written in a way that this cannot change; change it by hand",
                                         edit.path, rig.axes[index(axis)].name));
  return edit;
}

const char* flag(bool is) { return is ? "true" : "false"; }

}  // namespace

RigEdit with_servo(const Rig& rig, AxisId axis, const Taught& taught) {
  const auto* servo = std::get_if<ServoMap>(&rig.setup.axes[index(axis)].drive);
  if (servo == nullptr) throw std::runtime_error(fmt::format("axis {} is no servo", rig.axes[index(axis)].name));
  Editor editor(rig, axis);
  int at_low = (servo->reversed() ? servo->high_us() : servo->low_us()) + servo->trim_us();
  int at_high = (servo->reversed() ? servo->low_us() : servo->high_us()) + servo->trim_us();
  int trim = servo->trim_us();
  if (taught.low_us || taught.high_us) {
    at_low = taught.low_us.value_or(at_low);
    at_high = taught.high_us.value_or(at_high);
    trim = 0;
    if (std::abs(at_low - at_high) < least_between_us)
      throw std::runtime_error(fmt::format("low is {} µs and high {} µs: they have to be {} µs apart at least", at_low,
                                           at_high, least_between_us));
    const auto [least, most] = std::minmax(at_low, at_high);
    editor.set("servo.pulse_us", fmt::format("[{}, {}]", least, most));
    if (editor.has("servo.trim_us")) editor.set("servo.trim_us", "0");
    const bool reversed = at_low > at_high;
    if (reversed != servo->reversed()) editor.set_beside("servo.pulse_us", "servo.reversed", flag(reversed));
    const double middle = (at_low + at_high) / 2.0;
    if (taught.centre_us && std::abs(*taught.centre_us - middle) >= 1)
      editor.say(
          fmt::format("the centre that was kept, {} µs, is {:+g} µs off the middle of low and high; so far off is "
                      "what lies between them",
                      *taught.centre_us, *taught.centre_us - middle));
  } else if (taught.centre_us) {
    trim = *taught.centre_us - (servo->low_us() + servo->high_us()) / 2;
    if (trim != servo->trim_us()) editor.set_beside("servo.pulse_us", "servo.trim_us", std::to_string(trim));
  }
  const int least = std::min(at_low, at_high), most = std::max(at_low, at_high);
  return checked(rig, axis, editor.take(), [&](const Rig& now, AxisId which) {
    const auto& made = std::get<ServoMap>(now.setup.axes[index(which)].drive);
    const bool ends = trim != 0 || (made.low_us() == least && made.high_us() == most);
    return ends && made.trim_us() == trim && made.reversed() == (at_low > at_high);
  });
}

RigEdit with_other_way(const Rig& rig, AxisId axis) {
  const AxisSetup& setup = rig.setup.axes[index(axis)];
  Editor editor(rig, axis);
  if (const auto* servo = std::get_if<ServoMap>(&setup.drive)) {
    const bool wanted = !servo->reversed();
    editor.set_beside("servo.pulse_us", "servo.reversed", flag(wanted));
    return checked(rig, axis, editor.take(), [&](const Rig& now, AxisId which) {
      return std::get<ServoMap>(now.setup.axes[index(which)].drive).reversed() == wanted;
    });
  }
  if (const auto* motor = std::get_if<MotorMap>(&setup.drive)) {
    const bool wanted = !motor->reversed;
    if (editor.has("motor.reversed"))
      editor.set("motor.reversed", flag(wanted));
    else if (editor.has("motor.dead_band") || editor.has("motor.rest_ms"))
      editor.set_beside(editor.has("motor.dead_band") ? "motor.dead_band" : "motor.rest_ms", "motor.reversed",
                        flag(wanted));
    else
      editor.set_beside("unit", "motor", fmt::format("{{ reversed = {} }}", flag(wanted)));
    return checked(rig, axis, editor.take(), [&](const Rig& now, AxisId which) {
      return std::get<MotorMap>(now.setup.axes[index(which)].drive).reversed == wanted;
    });
  }
  const LinkInfo& link = rig.links[index(setup.wiring.link)];
  if (!editor.has("steps"))
    throw std::runtime_error(
        fmt::format("axis {} is turned round at its far end; the rig cannot say that", rig.axes[index(axis)].name));
  const ChannelInfo& channel = link.axis_channels[setup.wiring.channel];
  editor.set("steps", fmt::format("[{:g}, {:g}]", -channel.steps, channel.per));
  return checked(rig, axis, editor.take(), [&](const Rig& now, AxisId which) {
    const Wiring& wiring = now.setup.axes[index(which)].wiring;
    return now.links[index(wiring.link)].axis_channels[wiring.channel].steps == -channel.steps;
  });
}

}  // namespace gyrax
