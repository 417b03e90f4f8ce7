// Homing by Gyrax itself: how it is read, and what `check` says of it.
#include "homing.hpp"

#include "axes.hpp"
#include "builder.hpp"

#include <gyrax/motion/profile.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

/// Where a switch lies a little outside the travel, and the axis may stand at its other end.
constexpr double usual_way = 1.2;
constexpr double usual_share = 0.1, usual_slow_share = 0.1;

/// Its place when it has backed off as far as before its second approach, inside the travel.
double off_the_switch(const HomingSetup& homing, const AxisLimits& limits) {
  return std::clamp(homing.at + (homing.up ? -homing.back_off : homing.back_off), limits.low(), limits.high());
}

}  // namespace

/// `homing = { switch = "x_home", towards = "low", speed = 20, slow = 2, back_off = 3, at = -2, then = 5, way = 500 }`.
void RigBuilder::read_homing(Table& table, AxisSetup& axis, const AxisInfo& info) {
  auto homing = table.table("homing");
  if (!homing) return;
  const auto wrong = [&](const std::string& what, const char* allowed) {
    table.problem(Code::one_effect, "homing", what, allowed);
  };
  if (table.has("homed"))
    wrong("its link says when it is homed, so that its link homes it", "'homed' or 'homing', not both");
  if (!std::holds_alternative<CountedMap>(axis.drive))
    wrong(info.motor ? "a motor has no place to be homed to" : "the pulse of a servo is its place",
          "an axis whose far end counts: neither [axis.NAME.servo] nor a motor");
  if (axis.wiring.link != no<LinkId> && rig_.links[index(axis.wiring.link)].kind == "controller")
    wrong("a controller that takes lines homes its axes itself",
          "an action of its own words, as [action.home] lines = [\"G28\"]");
  bool is_stepper = false;
  if (axis.wiring.link != no<LinkId>) {
    const auto& channels = rig_.links[index(axis.wiring.link)].axis_channels;
    const ChannelInfo* const channel = axis.wiring.channel < channels.size() ? &channels[axis.wiring.channel] : nullptr;
    is_stepper = channel != nullptr && channel->kind == wire::ChannelKind::stepper;
    if (channel != nullptr && channel->lost == wire::Loss::place)
      wrong("its board goes to a place by itself when it hears nothing, and does not know where that is",
            "another 'lost' for what Gyrax homes");
  }
  if (axis.wiring.link != no<LinkId> && rig_.links[index(axis.wiring.link)].kind == "modbus" &&
      axis.position == PositionKind::assumed)
    wrong("its drive does not say where it has counted to, and would leap when Gyrax begins anew",
          "position = \"measured\", with a register for it");
  HomingSetup& h = axis.homing;
  const AxisLimits& limits = axis.limits;
  const std::string& unit = info.unit;
  const Allowed a_place{-max_position, max_position, false, unit.c_str()}, a_way{0, max_position, true, unit.c_str()};
  const auto a_speed = [&](double most) { return Allowed{AxisLimits::min, most, false, unit_words(unit, 1)}; };
  if (const auto word = homing->text("switch")) {
    h.home = named<InputId>(*homing, "switch", input_names_, *word, "input");
    if (h.home != no<InputId> && !rig_.inputs[index(h.home)].unit.empty())
      homing->problem(Code::wrong_type, "switch",
                      fmt::format("'{}' is a number of {}", *word, rig_.inputs[index(h.home)].unit),
                      "a contact: an input without unit");
  } else if (!homing->has("switch")) {
    homing->missing("switch", "the input that is on where the axis is home");
  }
  if (!homing->has("towards")) homing->missing("towards", "\"low\" or \"high\": the way to its switch");
  h.up = homing->choice("towards", {"low", "high"}).value_or("low") == "high";
  h.speed = homing->number("speed", a_speed(limits.speed()), limits.speed() * usual_share);
  h.slow = homing->number("slow", a_speed(h.speed), h.speed * usual_slow_share);
  const double end = h.up ? limits.high() : limits.low();
  h.back_off = homing->number("back_off", a_way, h.slow);
  h.at = info.endless ? homing->required_number("at", a_place).value_or(0) : homing->number("at", a_place, end);
  const Allowed inside{limits.low(), limits.high(), false, unit.c_str()};
  h.then = homing->number("then", inside, off_the_switch(h, limits));
  if (info.endless) {
    h.way = homing->required_number("way", a_way).value_or(1);
  } else {
    const double span = std::max(limits.high(), h.at) - std::min(limits.low(), h.at);
    h.way = homing->number("way", a_way, span * usual_way);
  }
  h.keeps = homing->flag("keeps").value_or(axis.position == PositionKind::measured && !is_stepper);
  homing->refuse_the_rest();
}

