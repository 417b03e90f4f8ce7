// Handsets and their controls: ends, directions, dead zones; and the slots that bindings ask for.
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

constexpr double stick_dead_zone = 0.10, other_dead_zone = 0.05;
constexpr Allowed raw{-Calibration::greatest_raw, Calibration::greatest_raw, false, ""};

ControlKind kind_of(ControlShape shape) {
  return shape == ControlShape::centred     ? ControlKind::centred
         : shape == ControlShape::one_sided ? ControlKind::one_sided
         : shape == ControlShape::counts    ? ControlKind::counts
                                            : ControlKind::key;
}

bool is_device_id(const std::string& id) {
  const auto hex = [](char c) { return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'f'); };
  return id.size() == 9 && id[4] == ':' && std::all_of(id.begin(), id.begin() + 4, hex) && std::all_of(id.begin() + 5, id.end(), hex);
}

}  // namespace

void RigBuilder::read_handsets(Table& root) {
  for (auto& [name, table] : root.tables("handset")) {
    if (!add_name(table, handset_names_, name, "handset")) continue;
    read_handset(table, name);
    table.refuse_the_rest();
  }
}

void RigBuilder::read_handset(Table& table, const std::string& name) {
  HandsetSetup handset;
  const HandsetId id{static_cast<std::uint16_t>(rig_.handsets.size())};
  const std::string reports = table.choice("reports", {"on change", "steadily"}).value_or("on change");
  const auto silence = table.number("silence_ms", {0, 60'000, true, "ms"});
  if (reports == "steadily") {
    handset.longest_silence = from_seconds(silence.value_or(100) / 1e3);
  } else if (silence) {
    table.problem(Code::bad_choice, "silence_ms", "a handset that reports on change may be silent for any time",
                  "leave it out, or reports = \"steadily\"");
  }
  handset.oldest_reading = from_seconds(table.number("oldest_ms", {0, 60'000, true, "ms"}, 100) / 1e3);
  if (auto controls = table.table("control")) {
    for (const std::string& control : controls->keys()) read_control(*controls, id, control);
  }
  SeatWish seat;
  seat.handset = name;
  seat.signs = table.flag("signs").value_or(true);
  if (auto device = table.table("device")) {
    seat.id = device->text("id").value_or("");
    seat.name = device->text("name").value_or("");
    seat.unique = device->text("unique").value_or("");
    seat.port = device->text("port").value_or("");
    if (!seat.names_a_device()) device->missing("id", "an id, a name, a unique id or a port, as `gyrax handsets` tells them");
    if (!seat.id.empty() && !is_device_id(seat.id))
      device->problem(Code::wrong_type, "id", fmt::format("'{}' is no vendor and product", seat.id),
                      "such as \"1209:0001\", in small letters");
    device->refuse_the_rest();
  }
  rig_.seats.push_back(std::move(seat));
  rig_.setup.handsets.push_back(handset);
  rig_.handsets.push_back(name);
}

void RigBuilder::read_control(Table& controls, HandsetId handset, const std::string& name) {
  auto table = controls.table(name.c_str());
  if (!table) return;
  ControlWish wish;
  if (const auto dead = table->number("dead_zone", {0, 90, false, "%"})) wish.dead_zone = *dead / 100;
  const bool is_stick = stick(name).has_value();
  const ControlName* control = find_control(name);
  if (!is_stick && control == nullptr) {
    table->problem(Code::unknown_control, "", fmt::format("there is no control '{}'", name),
                   "controls are named by where they sit, such as stick.left.x, in quotes here", nearest_control(name));
    return;
  }
  const bool turns = !is_stick && control->shape == ControlShape::counts;
  if (turns && !wish.dead_zone) {
    wish.reversed = table->flag("reversed");
    table->refuse_the_rest();
    wishes_[{index(handset), name}] = wish;
    return;
  }
  if (!is_stick && (control->shape == ControlShape::key || turns)) {
    table->problem(Code::wrong_control, "", fmt::format("'{}' has no ends and no dead zone", name), "leave it out");
    return;
  }
  if (!is_stick) {
    wish.reversed = table->flag("reversed");
    const auto low = table->whole("minimum", raw), centre = table->whole("centre", raw), high = table->whole("maximum", raw);
    const bool centred = control->shape == ControlShape::centred;
    if (low || centre || high) {
      wish.ends = Calibration::make(kind_of(control->shape), static_cast<std::int32_t>(low.value_or(0)),
                                    static_cast<std::int32_t>(centre.value_or(0)), static_cast<std::int32_t>(high.value_or(0)),
                                    wish.reversed.value_or(control->reversed));
      if (!low || !high || centre.has_value() != centred || !wish.ends)
        table->problem(Code::calibration, "", "minimum, centre and maximum do not go together",
                       centred ? "all three, minimum < centre < maximum" : "minimum < maximum, and no centre");
    }
  }
  table->refuse_the_rest();
  wishes_[{index(handset), name}] = wish;
}

SlotId RigBuilder::slot(HandsetId handset, const ControlName& control) {
  for (std::size_t row = 0; row < rig_.setup.controls.size(); ++row) {
    const ControlSetup& one = rig_.setup.controls[row];
    if (one.handset == handset && one.control == control.id) return SlotId{static_cast<std::uint16_t>(row)};
  }
  const auto find = [&](const std::string& name) -> const ControlWish* {
    const auto at = wishes_.find({index(handset), name});
    return at == wishes_.end() ? nullptr : &at->second;
  };
  const ControlWish* own = find(control.name);
  ControlSetup setup;
  setup.handset = handset;
  setup.control = control.id;
  const ControlKind kind = kind_of(control.shape);
  ControlName turned = control;
  if (own != nullptr) turned.reversed = own->reversed.value_or(control.reversed);
  setup.calibration = own != nullptr && own->ends ? *own->ends : usual_calibration(turned);
  if (own != nullptr && own->dead_zone) {
    setup.dead_zone = *own->dead_zone;
  } else if (kind == ControlKind::centred || kind == ControlKind::one_sided) {
    setup.dead_zone = other_dead_zone;
  }
  const SlotId id{static_cast<std::uint16_t>(rig_.setup.controls.size())};
  rig_.setup.controls.push_back(setup);
  rig_.slots.push_back({control.name, own != nullptr && own->ends.has_value()});

  const std::string stick_name = stick_of(control.id);
  if (stick_name.empty()) return id;
  const StickControls pair = *stick(stick_name);
  const ControlId other = pair.x == control.id ? pair.y : pair.x;
  const ControlWish* others = find(control_name(other));
  const bool apart = (own != nullptr && own->dead_zone) || (others != nullptr && others->dead_zone);
  if (apart) return id;
  // The dead zone of a stick is round, so its other half is read too, bound or not.
  const ControlWish* both = find(stick_name);
  const double edge = both != nullptr && both->dead_zone ? *both->dead_zone : stick_dead_zone;
  rig_.setup.controls[index(id)].dead_zone = edge;
  const SlotId partner = slot(handset, *find_control(control_name(other)));
  rig_.setup.controls[index(id)].partner = partner;
  rig_.setup.controls[index(id)].is_second_of_pair = pair.y == control.id;
  return id;
}

}  // namespace gyrax
