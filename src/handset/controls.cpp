#include <gyrax/files/problem.hpp>
#include <gyrax/handset/controls.hpp>

#include <fmt/format.h>
#include <libevdev/libevdev.h>
#include <linux/input-event-codes.h>

#include <algorithm>
#include <unordered_map>

namespace gyrax {
namespace {

struct Row {
  const char* name;
  ControlKind kind;
  std::uint16_t type, code;
  int hat_side = 0;
  bool reversed = false;
};

constexpr auto key = ControlKind::key;
constexpr auto centred = ControlKind::centred;
constexpr auto one_sided = ControlKind::one_sided;
constexpr auto counts = ControlKind::counts;

/// No type of the kernel's: a tilt sensor sends its accelerations with the codes of a stick.
constexpr std::uint16_t acceleration = EV_CNT;
constexpr std::uint16_t accelerations = 3;

const Row rows[] = {
    {"stick.left.x", centred, EV_ABS, ABS_X},
    {"stick.left.y", centred, EV_ABS, ABS_Y, 0, true},
    {"stick.right.x", centred, EV_ABS, ABS_RX},
    {"stick.right.y", centred, EV_ABS, ABS_RY, 0, true},
    {"trigger.left", one_sided, EV_ABS, ABS_Z},
    {"trigger.right", one_sided, EV_ABS, ABS_RZ},
    {"throttle", one_sided, EV_ABS, ABS_THROTTLE},
    {"rudder", centred, EV_ABS, ABS_RUDDER},
    {"pedal.left", one_sided, EV_ABS, ABS_BRAKE},
    {"pedal.right", one_sided, EV_ABS, ABS_GAS},
    {"wheel", centred, EV_ABS, ABS_WHEEL},
    {"tilt.x", centred, EV_ABS, ABS_TILT_X},
    {"tilt.y", centred, EV_ABS, ABS_TILT_Y},
    {"accel.x", centred, acceleration, ABS_X},
    {"accel.y", centred, acceleration, ABS_Y},
    {"accel.z", centred, acceleration, ABS_Z},
    {"hat.left", key, EV_ABS, ABS_HAT0X, -1},
    {"hat.right", key, EV_ABS, ABS_HAT0X, 1},
    {"hat.up", key, EV_ABS, ABS_HAT0Y, -1},
    {"hat.down", key, EV_ABS, ABS_HAT0Y, 1},
    {"hat.left", key, EV_KEY, BTN_DPAD_LEFT},
    {"hat.right", key, EV_KEY, BTN_DPAD_RIGHT},
    {"hat.up", key, EV_KEY, BTN_DPAD_UP},
    {"hat.down", key, EV_KEY, BTN_DPAD_DOWN},
    {"face.south", key, EV_KEY, BTN_SOUTH},
    {"face.east", key, EV_KEY, BTN_EAST},
    {"face.north", key, EV_KEY, BTN_NORTH},
    {"face.west", key, EV_KEY, BTN_WEST},
    {"shoulder.left", key, EV_KEY, BTN_TL},
    {"shoulder.right", key, EV_KEY, BTN_TR},
    {"trigger.left.key", key, EV_KEY, BTN_TL2},
    {"trigger.right.key", key, EV_KEY, BTN_TR2},
    {"menu.left", key, EV_KEY, BTN_SELECT},
    {"menu.right", key, EV_KEY, BTN_START},
    {"menu.centre", key, EV_KEY, BTN_MODE},
    {"thumb.left", key, EV_KEY, BTN_THUMBL},
    {"thumb.right", key, EV_KEY, BTN_THUMBR},
    {"grip.trigger", key, EV_KEY, BTN_TRIGGER},
    {"grip.thumb", key, EV_KEY, BTN_THUMB},
    {"dial.1", counts, EV_REL, REL_DIAL},
    {"dial.2", counts, EV_REL, REL_WHEEL},
    {"dial.3", counts, EV_REL, REL_HWHEEL},
    // The kernel's high-resolution kind: 120 counts for one of the above.
    {"dial.2.fine", counts, EV_REL, REL_WHEEL_HI_RES},
    {"dial.3.fine", counts, EV_REL, REL_HWHEEL_HI_RES},
    {"key.enter", key, EV_KEY, KEY_ENTER},
    {"key.escape", key, EV_KEY, KEY_ESC},
    {"key.space", key, EV_KEY, KEY_SPACE},
    {"key.tab", key, EV_KEY, KEY_TAB},
    {"key.backspace", key, EV_KEY, KEY_BACKSPACE},
    {"key.up", key, EV_KEY, KEY_UP},
    {"key.down", key, EV_KEY, KEY_DOWN},
    {"key.left", key, EV_KEY, KEY_LEFT},
    {"key.right", key, EV_KEY, KEY_RIGHT},
    {"key.page_up", key, EV_KEY, KEY_PAGEUP},
    {"key.page_down", key, EV_KEY, KEY_PAGEDOWN},
    {"key.home", key, EV_KEY, KEY_HOME},
    {"key.end", key, EV_KEY, KEY_END},
    {"key.kp0", key, EV_KEY, KEY_KP0},
    {"key.kp1", key, EV_KEY, KEY_KP1},
    {"key.kp2", key, EV_KEY, KEY_KP2},
    {"key.kp3", key, EV_KEY, KEY_KP3},
    {"key.kp4", key, EV_KEY, KEY_KP4},
    {"key.kp5", key, EV_KEY, KEY_KP5},
    {"key.kp6", key, EV_KEY, KEY_KP6},
    {"key.kp7", key, EV_KEY, KEY_KP7},
    {"key.kp8", key, EV_KEY, KEY_KP8},
    {"key.kp9", key, EV_KEY, KEY_KP9},
    {"key.kp_plus", key, EV_KEY, KEY_KPPLUS},
    {"key.kp_minus", key, EV_KEY, KEY_KPMINUS},
    {"key.kp_times", key, EV_KEY, KEY_KPASTERISK},
    {"key.kp_divide", key, EV_KEY, KEY_KPSLASH},
    {"key.kp_point", key, EV_KEY, KEY_KPDOT},
    {"key.kp_enter", key, EV_KEY, KEY_KPENTER},
};

std::uint64_t code_key(std::uint16_t type, std::uint16_t code, int side) {
  return std::uint64_t{type} << 32 | std::uint64_t{code} << 8 | static_cast<std::uint64_t>(side + 1);
}

class Table {
 public:
  Table() {
    for (const Row& row : rows) add({row.name, row.kind, row.type, row.code, row.hat_side, row.reversed, {}});
    add_run("key.f{}", 1, 10, KEY_F1);
    add_run("key.{}", 1, 9, KEY_1);
    add_run("button.{}", 0, 9, BTN_0);
    add_run("paddle.{}", 1, 16, BTN_TRIGGER_HAPPY1);
    // Knobs on a converter: no code says more than that it is an axis.
    for (int i = 0; i < 7; ++i)
      add({fmt::format("knob.{}", i + 1), one_sided, EV_ABS, static_cast<std::uint16_t>(ABS_MISC + i), 0, false, {}});
  }
  void add(ControlName control) {
    // A second row of the same name is a second code for the same control.
    const auto [at, fresh] = by_name_.try_emplace(control.name, controls_.size());
    by_code_[code_key(control.type, control.code, control.hat_side)] = at->second;
    if (!fresh) return;
    control.id = id_at<ControlId>(controls_.size());
    controls_.push_back(std::move(control));
  }
  void add_run(const char* pattern, int from, int to, int code) {
    for (int i = from; i <= to; ++i, ++code)
      add({fmt::format(fmt::runtime(pattern), i), key, EV_KEY, static_cast<std::uint16_t>(code), 0, false, {}});
  }

