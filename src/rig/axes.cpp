// Links, zones, axes, groups and switches: everything that moves, and where.
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace gyrax {
namespace {

constexpr double most = AxisLimits::max;
/// Two of these together are no less than AxisMotion::min_share.
constexpr Allowed percent_of_speed{0.1, 100, false, "%"};
constexpr Allowed milliseconds{0, 60'000, true, "ms"};

template <class Id>
Id id(std::size_t row) {
  return Id{static_cast<std::uint16_t>(row)};
}

std::vector<std::string> words(const std::map<std::string, std::size_t>& names) {
  std::vector<std::string> all;
  all.reserve(names.size());
  for (const auto& [name, row] : names) all.push_back(name);
  return all;
}

bool contains(const std::vector<AxisId>& list, AxisId id) { return std::find(list.begin(), list.end(), id) != list.end(); }

bool is_name(const std::string& name) {
  const auto good = [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '_' || c == '-'; };
  return !name.empty() && name.size() <= 40 && std::all_of(name.begin(), name.end(), good);
}

}  // namespace

bool RigBuilder::add_name(Table& table, Names& names, const std::string& name, const char* kind) {
  if (!is_name(name)) {
    table.problem(Code::bad_name, "", fmt::format("'{}' cannot be a name", name), "a to z, 0 to 9, _ and -, at most 40");
    return false;
  }
  const auto [at, fresh] = described_.try_emplace(std::string(kind) + "." + name, Origin{table.file(), table.line()});
  if (!fresh) {
    table.problem(Code::duplicate_name, "", fmt::format("{} '{}' is described twice", kind, name),
                  fmt::format("it stands at {}:{} already", at->second.file, at->second.line));
    return false;
  }
  const std::size_t row = names.size();
  names[name] = row;
  return true;
}

template <class Id>
Id RigBuilder::named(Table& table, const char* key, const Names& names, const std::string& word, const char* kind) {
  const auto at = names.find(word);
  if (at != names.end()) return id<Id>(at->second);
  const std::string known = listed(words(names));
  table.problem(Code::unknown_name, key, fmt::format("there is no {} '{}'", kind, word),
                known.empty() ? fmt::format("describe one as [{}.{}]", kind, word) : "there are: " + known, nearest(word, words(names)));
  return no<Id>;
}

template <class Id>
Id RigBuilder::pick(Table& table, const char* key, const Names& names, const char* kind) {
  if (const auto word = table.text(key)) return named<Id>(table, key, names, *word, kind);
  if (names.size() == 1) return id<Id>(0);
  if (!table.has(key)) table.missing(key, fmt::format("there are {} of them: say which {}", names.size(), kind));
  return no<Id>;
}

template HandsetId RigBuilder::pick<HandsetId>(Table&, const char*, const Names&, const char*);
template LayerId RigBuilder::named<LayerId>(Table&, const char*, const Names&, const std::string&, const char*);
template NumberId RigBuilder::named<NumberId>(Table&, const char*, const Names&, const std::string&, const char*);
template HandsetId RigBuilder::named<HandsetId>(Table&, const char*, const Names&, const std::string&, const char*);
template AxisId RigBuilder::named<AxisId>(Table&, const char*, const Names&, const std::string&, const char*);
template SwitchId RigBuilder::named<SwitchId>(Table&, const char*, const Names&, const std::string&, const char*);
template ZoneId RigBuilder::named<ZoneId>(Table&, const char*, const Names&, const std::string&, const char*);

void RigBuilder::read_basics(Table& root) {
  if (const auto title = root.text("title")) rig_.title = *title;
  if (auto tick = root.table("tick")) {
    const double period = tick->number("period_ms", {0.2, 100, false, "ms"}, 2);
    rig_.period = from_seconds(period / 1e3);
    rig_.setup.max_tick = from_seconds(tick->number("max_ms", {period, 1000, false, "ms"}, std::max(20.0, 5 * period)) / 1e3);
    if (const auto shortest = tick->number("min_ms", {0.1, period, false, "ms"})) rig_.min_tick = from_seconds(*shortest / 1e3);
    tick->refuse_the_rest();
  }
  if (auto override = root.table("override")) {
    if (const auto read = read_override(*override)) rig_.setup.notches.overrides.front() = *read;
    shared_override_ = {override->file(), override->line()};
  }
  for (const std::string& what : root.has("remember") ? root.texts("remember") : std::vector<std::string>{}) {
    rig_.remembers_overrides = rig_.remembers_overrides || what == "override";
    rig_.remembers_increments = rig_.remembers_increments || what == "increment";
    if (what != "override" && what != "increment")
      root.problem(Code::bad_choice, "remember", fmt::format("'{}' cannot be remembered", what), "override, increment");
  }
  if (auto gestures = root.table("gestures")) {
    GestureTimes& times = rig_.setup.gestures;
    const Allowed span{10, 5000, false, "ms"};
    times.tap = from_seconds(gestures->number("tap_ms", span, 250) / 1e3);
    times.gap = from_seconds(gestures->number("gap_ms", span, 250) / 1e3);
    times.chord = from_seconds(gestures->number("chord_ms", span, 80) / 1e3);
    gestures->refuse_the_rest();
  }
  if (auto reduced = root.table("reduced")) {
    auto& r = rig_.setup.notches.reduced;
    r.speed = reduced->number("percent", percent_of_speed, 100) / 100;
    r.accel = reduced->number("accel_percent", percent_of_speed, 100) / 100;
    r.starts_on = reduced->choice("start", {"off", "on"}).value_or("on") == "on";
    can_be_reduced_ = true;
    reduced->refuse_the_rest();
  }
  if (auto stops = root.table("stops")) {
    ZoneSetup zone;
    read_stops(*stops, zone);
    categories_ = zone.categories;
  }
}

/// Notches and the one in force at first.
std::optional<NotchSetup::Override> RigBuilder::read_override(Table& table) {
  const std::vector<double> notches = table.numbers("notches", percent_of_speed);
  const auto start = table.required_number("start", percent_of_speed);
  table.refuse_the_rest();
  if (notches.empty() || !start) return std::nullopt;
  const auto at = std::find(notches.begin(), notches.end(), *start);
  if (at != notches.end()) return NotchSetup::Override{notches, static_cast<std::size_t>(at - notches.begin())};
  table.problem(Code::not_a_notch, "start", fmt::format("{:g} % is not one of the notches", *start), "one of the notches");
  return std::nullopt;
}

/// An override of a group's or an axis's own.
void RigBuilder::read_own_override(Table& table, const std::vector<AxisId>& axes) {
  auto own = table.table("override");
  if (!own) return;
  const auto read = read_override(*own);
  if (!read) return;
  NotchSetup& notches = rig_.setup.notches;
  const OverrideId override{static_cast<std::uint16_t>(notches.overrides.size())};
  notches.overrides.push_back(*read);
  for (const AxisId axis : axes) {
    // An axis's own goes before its group's.
    if (index(axis) < notches.override_of.size() && notches.override_of[index(axis)] != OverrideId{0}) continue;
    while (notches.override_of.size() <= index(axis)) notches.override_of.push_back(OverrideId{0});
    notches.override_of[index(axis)] = override;
  }
}

void RigBuilder::read_stops(Table& table, ZoneSetup& zone) {
  for (std::size_t i = 1; i < cause_count; ++i) {
    const char* name = about(static_cast<Cause>(i)).name;
    if (const auto category = table.whole(name, {0, 2, false, "(stop category of IEC 60204-1)"}))
      zone.categories[i] = static_cast<Category>(*category);
  }
  table.refuse_the_rest();
}

void RigBuilder::read_links(Table& root) {
  for (auto& [name, table] : root.tables("link")) {
    if (!add_name(table, link_names_, name, "link")) continue;
    LinkSetup link;
    LinkInfo info{name, {}};
    table.choice("kind", {"simulated"});
    if (!table.has("kind")) table.missing("kind", "kind = \"simulated\"");
    link.max_silence = from_seconds(table.number("silence_ms", milliseconds, 100) / 1e3);
    link.frame_valid_for = from_seconds(table.number("valid_ms", milliseconds, 50) / 1e3);
    read_simulated(table, info.simulated);
    table.refuse_the_rest();
    rig_.setup.links.push_back(link);
    rig_.links.push_back(info);
    axis_channels_.push_back(0);
    switch_channels_.push_back(0);
  }
}

void RigBuilder::read_simulated(Table& link, SimulatedInfo& info) {
  auto table = link.table("simulated");
  if (!table) return;
  info.lag_s = table->number("lag_ms", {0, 1000, false, "ms"}, 12) / 1e3;
  info.delay_s = table->number("delay_ms", {0, 1000, false, "ms"}, 2) / 1e3;
  info.report_s = table->number("report_ms", {0, 1000, true, "ms"}, 4) / 1e3;
  info.speed_share = table->number("speed_percent", {0, 1000, true, "%"}, 130) / 100;
  info.decel_share = table->number("decel_percent", {0, 1000, true, "%"}, 100) / 100;
  table->refuse_the_rest();
}

void RigBuilder::read_zones(Table& root) {
  for (auto& [name, table] : root.tables("zone")) {
    if (!add_name(table, zone_names_, name, "zone")) continue;
    ZoneSetup zone;
    zone.categories = categories_;
    if (auto stops = table.table("stops")) read_stops(*stops, zone);
    table.refuse_the_rest();
    rig_.setup.zones.push_back(zone);
    rig_.zones.push_back(name);
  }
}

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
  read_own_override(table, {AxisId{static_cast<std::uint16_t>(rig_.axes.size() - 1)}});
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

void RigBuilder::read_groups(Table& root) {
  Names names;
  for (auto& [name, table] : root.tables("group")) {
    if (!add_name(table, names, name, "group")) continue;
    GroupSetup group;
    for (const std::string& word : table.texts("axes")) {
      const AxisId axis = named<AxisId>(table, "axes", axis_names_, word, "axis");
      if (axis == no<AxisId>) continue;
      const ZoneId zone = rig_.setup.axes[index(axis)].zone;
      if (grouped_[index(axis)] != 0 || (!group.axes.empty() && zone != group.zone))
        table.problem(Code::two_groups, "axes", fmt::format("axis '{}' cannot be in this group", word),
                      "each axis in one group, all of a group in one zone");
      if (!group.axes.empty() && rig_.axes[index(axis)].motor != rig_.axes[index(group.axes.front())].motor)
        table.problem(Code::two_groups, "axes", fmt::format("axis '{}' cannot be in this group", word),
                      "a motor has no place, and moves with other motors only");
      grouped_[index(axis)] = 1;
      group.zone = zone;
      group.axes.push_back(axis);
    }
    if (group.axes.empty()) table.missing("axes", "the names of the axes that move together");
    group.path_speed = table.number("path_speed", {0, most, true, "unit/s"}, group.path_speed);
    group.reduced_speed = table.number("reduced_speed", {0, most, true, "unit/s"}, group.reduced_speed);
    can_be_reduced_ = can_be_reduced_ || table.has("reduced_speed");
    group.together = table.flag("together").value_or(false);
    const std::size_t overrides = rig_.setup.notches.overrides.size();
    read_own_override(table, group.axes);
    if (rig_.setup.notches.overrides.size() > overrides) group_overrides_[name] = OverrideId{static_cast<std::uint16_t>(overrides)};
    group_names_[name] = rig_.setup.groups.size();
    table.refuse_the_rest();
    rig_.setup.groups.push_back(group);
  }
}

void RigBuilder::read_poses(Table& root) {
  for (auto& [name, table] : root.tables("pose")) {
    if (!add_name(table, pose_names_, name, "pose")) continue;
    std::vector<PosePlace> pose;
    std::size_t group = rig_.setup.groups.size();
    for (const std::string& word : table.keys()) {
      const AxisId axis = named<AxisId>(table, word.c_str(), axis_names_, word, "axis");
      if (axis == no<AxisId>) continue;
      const AxisLimits& limits = rig_.setup.axes[index(axis)].limits;
      const auto to = table.number(word.c_str(), {limits.low(), limits.high(), false, "(the axis's travel)"});
      if (rig_.axes[index(axis)].motor)
        table.problem(Code::wrong_control, word.c_str(), fmt::format("'{}' is a motor and has no place", word), "leave it out of the pose");
      pose.push_back({CoordinateId{static_cast<std::uint16_t>(index(axis))}, goal_inside(limits, to.value_or(0))});
      std::size_t own = 0;
      while (own < rig_.setup.groups.size() && !contains(rig_.setup.groups[own].axes, axis)) ++own;
      if (pose.size() > 1 && (own != group || own == rig_.setup.groups.size()))
        table.problem(Code::two_groups, word.c_str(), fmt::format("axis '{}' is not in the group of the others", word),
                      "a pose is reached on a straight line: all its axes in one [group.name]");
      if (pose.size() == 1) group = own;
    }
    if (table.keys().empty()) table.problem(Code::missing_key, "", "the pose names no axis", "an axis and where it shall be: x = 10");
    poses_.push_back(std::move(pose));
  }
}

void RigBuilder::read_switches(Table& root) {
  for (auto& [name, table] : root.tables("switch")) {
    if (!add_name(table, switch_names_, name, "switch")) continue;
    SwitchSetup s;
    s.zone = pick<ZoneId>(table, "zone", zone_names_, "zone");
    s.wiring.link = pick<LinkId>(table, "link", link_names_, "link");
    if (s.wiring.link != no<LinkId>) s.wiring.channel = switch_channels_[index(s.wiring.link)]++;
    s.start_on = table.choice("start", {"off", "on"}).value_or("off") == "on";
    const auto becomes = [&, &table = table](const char* key, SwitchSetup::OnTrip otherwise) {
      const auto word = table.choice(key, {"off", "on", "keep"});
      if (!word) return otherwise;
      return *word == "off" ? SwitchSetup::OnTrip::off : *word == "on" ? SwitchSetup::OnTrip::on : SwitchSetup::OnTrip::keep;
    };
    s.on_trip = becomes("on_trip", SwitchSetup::OnTrip::off);
    s.on_handset_lost = becomes("on_handset_lost", s.on_trip);
    s.on_link_lost = becomes("on_link_lost", s.on_trip);
    table.refuse_the_rest();
    rig_.setup.switches.push_back(s);
    rig_.switches.push_back(name);
  }
}

/// What axes need, once the switches are known.
void RigBuilder::resolve_needs() {
  for (std::size_t a = 0; a < needs_.size(); ++a)
    for (const std::string& word : needs_[a]) {
      const SwitchId target = named<SwitchId>(needed_at_[a], "needs", switch_names_, word, "switch");
      if (target != no<SwitchId>) rig_.setup.axes[a].needs.push_back(target);
    }
  needs_.clear();
}

}  // namespace gyrax
