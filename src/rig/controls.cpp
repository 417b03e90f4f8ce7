// A handset's controls: ends, directions, shapes; those that are made of others; and the slots that bindings ask for.
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace gyrax {
namespace {

constexpr double stick_dead_zone = 0.10, other_dead_zone = 0.05;
constexpr Allowed raw{-Calibration::max_raw, Calibration::max_raw, false, ""};

bool is_made_name(const std::string& name) {
  const auto good = [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '_' || c == '.'; };
  return !name.empty() && name.size() <= 40 && std::all_of(name.begin(), name.end(), good);
}

void read_list(Table& table, const char* key, VirtualWish& made) { made.parts = table.texts(key); }
void read_speed(Table& table, const char* key, VirtualWish& made) {
  made.parts = {table.text(key).value_or(""), table.text("turn").value_or("")};
  if (!table.has("turn")) table.missing("turn", "the control that turns");
}
void read_tilt(Table& table, const char* key, VirtualWish& made) {
  made.parts = table.texts(key);
  made.range = table.number("full_deg", {1, 90, false, "deg"}, 45) * std::numbers::pi / 180;
}
void read_key(Table& table, const char* key, VirtualWish& made) {
  made.parts = {table.text(key).value_or("")};
  const double beyond = table.required_number("beyond", {-100, 100, false, "%"}).value_or(60) / 100;
  made.lower = beyond < 0;
  made.press = std::abs(beyond);
  made.release = std::abs(table.number("back", {-100, 100, false, "%"}, (made.lower ? -75 : 75) * made.press) / 100);
  if (!(made.press > 0) || !(made.release > 0) || made.release > made.press)
    table.problem(Code::out_of_range, "back", "the key would not come up again where it went down",
                  "nearer to rest than 'beyond', on the same side, and neither 0");
}

/// A way in which the rig makes a control of others: how it is read, and what comes of it.
struct Way {
  struct Made {
    const char* ending;  // behind the name
    VirtualControl::How how;
  };
  const char* key;
  std::size_t parts;
  void (*read)(Table& table, const char* key, VirtualWish& made);
  std::vector<Made> makes;
};
using How = VirtualControl::How;
const std::vector<Way> ways{{"difference", 2, read_list, {{"", How::difference}}},
                            {"mean", 2, read_list, {{"", How::mean}}},
                            {"greater", 2, read_list, {{"", How::greater}}},
                            {"speed", 2, read_speed, {{".left", How::drive_left}, {".right", How::drive_right}}},
                            {"tilt", 3, read_tilt, {{".x", How::tilt_x}, {".y", How::tilt_y}}},
                            {"key", 1, read_key, {{"", How::key}}}};

/// What a virtual control can be made of. Of one-sided parts some ways make something one-sided.
void check_parts(Table& table, const char* key, std::size_t needed, VirtualWish& made) {
  if (made.parts.size() != needed)
    table.problem(Code::wrong_type, key, fmt::format("{} controls are wanted", needed),
                  "as [\"trigger.right\", \"trigger.left\"]");
  made.one_sided = made.how == How::mean || made.how == How::greater;
  for (const std::string& part : made.parts) {
    const ControlName* control = find_control(part);
    if (control == nullptr) {
      table.problem(Code::unknown_control, key, fmt::format("there is no control '{}'", part),
                    "a control of the handset itself, such as stick.left.x", nearest_control(part));
    } else if (control->kind == ControlKind::counts || (control->kind == ControlKind::key && made.how == How::key)) {
      table.problem(Code::wrong_control, key, fmt::format("'{}' has no place between two ends", part),
                    "a stick's axis, a trigger, a throttle");
    }
    made.one_sided = made.one_sided && control != nullptr && control->kind == ControlKind::one_sided;
  }
}

}  // namespace

void RigBuilder::read_control(Table& controls, HandsetId handset, const std::string& name) {
  auto table = controls.table(name.c_str());
  if (!table) return;
  ControlWish& wish = wishes_[{index(handset), name}];
  const bool is_stick = stick(name).has_value();
  const ControlName* control = find_control(name);
  if (!is_stick && control == nullptr) {
    table->problem(Code::unknown_control, "", fmt::format("there is no control '{}'", name),
                   "controls are named by where they sit, such as stick.left.x, in quotes here", nearest_control(name));
    return;
  }
  const ControlKind kind = is_stick ? ControlKind::centred : control->kind;
  if (kind == ControlKind::counts) {
    wish.reversed = table->flag("reversed");
    read_shape(*table, Shaped::counts, wish);
  } else if (kind == ControlKind::key) {
    read_shape(*table, Shaped::key, wish);
    if (!table->is_table("dead_zone") && table->has("dead_zone") && !table->is_text("dead_zone"))
      table->problem(Code::wrong_control, "dead_zone", fmt::format("'{}' has no ends and no dead zone", name),
                     "debounce_ms, or leave it out");
  } else {
    read_shape(*table, is_stick ? Shaped::stick : Shaped::deflection, wish);
    if (!is_stick) read_ends(*table, wish, *control);
  }
  table->refuse_the_rest();
}

void RigBuilder::read_ends(Table& table, ControlWish& wish, const ControlName& control) {
  wish.reversed = table.flag("reversed");
  const auto low = table.whole("minimum", raw), centre = table.whole("centre", raw), high = table.whole("maximum", raw);
  const bool centred = control.kind == ControlKind::centred;
  if (!low && !centre && !high) return;
  wish.ends = Calibration::make(control.kind, static_cast<std::int32_t>(low.value_or(0)),
                                static_cast<std::int32_t>(centre.value_or(0)),
                                static_cast<std::int32_t>(high.value_or(0)), wish.reversed.value_or(control.reversed));
  if (!low || !high || centre.has_value() != centred || !wish.ends)
    table.problem(Code::calibration, "", "minimum, centre and maximum do not go together",
                  centred ? "all three, minimum < centre < maximum" : "minimum < maximum, and no centre");
}

/// [handset.pad.make] "lever" = { difference = ["trigger.right", "trigger.left"] } and the like.
void RigBuilder::read_virtual(Table& virtual_control, HandsetId handset, const std::string& name) {
  auto table = virtual_control.table(name.c_str());
  if (!table) return;
  if (!is_made_name(name) || find_control(name) != nullptr || stick(name)) {
    table->problem(Code::bad_name, "", fmt::format("'{}' cannot be the name of a virtual control", name),
                   "a to z, 0 to 9, _ and ., at most 40, and no control's own name");
    return;
  }
  std::vector<const Way*> given;
  for (const Way& way : ways)
    if (table->has(way.key)) given.push_back(&way);
  if (given.size() != 1) {
    for (const Way& way : ways) table->is_text(way.key);
    table->problem(Code::one_effect, "", given.empty() ? "it is made of nothing" : "it is made in more than one way",
                   "exactly one of difference, mean, greater, speed (with turn), tilt, key");
    return;
  }
  const Way& way = *given.front();
  VirtualWish made;
  made.how = way.makes.front().how;
  way.read(*table, way.key, made);
  check_parts(*table, way.key, way.parts, made);
  if (made.how != VirtualControl::How::key) read_shape(*table, Shaped::deflection, made.shape);
  table->refuse_the_rest();
  // Two at once: the motors of both sides, the tilt both ways.
  for (const Way::Made& one : way.makes) {
    made.how = one.how;
    if (!virtuals_.try_emplace({index(handset), name + one.ending}, made).second)
      table->problem(Code::duplicate_name, "", fmt::format("'{}' is made twice", name + one.ending), "another name");
  }
}

const ControlWish* RigBuilder::wish_for(HandsetId handset, const std::string& name) const {
  const auto at = wishes_.find({index(handset), name});
  return at == wishes_.end() ? nullptr : &at->second;
}

/// What the rig says of a shape, otherwise what was measured, otherwise the usual.
void RigBuilder::give_shape(ControlSetup& setup, const ControlWish* wish, double usual_dead_zone) const {
  if (wish == nullptr) {
    setup.shape.zone.inner = usual_dead_zone;
    return;
  }
  ControlSetup made = wish->said;
  made.handset = setup.handset;
  made.control = setup.control;
  made.calibration = setup.calibration;
  made.virtual_control = setup.virtual_control;
  made.trembles = setup.trembles;
  const bool as_measured = wish->measured && !wish->dead_zone;
  Zone& zone = made.shape.zone;
  zone.inner = wish->dead_zone.value_or(as_measured ? wish->measured->dead_zone : usual_dead_zone);
  if (as_measured && !(zone.hysteresis > 0)) zone.hysteresis = wish->measured->hysteresis;
  zone.hysteresis = std::min(zone.hysteresis, zone.inner);
  if (made.debounce == Span{} && wish->measured) made.debounce = from_seconds(wish->measured->debounce_s);
  setup = made;
}

SlotId RigBuilder::add_slot(const ControlSetup& setup, const std::string& name, bool own_ends) {
  rig_.setup.controls.push_back(setup);
  rig_.slots.push_back({name, own_ends});
  return id_at<SlotId>(rig_.setup.controls.size() - 1);
}

/// The slot of a control that the rig makes of others.
SlotId RigBuilder::virtual_slot(HandsetId handset, const std::string& name, const VirtualWish& made) {
  for (std::size_t row = 0; row < rig_.setup.controls.size(); ++row)
    if (rig_.setup.controls[row].handset == handset && rig_.slots[row].name == name) return id_at<SlotId>(row);
  ControlSetup setup;
  setup.handset = handset;
  setup.control = no<ControlId>;
  setup.virtual_control.how = made.how;
  setup.virtual_control.range = made.range;
  setup.virtual_control.lower = made.lower;
  setup.virtual_control.press = made.press;
  setup.virtual_control.release = made.release;
  // Its parts come before it.
  for (std::size_t i = 0; i < made.parts.size() && i < setup.virtual_control.parts.size(); ++i)
    if (const ControlName* part = find_control(made.parts[i])) setup.virtual_control.parts[i] = slot(handset, *part);
  if (made.how != VirtualControl::How::key) {
    setup.calibration = made.one_sided ? *Calibration::make(ControlKind::one_sided, 0, 0, 1, false)
                                       : *Calibration::make(ControlKind::centred, -1, 0, 1, false);
    // What it is made of has a dead zone already, but for gravity.
    const bool tilts = made.how == VirtualControl::How::tilt_x || made.how == VirtualControl::How::tilt_y;
    give_shape(setup, &made.shape, tilts ? stick_dead_zone : 0);
  }
  return add_slot(setup, name, true);
}

SlotId RigBuilder::slot(HandsetId handset, const ControlName& control) {
  for (std::size_t row = 0; row < rig_.setup.controls.size(); ++row) {
    const ControlSetup& one = rig_.setup.controls[row];
    if (one.handset == handset && one.control == control.id) return id_at<SlotId>(row);
  }
  const ControlWish* own = wish_for(handset, control.name);
  ControlSetup setup;
  setup.handset = handset;
  setup.control = control.id;
  const ControlKind kind = control.kind;
  ControlName turned = control;
  if (own != nullptr && own->measured) turned.reversed = own->measured->reversed;
  if (own != nullptr && own->reversed) turned.reversed = *own->reversed;
  setup.calibration = usual_calibration(turned);
  bool own_ends = own != nullptr && own->ends.has_value();
  if (own_ends) {
    setup.calibration = *own->ends;
  } else if (own != nullptr && own->measured && kind != ControlKind::key && kind != ControlKind::counts) {
    const MeasuredControl& m = *own->measured;
    setup.calibration =
        Calibration::make(kind, m.minimum, m.centre, m.maximum, turned.reversed).value_or(setup.calibration);
    own_ends = true;
    setup.trembles = m.trembles;
  }
  give_shape(setup, own, kind == ControlKind::centred || kind == ControlKind::one_sided ? other_dead_zone : 0);
  const SlotId id = add_slot(setup, control.name, own_ends);

  const std::string stick_name = stick_of(control.id);
  if (stick_name.empty()) return id;
  const StickControls pair = *stick(stick_name);
  const ControlId other = pair.x == control.id ? pair.y : pair.x;
  const ControlWish* others = wish_for(handset, control_name(other));
  const bool apart = (own != nullptr && own->dead_zone) || (others != nullptr && others->dead_zone);
  if (apart) return id;
  // The dead zone of a stick is round, so its other half is read too, bound or not.
  ControlWish both;
  if (const ControlWish* wish = wish_for(handset, stick_name)) both = *wish;
  if (!both.dead_zone && own != nullptr && own->measured && others != nullptr && others->measured) {
    both.said.shape.zone.hysteresis = std::max(own->measured->hysteresis, others->measured->hysteresis);
    both.dead_zone = round_dead_zone(*own->measured, *others->measured);
  }
  give_shape(rig_.setup.controls[index(id)], &both, stick_dead_zone);
  const SlotId partner = slot(handset, *find_control(control_name(other)));
  rig_.setup.controls[index(id)].partner = partner;
  rig_.setup.controls[index(id)].is_second_of_pair = pair.y == control.id;
  return id;
}

}  // namespace gyrax
