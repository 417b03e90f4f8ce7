// What is of the whole rig: tick, overrides, gestures, reduced speed, stops, links and zones.
#include "boards.hpp"
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

/// Two of these together are no less than AxisMotion::min_share.
constexpr Allowed percent_of_speed{0.1, 100, false, "%"};
constexpr Allowed milliseconds{0, 60'000, true, "ms"};

}  // namespace

void RigBuilder::read_basics(Table& root) {
  if (const auto title = root.text("title")) rig_.title = *title;
  if (auto tick = root.table("tick")) {
    const double period = tick->number("period_ms", {0.2, 100, false, "ms"}, 2);
    rig_.period = from_seconds(period / 1e3);
    rig_.setup.max_tick =
        from_seconds(tick->number("max_ms", {period, 1000, false, "ms"}, std::max(20.0, 5 * period)) / 1e3);
    if (const auto shortest = tick->number("min_ms", {0.1, period, false, "ms"}))
      rig_.min_tick = from_seconds(*shortest / 1e3);
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
  if (auto logbook = root.table("logbook")) {
    rig_.keep_logbooks = static_cast<std::size_t>(logbook->whole("keep", {1, 100'000}).value_or(100));
    rig_.keep_logbooks_mb = logbook->number("keep_mb", {1, 1e6, false, "MB"}, rig_.keep_logbooks_mb);
    logbook->refuse_the_rest();
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
    names_.can_be_reduced = true;
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
  if (!table.told("notches"))
    table.problem(Code::not_a_notch, "start", fmt::format("{:g} % is not one of the notches", *start),
                  "one of the notches");
  return std::nullopt;
}

/// An override of a group's or an axis's own.
void RigBuilder::read_own_override(Table& table, const std::vector<AxisId>& axes) {
  auto own = table.table("override");
  if (!own) return;
  const auto read = read_override(*own);
  if (!read) return;
  NotchSetup& notches = rig_.setup.notches;
  const OverrideId override = id_at<OverrideId>(notches.overrides.size());
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
    LinkInfo info{.name = name,
                  .numbers = {},
                  .texts = {},
                  .origin = {table.file(), table.line()},
                  .axis_channels = {},
                  .switch_channels = {},
                  .loads = {}};
    // Of a drive or a controller some cycles, and an answer that takes its time.
    const std::string kind = table.is_text("kind") ? table.text("kind").value_or("") : "";
    const double silence_ms = kind == "modbus" ? 250 : kind == "controller" ? 400 : 100;
    link.max_silence = from_seconds(table.number("silence_ms", milliseconds, silence_ms) / 1e3);
    link.frame_valid_for = from_seconds(table.number("valid_ms", milliseconds, kind == "modbus" ? 100 : 50) / 1e3);
    if (kind == "controller" && table.has("valid_ms"))
      table.problem(Code::one_effect, "valid_ms",
                    "a controller goes on until its queue has run out, whatever stands here", "leave it out");
    info.stagger = from_seconds(table.number("stagger_ms", {0, 5000, false, "ms"}, 0) / 1e3);
    info.supply_a = table.number("supply_a", {0, most_amps, true, "A"}, 0);
    read_kind(table, info);
    if (info.kind == "modbus" && table.has("modbus"))
      if (auto modbus = table.table("modbus")) register_tables_.emplace_back(id_at<LinkId>(rig_.links.size()), *modbus);
    if (info.kind == "controller" && table.has("controller"))
      if (auto one = table.table("controller")) controller_tables_.emplace_back(id_at<LinkId>(rig_.links.size()), *one);
    table.refuse_the_rest();
    rig_.setup.links.push_back(link);
    rig_.links.push_back(info);
    axis_channels_.push_back(0);
    switch_channels_.push_back(0);
    check_shared_wire(table, info);
  }
}

/// Boards on one wire take turns, and are told apart; so are drives.
void RigBuilder::check_shared_wire(Table& table, const LinkInfo& link) {
  for (const LinkInfo& other : rig_.links) {
    if (other.name == link.name || !share_wire(other, link)) continue;
    const char* const key = link.kind.c_str();
    const std::string wire = link.text("serial").empty() ? link.text("tcp") : link.text("serial");
    const bool drives = link.kind == "modbus";
    const char* const address = drives ? "unit" : "address";
    const bool take_turns = drives || (is_half_duplex(link) && is_half_duplex(other));
    if (other.kind != link.kind)
      table.problem(Code::duplicate_name, key,
                    fmt::format("{} is on {} already, and speaks otherwise", other.name, wire), "a wire of its own");
    else if (!take_turns)
      table.problem(Code::duplicate_name, key, fmt::format("{} is on {} already", other.name, wire),
                    "a wire of its own; or duplex = \"half\" for both, where they take turns");
    else if (other.number(address) == link.number(address))
      table.problem(
          Code::duplicate_name, key,
          fmt::format("{} has the {} {:g} on {} already", other.name, address, link.number(address), wire),
          fmt::format("{} that no other {} on it has", drives ? "a unit" : "an address", drives ? "drive" : "board"));
    else if (other.number("baud") != link.number("baud"))
      table.problem(Code::out_of_range, key,
                    fmt::format("{} runs at {:g} baud, and {} on the same wire at {:g}", link.name, link.number("baud"),
                                other.name, other.number("baud")),
                    fmt::format("one speed for all {}s on a wire", drives ? "drive" : "board"));
  }
}

/// `stow_after = ["override", "layer"]`.
StowAfter RigBuilder::read_stow_after(Table& table) {
  StowAfter after;
  const std::pair<const char*, bool*> all[] = {
      {"override", &after.override}, {"layer", &after.layer}, {"calibration", &after.calibration}};
  for (const std::string& word : table.texts("stow_after")) {
    const auto row = std::ranges::find(all, word, &std::pair<const char*, bool*>::first);
    if (row != std::end(all))
      *row->second = true;
    else
      table.problem(Code::bad_choice, "stow_after", fmt::format("nothing is stowed after '{}'", word),
                    "override, layer, calibration", nearest(word, {"override", "layer", "calibration"}));
  }
  return after;
}

void RigBuilder::read_zones(Table& root) {
  for (auto& [name, table] : root.tables("zone")) {
    if (!add_name(table, names_.zones, name, "zone")) continue;
    ZoneSetup zone;
    zone.categories = categories_;
    if (auto stops = table.table("stops")) read_stops(*stops, zone);
    zone.hold_to_run = table.flag("hold_to_run").value_or(false);
    if (table.has("stow_after")) zone.stow_after = read_stow_after(table);
    auto needs = table.has("needs") ? table.texts("needs") : std::vector<std::string>{};
    table.refuse_the_rest();
    zone_needs_.emplace_back(table, std::move(needs));
    rig_.setup.zones.push_back(zone);
    rig_.zones.push_back(name);
  }
}

}  // namespace gyrax
