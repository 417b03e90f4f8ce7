// Axes: how far, how fast, where they are, and what `check` says of each.
#include "axes.hpp"

#include "boards.hpp"
#include "builder.hpp"

#include <gyrax/rig/predictions.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace gyrax {

const char* unit_words(const std::string& unit, std::size_t per_s) {
  constexpr const char* words[][4] = {{"mm", "mm/s", "mm/s²", "mm/s³"},
                                      {"deg", "deg/s", "deg/s²", "deg/s³"},
                                      {"%", "%/s", "%/s²", "%/s³"},
                                      {"unit", "unit/s", "unit/s²", "unit/s³"}};
  const std::size_t row = unit == "mm" ? 0 : unit == "deg" ? 1 : unit == "%" ? 2 : 3;
  return words[row][per_s];
}

/// Nearly all begin with a machine that is simulated.
void RigBuilder::add_usual_link() {
  if (link_names_.empty()) {
    link_names_["machine"] = 0;
    rig_.setup.links.emplace_back();
    rig_.links.push_back(with_usual({.name = "machine",
                                     .kind = "simulated",
                                     .numbers = {},
                                     .texts = {},
                                     .origin = {},
                                     .axis_channels = {},
                                     .switch_channels = {},
                                     .loads = {}},
                                    "simulated"));
    axis_channels_.push_back(0);
    switch_channels_.push_back(0);
  }
}

/// A rig without a word on zones has one.
void RigBuilder::add_usual_zone() {
  if (!names_.zones.empty()) return;
  names_.zones["main"] = 0;
  rig_.zones.emplace_back("main");
  rig_.setup.zones.emplace_back().categories = categories_;
}

