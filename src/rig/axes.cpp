// Axes: how far, how fast, where they are, and what drives them.
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {

void RigBuilder::read_axes(Table& root) {
  if (link_names_.empty()) {
    // Nearly all begin with a machine that is simulated.
    link_names_["machine"] = 0;
    rig_.setup.links.emplace_back();
    rig_.links.push_back({"machine", {}});
    axis_channels_.push_back(0);
    switch_channels_.push_back(0);
  }
  if (zone_names_.empty()) {
    zone_names_["main"] = 0;
    rig_.zones.emplace_back("main");
    rig_.setup.zones.emplace_back().categories = categories_;
  }
  for (auto& [name, table] : root.tables("axis")) {
    if (!add_name(table, axis_names_, name, "axis")) continue;
    read_axis(table, name);
    table.refuse_the_rest();
  }
}

void RigBuilder::read_axis(Table& table, const std::string& name) {
  AxisSetup axis;
  AxisInfo info{name, "", false, false, false, false, {table.file(), table.line()}};
  info.unit = table.choice("unit", {"mm", "deg", "%"}).value_or("");
  if (!table.has("unit")) table.missing("unit", "\"mm\", \"deg\", or \"%\" for a motor's share of its power");
  info.motor = info.unit == "%";
  const auto travel = read_travel(table, info);
  const MotionLimits full = read_limits(table, info);
  const auto [low, high] = travel.value_or(std::pair(-max_position, max_position));
  axis.limits = *AxisLimits::make(low, high, full);
  axis.zone = pick<ZoneId>(table, "zone", zone_names_, "zone");
  axis.wiring.link = pick<LinkId>(table, "link", link_names_, "link");
  if (axis.wiring.link != no<LinkId>) axis.wiring.channel = axis_channels_[index(axis.wiring.link)]++;
  if (info.motor) {
    read_motor(table, axis);
  } else {
    read_servo(table, axis);
    read_position(table, axis);
  }
  needs_.push_back(table.has("needs") ? table.texts("needs") : std::vector<std::string>{});
  needed_at_.push_back(table);
  rig_.setup.axes.push_back(axis);
  rig_.axes.push_back(info);
  grouped_.push_back(0);
  read_own_override(table, {id_at<AxisId>(rig_.axes.size() - 1)});
  read_increments(table);
}

/// A motor runs at a share of its power: no place, no travel.
void RigBuilder::read_motor(Table& table, AxisSetup& axis) {
  axis.position = PositionKind::assumed;
  axis.motor.emplace();
  if (auto motor = table.table("motor")) {
    axis.motor->dead_band = motor->number("dead_band", {0, 90, false, "%"}, 0) / 100;
    axis.motor->reversed = motor->flag("reversed").value_or(false);
    axis.rest = from_seconds(motor->number("rest_ms", {0, 60'000, false, "ms"}, 0) / 1e3);
    motor->refuse_the_rest();
  }
}

/// `[low, high]`, or "endless" for what turns.
std::optional<std::pair<double, double>> RigBuilder::read_travel(Table& table, AxisInfo& info) {
  if (info.motor) {
    if (table.has("travel"))
      table.problem(Code::wrong_type, "travel", "a motor has no travel", "leave it out; or unit = \"mm\" or \"deg\"");
    table.is_text("travel");
    info.endless = true;
    return std::nullopt;
  }
  if (table.is_text("travel")) {
    info.endless = table.choice("travel", {"endless"}).has_value();
    if (info.endless && info.unit == "mm")
      table.problem(Code::out_of_range, "travel", "only an axis in degrees can be endless", "a pair [low, high] in mm");
    return std::nullopt;
  }
  if (!table.has("travel")) table.missing("travel", "a pair [low, high] in the axis's unit");
  return table.range("travel", {-max_position, max_position, false, info.unit.c_str()});
}

/// How fast, how hard, how suddenly. What is not known yet, because it was told to be wrong, must not make other things wrong.
MotionLimits RigBuilder::read_limits(Table& table, AxisInfo& info) {
  constexpr double least = AxisLimits::min;
  const Allowed accels{least, AxisLimits::max, false, "unit/s²"}, jerks{least, AxisLimits::max_jerk, false, "unit/s³"};
  MotionLimits limits;
  limits.speed = info.motor ? table.number("speed", {least, 100, false, "%"}, 100)
                            : table.required_number("speed", {least, AxisLimits::max, false, "unit/s"}).value_or(1);
  limits.accel = table.required_number("accel", accels).value_or(1);
  limits.decel = table.number("decel", accels, limits.accel);
  std::optional<double> jerk, decel_jerk;
  if (table.is_table("jerk")) {
    Table each = *table.table("jerk");
    jerk = each.number("accel", jerks);
    decel_jerk = each.number("decel", jerks);
    each.refuse_the_rest();
  } else {
    jerk = decel_jerk = table.number("jerk", jerks);
  }
  info.usual_jerk = !jerk;
  info.usual_decel_jerk = !decel_jerk;
  limits.jerk = jerk.value_or(std::min(AxisLimits::usual_jerk(limits.accel), AxisLimits::max_jerk));
  limits.decel_jerk = decel_jerk.value_or(std::min(AxisLimits::usual_decel_jerk(limits.decel), AxisLimits::max_jerk));
  return limits;
}

void RigBuilder::read_position(Table& table, AxisSetup& axis) {
  const std::string kind = table.choice("position", {"measured", "assumed"}).value_or(axis.servo ? "assumed" : "measured");
  axis.position = kind == "measured" ? PositionKind::measured : PositionKind::assumed;
  const Allowed inside{axis.limits.low(), axis.limits.high(), false, "(its travel)"};
  if (axis.position == PositionKind::assumed) {
    // Nothing measures it, so only a person knows where it stands when the power comes on. A servo of unknown place takes its first move
    // slowly, and to its middle is the shortest way.
    const double middle = (axis.limits.low() + axis.limits.high()) / 2;
    axis.start = axis.servo ? table.number("start", inside, middle) : table.required_number("start", inside).value_or(0);
    return;
  }
  axis.following_error = table.number("following_error", {0, max_position, true, "unit"}, axis.limits.speed() * 0.1);
  axis.in_position = table.number("in_position", {0, axis.following_error, false, "unit"}, axis.following_error / 100);
}

void RigBuilder::read_servo(Table& table, AxisSetup& axis) {
  auto servo = table.table("servo");
  if (!servo) return;
  const auto ends = servo->range("ends", {-max_position, max_position, false, "unit"});
  if (!servo->has("ends")) servo->missing("ends", "the positions [low, high] at the servo's two ends");
  const auto pulses = servo->range("pulse_us", {ServoMap::min_us, ServoMap::max_us, false, "µs", true});
  if (!servo->has("pulse_us")) servo->missing("pulse_us", "the pulses [low, high] at the servo's two ends, in µs");
  const auto trim = servo->whole("trim_us", {-1000, 1000, false, "µs"}).value_or(0);
  const bool reversed = servo->flag("reversed").value_or(false);
  servo->refuse_the_rest();
  if (!ends || !pulses) return;
  axis.servo = ServoMap::make(ends->first, ends->second, static_cast<int>(pulses->first), static_cast<int>(pulses->second), reversed,
                              static_cast<int>(trim));
  if (axis.servo && axis.servo->reaches(axis.limits.low()) && axis.servo->reaches(axis.limits.high())) return;
  const auto at = [&](double position) {
    const double share = (position - ends->first) / (ends->second - ends->first);
    const double run = (reversed ? 1 - share : share) * (pulses->second - pulses->first);
    return pulses->first + run + static_cast<double>(trim);
  };
  servo->problem(
      Code::servo_reach, "",
      fmt::format("the travel [{:g}, {:g}] needs pulses of {:.0f} and {:.0f} µs", axis.limits.low(), axis.limits.high(),
                  at(axis.limits.low()), at(axis.limits.high())),
      fmt::format("they must lie within [{:.0f}, {:.0f}] µs: less travel, less trim or other ends", pulses->first, pulses->second));
}

void RigBuilder::read_increments(Table& table) {
  if (rig_.axes.back().motor) {
    rig_.setup.notches.increments.emplace_back();
    return;
  }
  NotchSetup::Increments notches;
  const Allowed allowed{0, max_position, true, "unit"};
  for (const double value : table.numbers("increments", allowed)) notches.values.push_back(to_nano(value));
  const auto start = table.number("increment", allowed);
  if (start) {
    const auto at = std::find(notches.values.begin(), notches.values.end(), to_nano(*start));
    if (at == notches.values.end()) {
      table.problem(Code::not_a_notch, "increment", fmt::format("{:g} is not one of the increments", *start), "one of 'increments'");
    } else {
      notches.start = static_cast<std::size_t>(at - notches.values.begin());
    }
  }
  rig_.setup.notches.increments.push_back(notches);
}

}  // namespace gyrax