/// `homes = ["z", "x", "y"]`: one after the other.
void RigBuilder::read_homes(Table& table, ActionSetup& action, const ActionInfo& info) {
  if (!table.has("homes")) return;
  const auto wrong = [&](const std::string& what, const std::string& allowed) {
    table.problem(Code::bad_choice, "homes", what, allowed);
  };
  if (info.tells()) wrong("what a link carries out is not Gyrax's own homing", "'homes', or what a link is told");
  for (const std::string& word : table.texts("homes")) {
    const AxisId axis = named<AxisId>(table, "homes", names_.axes, word, "axis");
    if (axis == no<AxisId>) continue;
    if (!rig_.setup.axes[index(axis)].homing.any())
      wrong(fmt::format("nothing says how '{}' is homed", word),
            fmt::format("[axis.{}] homing = {{ switch = \"INPUT\", towards = \"low\" }}", word));
    if (rig_.setup.axes[index(axis)].zone != action.zone && action.zone != no<ZoneId>)
      wrong(fmt::format("'{}' belongs to another zone", word), "axes of its zone");
    if (std::ranges::count(action.homes, axis) != 0)
      wrong(fmt::format("'{}' is homed twice", word), "each axis once");
    else
      action.homes.push_back(axis);
  }
  if (action.zone != no<ZoneId> && rig_.setup.zones[index(action.zone)].hold_to_run)
    wrong("its zone is hold to run, and lives only while something else is held", "a zone with enable");
}

void RigBuilder::check_homing() {
  for (std::size_t a = 0; a < rig_.axes.size(); ++a) {
    if (!rig_.setup.axes[a].homing.any()) continue;
    const auto homes = [&](const ActionSetup& action) {
      return std::ranges::count(action.homes, id_at<AxisId>(a)) != 0;
    };
    const AxisInfo& axis = rig_.axes[a];
    if (std::ranges::none_of(rig_.setup.actions, homes))
      problems_.add(Code::missing_key, {axis.origin.file, axis.origin.line, 1},
                    fmt::format("axis.{}.homing", axis.name), fmt::format("nothing homes '{}'", axis.name),
                    fmt::format("[action.home] homes = [\"{}\"]", axis.name));
  }
}

void RigBuilder::remark_homing() {
  for (std::size_t a = 0; a < rig_.axes.size(); ++a) {
    const AxisSetup& axis = rig_.setup.axes[a];
    if (!axis.homing.any()) continue;
    std::vector<std::string> open;
    if (axis.low_end == no<InputId>) open.push_back("low");
    if (axis.high_end == no<InputId>) open.push_back("high");
    rig_.remarks.push_back(fmt::format(
        "axis {}: until it is homed nobody knows where it is, and its travel does not hold{}", rig_.axes[a].name,
        open.empty() ? "" : fmt::format("; no switch stops it at its {} end", fmt::join(open, " or "))));
  }
}

std::vector<std::string> homing_words(const Rig& rig, std::size_t a) {
  const HomingSetup& h = rig.setup.axes[a].homing;
  if (!h.any()) return {};
  const std::string& unit = rig.axes[a].unit;
  const std::string& name = rig.inputs[index(h.home)].name;
  const double past = stop_reach({0, h.speed, 0}, rig.setup.axes[a].limits.full()).distance;
  return {fmt::format("homed by Gyrax: {} at {:g} {}/s until {} is on, and {:.2g} {} and a report's time past that;",
                      h.up ? "up" : "down", h.speed, unit, name, past, unit),
          fmt::format("  {:g} {} off it, and again at {:g} {}/s: there it is at {:g} {}, and goes to {:g} {}",
                      h.back_off, unit, h.slow, unit, h.at, unit, h.then, unit),
          fmt::format("  it gives up after {:g} {} one way; without power it {} where it is", h.way, unit,
                      h.keeps ? "still knows" : "forgets")};
}

}  // namespace gyrax