void RigBuilder::read_axes(Table& root) {
  add_usual_link();
  add_usual_zone();
  for (auto& [name, table] : root.tables("axis")) {
    if (!add_name(table, names_.axes, name, "axis")) continue;
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
  axis.zone = pick<ZoneId>(table, "zone", names_.zones, "zone");
  axis.wiring.link = pick<LinkId>(table, "link", link_names_, "link");
  if (axis.wiring.link != no<LinkId>) axis.wiring.channel = axis_channels_[index(axis.wiring.link)]++;
  read_drive(table, info.unit, axis);
  if (is_place(axis.drive)) {
    read_position(table, info.unit, axis);
  } else {
    axis.position = PositionKind::assumed;
  }
  if (axis.wiring.link != no<LinkId>) read_channel(table, rig_.links[index(axis.wiring.link)], axis, name);
  if (axis.wiring.link != no<LinkId>) {
    LinkInfo& link = rig_.links[index(axis.wiring.link)];
    read_load(table, link, name);
    axis.power_after = axis.wiring.channel * link.stagger;
  }
  read_end_switches(table, axis);
  read_homed(table, axis);
  read_homing(table, axis, info);
  read_duty(table, axis);
  read_brake(table, axis.brake);
  if (!info.motor) info.max_stop = table.number("max_stop", {0, max_position, true, unit_words(info.unit)}, 0);
  needs_.push_back(table.has("needs") ? table.texts("needs") : std::vector<std::string>{});
  needed_at_.push_back(table);
  rig_.setup.axes.push_back(axis);
  rig_.axes.push_back(info);
  grouped_.push_back(0);
  read_own_override(table, {id_at<AxisId>(rig_.axes.size() - 1)});
  read_increments(table);
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

/// How fast, how hard, how suddenly. What is not known yet, because it was told to be wrong, must not make other things
/// wrong.
MotionLimits RigBuilder::read_limits(Table& table, AxisInfo& info) {
  constexpr double least = AxisLimits::min;
  const Allowed accels{least, AxisLimits::max, false, unit_words(info.unit, 2)},
      jerks{least, AxisLimits::max_jerk, false, unit_words(info.unit, 3)};
  MotionLimits limits;
  limits.speed =
      info.motor
          ? table.number("speed", {least, 100, false, "%"}, 100)
          : table.required_number("speed", {least, AxisLimits::max, false, unit_words(info.unit, 1)}).value_or(1);
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

namespace {

/// The times of the signs of a runaway, each under its cause's name.
struct RunawayRow {
  Cause cause;
  Span RunawayTimes::*time;
};
constexpr RunawayRow runaway_rows[] = {{Cause::moves_at_rest, &RunawayTimes::moves_at_rest},
                                       {Cause::wrong_way, &RunawayTimes::wrong_way},
                                       {Cause::overspeed, &RunawayTimes::overspeed},
                                       {Cause::position_frozen, &RunawayTimes::position_frozen}};

void read_runaway(Table& table, RunawayTimes& times) {
  auto own = table.table("runaway");
  if (!own) return;
  for (const RunawayRow& row : runaway_rows) {
    const std::string key = fmt::format("{}_ms", about(row.cause).name);
    Span& time = times.*row.time;
    time = from_seconds(own->number(key.c_str(), {0, 60'000, false, "ms"}, to_seconds(time) * 1e3) / 1e3);
  }
  own->refuse_the_rest();
}

}  // namespace

/// What plans ahead still does what it was told before, for longer than the usual times.
void RigBuilder::allow_for_queue(LinkId link) {
  const Span queue = std::chrono::ceil<std::chrono::milliseconds>(from_seconds(far_end_of(rig_, link).queue_s));
  for (std::size_t a = 0; a < rig_.axes.size(); ++a) {
    AxisSetup& axis = rig_.setup.axes[a];
    if (axis.wiring.link != link) continue;
    for (const RunawayRow& row : runaway_rows)
      if (!problems_.places.contains(fmt::format("axis.{}.runaway.{}_ms", rig_.axes[a].name, about(row.cause).name)))
        axis.runaway.*row.time += queue;
  }
}

std::string runaway_words(const RunawayTimes& times) {
  std::string text;
  for (const RunawayRow& row : runaway_rows) {
    const Span time = times.*row.time;
    text += fmt::format("{}{} {}", text.empty() ? "" : ", ", about(row.cause).name,
                        time > Span{} ? fmt::format("{:g} ms", to_seconds(time) * 1e3) : std::string("not watched"));
  }
  return text;
}

/// `brake = { power_ms = 50, opens_ms = 80, closes_ms = 60 }`.
void RigBuilder::read_brake(Table& table, BrakeTimes& brake) {
  auto own = table.table("brake");
  if (!own) return;
  const auto time = [&](const char* key, double usual_ms) {
    return from_seconds(own->number(key, {0, 10'000, false, "ms"}, usual_ms) / 1e3);
  };
  brake.power = time("power_ms", 50);
  if (!own->has("opens_ms")) own->missing("opens_ms", "how long it takes to let go, in ms");
  if (!own->has("closes_ms")) own->missing("closes_ms", "how long it takes to hold, in ms");
  brake.opens = time("opens_ms", 1);
  brake.closes = time("closes_ms", 1);
  own->refuse_the_rest();
}

/// `duty = { max_run_s = 20, rest_s = 5, percent = 25, over_s = 240 }`.
void RigBuilder::read_duty(Table& table, AxisSetup& axis) {
  auto own = table.table("duty");
  if (!own) return;
  if (is_place(axis.drive) && axis.position == PositionKind::measured)
    table.problem(Code::bad_choice, "duty", "this axis is measured, and its travel bounds its run",
                  "on a motor, or on an axis with position = \"assumed\"");
  constexpr double day_s = 86'400;
  DutyLimits& duty = axis.duty;
  duty.max_run = from_seconds(own->number("max_run_s", {0.05, day_s, false, "s"}).value_or(0));
  duty.rest = from_seconds(own->number("rest_s", {0, day_s, false, "s"}, 2));
  const auto percent = own->number("percent", {0.1, 99, false, "%"}),
             over_s = own->number("over_s", {1, day_s, false, "s"});
  if (percent && over_s) {
    duty.share = *percent / 100;
    duty.over = from_seconds(*over_s);
  } else if (own->has("percent") != own->has("over_s")) {
    own->problem(Code::missing_key, own->has("percent") ? "percent" : "over_s", "a share is of a time",
                 "both: percent = 25, over_s = 240");
  } else if (!own->has("max_run_s") && !own->has("percent")) {
    own->problem(Code::missing_key, "", "it bounds nothing", "'max_run_s', or 'percent' and 'over_s'");
  }
  own->refuse_the_rest();
}

std::string duty_words(const DutyLimits& duty) {
  std::string text;
  if (duty.max_run > Span{})
    text += fmt::format("; runs for {:g} s in one direction at most, then rests for {:g} s", to_seconds(duty.max_run),
                        to_seconds(duty.rest));
  if (duty.share < 1)
    text += fmt::format("; runs for {:g} s of any {:g} s at most ({:g} %)", to_seconds(duty.over) * duty.share,
                        to_seconds(duty.over), duty.share * 100);
  return text;
}

void RigBuilder::read_position(Table& table, const std::string& unit_name, AxisSetup& axis) {
  const bool unseen = row_of(axis.drive).unseen;
  // A servo with something wrong in it is none yet, and may say where it starts all the same.
  if (table.has("servo")) table.allow("start");
  const std::string kind = table.choice("position", {"measured", "assumed"}).value_or(unseen ? "assumed" : "measured");
  axis.position = kind == "measured" ? PositionKind::measured : PositionKind::assumed;
  const Allowed inside{axis.limits.low(), axis.limits.high(), false, "(its travel)"};
  if (axis.position == PositionKind::assumed) {
    // Nothing measures it, so only a person knows where it stands when the power comes on. A servo of unknown place
    // takes its first move slowly, and to its middle is the shortest way.
    const double middle = (axis.limits.low() + axis.limits.high()) / 2;
    axis.start = unseen ? table.number("start", inside, middle) : table.required_number("start", inside).value_or(0);
    return;
  }
  const char* const unit = unit_words(unit_name);
  axis.following_error = table.number("following_error", {0, max_position, true, unit}, axis.limits.speed() * 0.1);
  read_runaway(table, axis.runaway);
  axis.in_position = table.number("in_position", {0, axis.following_error, false, unit}, axis.following_error / 100);
}

void RigBuilder::read_increments(Table& table) {
  if (rig_.axes.back().motor) {
    rig_.setup.notches.increments.emplace_back();
    return;
  }
  NotchSetup::Increments notches;
  const Allowed allowed{0, max_position, true, unit_words(rig_.axes.back().unit)};
  for (const double value : table.numbers("increments", allowed)) notches.values.push_back(to_nano(value));
  const auto start = table.number("increment", allowed);
  if (start) {
    const auto at = std::find(notches.values.begin(), notches.values.end(), to_nano(*start));
    if (at != notches.values.end()) {
      notches.start = static_cast<std::size_t>(at - notches.values.begin());
    } else if (!table.told("increments")) {
      table.problem(Code::not_a_notch, "increment", fmt::format("{:g} is not one of the increments", *start),
                    "one of 'increments'");
    }
  }
  rig_.setup.notches.increments.push_back(notches);
}

std::string position_words(const Rig& rig, std::size_t a) {
  const AxisSetup& axis = rig.setup.axes[a];
  const std::string& unit = rig.axes[a].unit;
  const DriveRow& drive = row_of(axis.drive);
  std::string text;
  if (is_place(axis.drive))
    text = axis.position == PositionKind::measured
               ? fmt::format("measured, within {:g} {} of the command", axis.following_error, unit)
               : fmt::format("assumed, at {:g} {} first", axis.start, unit);
  if (drive.describe != nullptr) text += (text.empty() ? "" : "; ") + drive.describe(axis);
  return text;
}

std::string needs_words(const Rig& rig, std::size_t a) {
  std::string text;
  const AxisSetup& axis = rig.setup.axes[a];
  for (const SwitchId target : axis.needs)
    text += (text.empty() ? "; moves only while on: " : ", ") + rig.switches[index(target)];
  for (const InputId input : axis.needs_inputs)
    text += (text.empty() ? "; moves only while on: " : ", ") + rig.inputs[index(input)].name;
  for (const auto& [end, words] : {std::pair{axis.low_end, "low"}, {axis.high_end, "high"}})
    if (end != no<InputId>)
      text += fmt::format("; {} at its {} end lets it move only away", rig.inputs[index(end)].name, words);
  if (axis.homed != no<InputId>)
    text += fmt::format("; until {} is on it is only jogged and stepped, at {:g} % of its speed",
                        rig.inputs[index(axis.homed)].name, unhomed_share * 100);
  if (const Span after = rig.setup.axes[a].power_after; after > Span{})
    text += fmt::format("; gets power {:g} ms after its zone", to_seconds(after) * 1e3);
  const BrakeTimes& brake = rig.setup.axes[a].brake;
  if (brake.any())
    text += fmt::format(
        "; its brake lets go {:g} ms after power, once it stands, and takes {:g} ms; it holds for {:g} ms "
        "before power goes",
        to_seconds(brake.power) * 1e3, to_seconds(brake.opens) * 1e3, to_seconds(brake.closes) * 1e3);
  return text + duty_words(rig.setup.axes[a].duty);
}

}  // namespace gyrax