  std::vector<ControlName> controls_;
  std::unordered_map<std::string, std::size_t> by_name_;
  std::unordered_map<std::uint64_t, std::size_t> by_code_;
};

const Table& table() {
  static const Table made;
  return made;
}

}  // namespace

std::span<const ControlName> all_controls() { return table().controls_; }

const ControlName* find_control(const std::string& name) {
  const auto at = table().by_name_.find(name);
  return at == table().by_name_.end() ? nullptr : &table().controls_[at->second];
}

const ControlName* find_control(std::uint16_t type, std::uint16_t code, int hat_side) {
  const auto at = table().by_code_.find(code_key(type, code, hat_side));
  return at == table().by_code_.end() ? nullptr : &table().controls_[at->second];
}

const ControlName* control_on(const Device& device, std::uint16_t type, std::uint16_t code, int hat_side) {
  if (const auto own = device.named.find({type, code}); own != device.named.end())
    return hat_side == 0 ? find_control(own->second) : nullptr;
  const bool accelerates = type == EV_ABS && code < accelerations && kind_of(device) == DeviceKind::tilt;
  return find_control(accelerates ? acceleration : type, code, hat_side);
}

std::optional<std::pair<std::uint16_t, std::uint16_t>> code_named(const std::string& name) {
  for (const auto& [prefix, type] : {std::pair{"ABS_", EV_ABS}, {"BTN_", EV_KEY}, {"KEY_", EV_KEY}, {"REL_", EV_REL}})
    if (name.starts_with(prefix)) {
      const int code = libevdev_event_code_from_name(static_cast<unsigned>(type), name.c_str());
      if (code >= 0) return std::pair{static_cast<std::uint16_t>(type), static_cast<std::uint16_t>(code)};
    }
  return std::nullopt;
}

const std::string& control_name(ControlId control) { return table().controls_.at(index(control)).name; }

std::optional<StickControls> stick(const std::string& name) {
  const ControlName* x = find_control(name + ".x");
  const ControlName* y = find_control(name + ".y");
  if (!name.starts_with("stick.") || x == nullptr || y == nullptr) return std::nullopt;
  return StickControls{x->id, y->id};
}

std::string stick_of(ControlId control) {
  const std::string& name = control_name(control);
  return name.starts_with("stick.") ? name.substr(0, name.size() - 2) : std::string{};
}

std::string nearest_control(const std::string& typed) {
  // The kernel's own name of it.
  if (const auto code = code_named(typed))
    if (const ControlName* control = find_control(code->first, code->second)) return control->name;
  std::vector<std::string> names;
  for (const ControlName& control : all_controls()) names.push_back(control.name);
  return nearest(typed, names);
}

const AbsoluteRange* range_of(const Device& device, ControlId control) {
  for (const auto& [code, range] : device.absolute)
    if (const ControlName* name = control_on(device, EV_ABS, code); name != nullptr && name->id == control)
      return &range;
  return nullptr;
}

std::vector<ControlId> controls_of(const Device& device) {
  std::vector<ControlId> all;
  const auto add = [&](const ControlName* control) {
    if (control != nullptr) all.push_back(control->id);
  };
  for (const std::uint16_t code : device.keys) add(control_on(device, EV_KEY, code));
  for (const std::uint16_t code : device.relative) add(control_on(device, EV_REL, code));
  for (const auto& [code, range] : device.absolute)
    for (const int side : {-1, 0, 1}) add(control_on(device, EV_ABS, code, side));
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end()), all.end());
  return all;
}

std::optional<Calibration> fitted(const Calibration& old, const AbsoluteRange& range) {
  const auto centre = static_cast<std::int32_t>((std::int64_t{range.minimum} + range.maximum + 1) / 2);
  return Calibration::make(old.kind(), range.minimum, centre, range.maximum, old.reversed());
}

std::optional<AbsoluteRange> ends_of(const Device& device, ControlId control) {
  const AbsoluteRange* range = range_of(device, control);
  if (range == nullptr) return std::nullopt;
  const bool accelerates = all_controls()[index(control)].type == acceleration && range->resolution > 0;
  return accelerates ? AbsoluteRange{-range->resolution, range->resolution, 0, 0, 0} : *range;
}

std::string kernel_code(const ControlName& control) {
  const char* name = libevdev_event_code_get_name(control.type == acceleration ? EV_ABS : control.type, control.code);
  return name != nullptr ? name : fmt::format("{:#04x} {:#05x}", control.type, control.code);
}

}  // namespace gyrax
