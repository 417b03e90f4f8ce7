#include "axes.hpp"
#include "link_kinds.hpp"
#include "shapes.hpp"
#include "switches.hpp"

#include <gyrax/files/json_version.hpp>
#include <gyrax/rig/findings.hpp>
#include <gyrax/rig/review.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <bit>
#include <iterator>
#include <limits>
#include <numbers>
#include <string>
#include <vector>

namespace gyrax {
namespace {

/// The group of an axis, where the machine couples it with others.
const GroupSetup* coupled(const Rig& rig, std::size_t a) {
  for (const GroupSetup& group : rig.setup.groups)
    if (group.together && std::count(group.axes.begin(), group.axes.end(), id_at<AxisId>(a)) > 0) return &group;
  return nullptr;
}

/// The longest stop of coupled axes. Along any line none of its limits is less than the least of theirs, nor its speed
/// more than the greatest; from a steady speed the way is half of speed times time.
StopReach coupled_stop(const Rig& rig, const GroupSetup& group, double own_speed) {
  MotionLimits limits{.speed = 0, .accel = 1, .jerk = 1, .decel = AxisLimits::max, .decel_jerk = AxisLimits::max_jerk};
  for (const AxisId axis : group.axes) {
    const MotionLimits& full = rig.setup.axes[index(axis)].limits.full();
    limits.speed = std::max(limits.speed, full.speed);
    limits.decel = std::min(limits.decel, full.decel);
    limits.decel_jerk = std::min(limits.decel_jerk, full.decel_jerk);
  }
  const double time_s = stop_reach({0, limits.speed, 0}, limits).time_s;
  return {.distance = own_speed * time_s / 2, .time_s = time_s};
}

struct Times {
  double stop_s = 0, stop_distance = 0, travel_s = 0, increment_s = 0, increment = 0;
};

Times times_of(const Rig& rig, std::size_t a) {
  const AxisLimits& l = rig.setup.axes[a].limits;
  const GroupSetup* const group = coupled(rig, a);
  const StopReach stop =
      group != nullptr ? coupled_stop(rig, *group, l.speed()) : stop_reach({0, l.speed(), 0}, l.full());
  Times t{.stop_s = stop.time_s, .stop_distance = stop.distance};
  // What turns for ever has no full travel; a turn stands for it.
  t.travel_s =
      rig.axes[a].endless ? shortest_time({}, 360, l.full()) : shortest_time({l.low(), 0, 0}, l.high(), l.full());
  const auto& notches = rig.setup.notches.increments[a];
  if (!notches.values.empty()) {
    t.increment = from_nano(notches.values[notches.start]);
    t.increment_s = shortest_time({}, t.increment, l.full());
  }
  return t;
}

using Out = std::back_insert_iterator<std::string>;

/// "line 30", or with its file where that is an included one.
std::string where(const Rig& rig, const Origin& origin) {
  return origin.file == rig.path ? fmt::format("line {}", origin.line) : fmt::format("{}:{}", origin.file, origin.line);
}

/// "900 / 9000"; a jerk that the rig does not name is marked.
std::string pair_of(double accel, double jerk, bool usual) {
  return fmt::format("{:g} / {:g}{}", accel, jerk, usual ? "*" : "");
}

void write_motor(Out out, const Rig& rig, std::size_t a, const Times& t) {
  const AxisLimits& l = rig.setup.axes[a].limits;
  const AxisInfo& info = rig.axes[a];
  fmt::format_to(out, "  {:<10}{:>12}{:>13}{:>16}{:>16}{:>22}{:>24}\n", info.name, "motor",
                 fmt::format("{:g} %", l.speed()), pair_of(l.full().accel, l.full().jerk, info.usual_jerk),
                 pair_of(l.full().decel, l.full().decel_jerk, info.usual_decel_jerk),
                 fmt::format("{:.0f} ms", t.stop_s * 1e3), where(rig, info.origin));
  fmt::format_to(out, "            {}{}\n", position_words(rig, a), needs_words(rig, a));
}

void write_axes(Out out, const Rig& rig) {
  fmt::format_to(out, "\nAxes{:>20}{:>13}{:>16}{:>16}{:>22}{:>13}\n", "travel", "speed", "accel / jerk", "decel / jerk",
                 "stop from full speed", "full travel");
  bool usual = false;
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisLimits& l = rig.setup.axes[a].limits;
    const AxisInfo& info = rig.axes[a];
    const Times t = times_of(rig, a);
    usual = usual || info.usual_jerk || info.usual_decel_jerk;
    if (info.motor) {
      write_motor(out, rig, a, t);
      continue;
    }
    const std::string travel = info.endless ? "endless" : fmt::format("{:g} … {:g}", l.low(), l.high());
    fmt::format_to(out, "  {:<10}{:>12}{:>13}{:>16}{:>16}{:>22}{:>13}{:>11}\n", info.name, travel,
                   fmt::format("{:g} {}/s", l.speed(), info.unit),
                   pair_of(l.full().accel, l.full().jerk, info.usual_jerk),
                   pair_of(l.full().decel, l.full().decel_jerk, info.usual_decel_jerk),
                   fmt::format("{:.0f} ms, {:.1f} {}", t.stop_s * 1e3, t.stop_distance, info.unit),
                   fmt::format("{:.2f} s{}", t.travel_s, info.endless ? " a turn" : ""), where(rig, info.origin));
    const std::string step =
        t.increment > 0 ? fmt::format("one step of {:g} {} in {:.0f} ms", t.increment, info.unit, t.increment_s * 1e3)
                        : "no steps";
    const std::string together =
        coupled(rig, a) != nullptr ? "; coupled: it stops on the line of its group, after this at most" : "";
    fmt::format_to(out, "            {}; {}{}{}\n", position_words(rig, a), step, needs_words(rig, a), together);
  }
  if (usual)
    fmt::format_to(out, "  * not named in the rig: full acceleration after {:g} ms, full deceleration after {:g} ms\n",
                   1e3 / AxisLimits::usual_jerk(1), 1e3 / AxisLimits::usual_decel_jerk(1));
}

void write_switches(Out out, const Rig& rig) {
  if (rig.switches.empty()) return;
  fmt::format_to(out, "\nSwitches (off is never refused; on only while the zone is ready or live)\n");
  for (std::size_t i = 0; i < rig.switches.size(); ++i) {
    const SwitchSetup& s = rig.setup.switches[i];
    const std::string times = times_words(s);
    fmt::format_to(out, "  {:<12} {} at first, on {}{}{}\n", rig.switches[i], s.start_on ? "on" : "off",
                   rig.links[index(s.wiring.link)].name, times.empty() ? "" : "; ", times);
    for (const std::string& one : becomes_words(s)) fmt::format_to(out, "{:15}{}\n", "", one);
  }
}

void write_links(Out out, const Rig& rig) {
  fmt::format_to(out, "\nLinks\n");
  for (const LinkInfo& link : rig.links)
    fmt::format_to(out, "  {}: {}{}\n", link.name, link_words(link),
                   link.origin.line > 0 ? "  " + where(rig, link.origin) : std::string());
}

/// How long nothing may change on a handset while it moves something.
void write_steady(Out out, const Rig& rig, HandsetId handset) {
  const HandsetSetup& setup = rig.setup.handsets[index(handset)];
  const Span limit = setup.max_steady.value_or(usual_max_steady);
  if (limit == Span{}) {
    fmt::format_to(out, "    it may repeat the same values for ever while it moves or enables an axis\n");
    return;
  }
  fmt::format_to(out, "    {}the zone stops when nothing on it changes for {:g} s while it moves or enables an axis\n",
                 setup.max_steady ? "" : "by radio: ", to_seconds(limit));
  std::vector<std::string> trembling;
  for (std::size_t s = 0; s < rig.slots.size(); ++s)
    if (rig.setup.controls[s].handset == handset && rig.setup.controls[s].trembles)
      trembling.push_back(rig.slots[s].name);
  if (!trembling.empty() && setup.max_tremble > Span{} && setup.max_tremble < limit)
    fmt::format_to(out, "    ({:.3g} s where it is held between its ends, for it never stands still: {})\n",
                   to_seconds(setup.max_tremble), fmt::join(trembling, ", "));
}

void write_watchdogs(Out out, const Rig& rig) {
  fmt::format_to(out, "\nWatchdogs\n");
  fmt::format_to(out, "  a tick later than {:g} ms after the last is a fault\n", to_seconds(rig.setup.max_tick) * 1e3);
  // Axes that are watched alike stand in one line.
  std::vector<std::pair<std::string, std::string>> alike;
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisSetup& axis = rig.setup.axes[a];
    if (rig.axes[a].motor || axis.position != PositionKind::measured) continue;
    const std::string words = runaway_words(axis.runaway);
    const auto same = std::ranges::find(alike, words, &std::pair<std::string, std::string>::second);
    if (same == alike.end())
      alike.emplace_back(rig.axes[a].name, words);
    else
      same->first += ", " + rig.axes[a].name;
  }
  for (const auto& [axes, words] : alike) fmt::format_to(out, "  {}: {}\n", axes, words);
  for (std::size_t h = 0; h < rig.handsets.size(); ++h) {
    const HandsetSetup& handset = rig.setup.handsets[h];
    const std::string silence = handset.max_silence
                                    ? fmt::format("reports steadily: silent for more than {:g} ms, it is lost",
                                                  to_seconds(*handset.max_silence) * 1e3)
                                    : std::string("reports on change: silence is no fault, being unplugged is");
    fmt::format_to(out, "  {}: {}; a reading older than {:g} ms is a fault\n", rig.handsets[h], silence,
                   to_seconds(handset.max_age) * 1e3);
    write_steady(out, rig, id_at<HandsetId>(h));
    const auto& measured = rig.seats[h].calibrated;
    if (!handset.max_silence && measured && measured->habit == ReportHabit::steadily && measured->max_silence_s > 0)
      fmt::format_to(
          out, "    it was measured to report {}, {:g} ms apart at most: reports = \"{}\" makes silence a fault\n",
          name_of(measured->habit), measured->max_silence_s * 1e3, name_of(measured->habit));
  }
  for (std::size_t l = 0; l < rig.links.size(); ++l)
    fmt::format_to(out, "  {}: no heartbeat for {:g} ms is a fault; the far end stops by itself after {:g} ms\n",
                   rig.links[l].name, to_seconds(rig.setup.links[l].max_silence) * 1e3,
                   to_seconds(rig.setup.links[l].frame_valid_for) * 1e3);
}

void write_reduced(Out out, const Rig& rig) {
  const auto& reduced = rig.setup.notches.reduced;
  std::string groups;
  for (const GroupSetup& group : rig.setup.groups) {
    if (!(group.reduced_speed < std::numeric_limits<double>::infinity())) continue;
    for (const AxisId axis : group.axes)
      groups += (axis == group.axes.front() ? ", " : " and ") + rig.axes[index(axis)].name;
    groups += fmt::format(" together at most {:g} {}/s", group.reduced_speed, rig.axes[index(group.axes.front())].unit);
  }
  if (groups.empty() && reduced.speed == 1 && reduced.accel == 1) return;
  fmt::format_to(out, "\nReduced speed ({} at first): {:g} % of speed, {:g} % of acceleration{}\n",
                 reduced.starts_on ? "on" : "off", reduced.speed * 100, reduced.accel * 100, groups);
}

std::string virtual_words(const Rig& rig, const ControlSetup& c) {
  const auto part = [&](std::size_t i) { return rig.slots[index(c.virtual_control.parts[i])].name; };
  switch (c.virtual_control.how) {
    case VirtualControl::How::none: return {};
    case VirtualControl::How::difference: return fmt::format("{} less {}", part(0), part(1));
    case VirtualControl::How::mean: return fmt::format("mean of {} and {}", part(0), part(1));
    case VirtualControl::How::greater: return fmt::format("the greater of {} and {}", part(0), part(1));
    case VirtualControl::How::drive_left:
    case VirtualControl::How::drive_right:
      return fmt::format("{} motor of speed {} and turn {}",
                         c.virtual_control.how == VirtualControl::How::drive_left ? "left" : "right", part(0), part(1));
    case VirtualControl::How::tilt_x:
    case VirtualControl::How::tilt_y:
      return fmt::format("how far {} is lowered, by gravity; full at {:.0f} deg",
                         c.virtual_control.how == VirtualControl::How::tilt_x ? "its right side" : "its far side",
                         c.virtual_control.range * 180 / std::numbers::pi);
    case VirtualControl::How::key:
      return fmt::format("pressed from {:g} % of {} on, until below {:g} %",
                         (c.virtual_control.lower ? -100 : 100) * c.virtual_control.press, part(0),
                         (c.virtual_control.lower ? -100 : 100) * c.virtual_control.release);
  }
  return {};
}

/// What hands touch: what was measured, how it is shaped, what has to wait.
void write_controls(Out out, const Rig& rig) {
  fmt::format_to(out,
                 "\nControls (in this order: ends, smoothing, dead zone, straight pushes, curve; then those that are "
                 "made of others)\n");
  for (std::size_t h = 0; h < rig.handsets.size(); ++h)
    if (const auto& measured = rig.seats[h].calibrated)
      fmt::format_to(out, "  {}: as measured in {}{}\n", rig.handsets[h], measured->file,
                     measured->any_device ? ", on any device" : "");
  for (std::size_t s = 0; s < rig.slots.size(); ++s) {
    const ControlSetup& c = rig.setup.controls[s];
    const std::string made = virtual_words(rig, c), shape = shape_words(c);
    if (made.empty() && shape.empty()) continue;
    const std::string handset = rig.handsets.size() > 1 ? rig.handsets[index(c.handset)] + " " : "";
    fmt::format_to(out, "  {:<22} {}{}{}\n", handset + rig.slots[s].name, made,
                   made.empty() || shape.empty() ? "" : "; ", shape);
  }
  for (const StationInfo& station : rig.stations) {
    std::string names;
    for (std::size_t h = 0; h < rig.handsets.size(); ++h)
      if (has(station.handsets, id_at<HandsetId>(h))) names += (names.empty() ? "" : " and ") + rig.handsets[h];
    fmt::format_to(out, "  {}: {} are in charge together\n", station.name, names);
  }
  if (rig.handsets.size() > 1 && std::popcount(rig.setup.stations.front()) < static_cast<int>(rig.handsets.size()))
    fmt::format_to(out,
                   "  one is in charge: the one whose ready was pressed; another takes over at rest, by its own ready; "
                   "every stop counts\n");
}

/// What a plain press waits for where its key has other gestures.
std::string delay_of(const Rig& rig, std::size_t row) {
  const BindingSetup& b = rig.setup.bindings[row];
  if (b.gesture != Gesture::press || b.as<effect::Stop>()) return {};
  Rivals rivals;
  for (const BindingSetup& other : rig.setup.bindings) {
    const bool member = std::find(other.with.begin(), other.with.end(), b.slot) != other.with.end();
    if (other.layer != b.layer || (other.slot != b.slot && !member)) continue;
    rivals.add(other.gesture, other.hold);
  }
  return rivals.any() ? fmt::format(" (waits up to {:g} ms for its other gestures)",
                                    to_seconds(rival_delay(rivals, rig.setup.gestures)) * 1e3)
                      : "";
}

void write_bindings(Out out, const Rig& rig) {
  fmt::format_to(out,
                 "\nBindings (on one axis: stop, then permit, then go or a pose, then follow, then jog, then steps and "
                 "counts; jogs of one "
                 "axis add)\n");
  std::size_t longest = 0;
  std::vector<std::string> lines;
  for (std::size_t row = 0; row < rig.bindings.size(); ++row) {
    lines.push_back(rig.bindings[row].sentence + delay_of(rig, row));
    longest = std::max(longest, lines.back().size());
  }
  for (std::size_t row = 0; row < lines.size(); ++row)
    fmt::format_to(out, "  {:<{}}  {}\n", lines[row], longest, where(rig, rig.bindings[row].origin));
}

/// Overrides and increments, which is in force at first, and who sets them.
void write_numbers(Out out, const Rig& rig) {
  const NotchSetup& notches = rig.setup.notches;
  std::string all;
  for (std::size_t n = 0; n < rig.numbers.size(); ++n) {
    const OverrideId override = notches.numbers[n].override;
    if (override == no<OverrideId> || rig.numbers[n].origin.line == 0) continue;
    const auto& list = notches.overrides[index(override)];
    std::string values;
    for (const double value : list.values) values += fmt::format(" {:g}", value);
    fmt::format_to(std::back_inserter(all), "  {:<22}{:g} % at first, of{}  {}\n", rig.numbers[n].name,
                   list.values[list.start], values, where(rig, rig.numbers[n].origin));
  }
  if (!all.empty()) fmt::format_to(out, "\nOverrides\n{}", all);
  if (rig.remembers_overrides || rig.remembers_increments)
    fmt::format_to(out, "  a live run goes on with the {} that the last one ended with\n",
                   rig.remembers_overrides && rig.remembers_increments ? "overrides and increments"
                   : rig.remembers_overrides                           ? "overrides"
                                                                       : "increments");
  if (rig.origins.contains("logbook.keep") || rig.origins.contains("logbook.keep_mb"))
    fmt::format_to(out, "\nLogbooks\n  in the usual folder {} at most, {:g} MB together; the oldest go\n",
                   rig.keep_logbooks, rig.keep_logbooks_mb);
}

/// Whether a cause means anything in a zone.
bool can_arise(const ZoneSetup& zone, Cause cause) {
  const bool of_enable = cause == Cause::enable_released || cause == Cause::enable_squeezed;
  const StowAfter& after = zone.stow_after;
  if (cause == Cause::let_go) return zone.hold_to_run;
  if (cause == Cause::setting_changed) return after.override || after.layer || after.calibration;
  return !of_enable || !zone.hold_to_run;
}

/// "override", "layer", "calibration": after what a zone is stowed.
std::vector<const char*> stowed_after(const ZoneSetup& zone) {
  std::vector<const char*> all;
  if (zone.stow_after.override) all.push_back("override");
  if (zone.stow_after.layer) all.push_back("layer");
  if (zone.stow_after.calibration) all.push_back("calibration");
  return all;
}

void write_zones(Out out, const Rig& rig) {
  const auto usual = default_categories();
  for (std::size_t z = 0; z < rig.zones.size(); ++z) {
    fmt::format_to(
        out,
        "\nZone {}: category of the stop for each cause (0 power off at once, 1 stop then off, 2 stop, power stays)\n",
        rig.zones[z]);
    for (std::size_t c = 1; c < cause_count; ++c) {
      const AboutCause& cause = about(static_cast<Cause>(c));
      if (!can_arise(rig.setup.zones[z], static_cast<Cause>(c))) continue;
      const int category = static_cast<int>(rig.setup.zones[z].categories[c]);
      const bool changed = category != static_cast<int>(usual[c]);
      fmt::format_to(out, "  {}  {:<20} {}{}\n", category, cause.name, cause.sentence,
                     changed ? fmt::format(" (by default {})", static_cast<int>(usual[c])) : "");
    }
    if (rig.setup.zones[z].hold_to_run)
      fmt::format_to(out, "  hold to run: it has no enable, and moves only while what moves it is held\n");
    if (const auto after = stowed_after(rig.setup.zones[z]); !after.empty())
      fmt::format_to(out, "  it stows when one of these changes: {}\n", fmt::join(after, ", "));
  }
}

}  // namespace

std::string review_text(const Rig& rig) {
  std::string all;
  Out out(all);
  const auto count = [&](std::size_t n, const char* one, const char* many) {
    return fmt::format("{} {}", n, n == 1 ? one : many);
  };
  fmt::format_to(out, "{}\n{} holds: {}, {}, {}, {}, {}; a tick every {:g} ms\n",
                 rig.title.empty() ? rig.path : rig.title, rig.path, count(rig.axes.size(), "axis", "axes"),
                 count(rig.switches.size(), "switch", "switches"), count(rig.handsets.size(), "handset", "handsets"),
                 count(rig.bindings.size(), "binding", "bindings"), count(rig.zones.size(), "zone", "zones"),
                 to_seconds(rig.period) * 1e3);
  write_axes(out, rig);
  write_reduced(out, rig);
  write_numbers(out, rig);
  write_controls(out, rig);
  write_bindings(out, rig);
  write_switches(out, rig);
  write_links(out, rig);
  write_watchdogs(out, rig);
  write_zones(out, rig);
  fmt::format_to(out, "\nWhat this rig cannot promise\n");
  for (const std::string& remark : rig.remarks) fmt::format_to(out, "  {}\n", remark);
  fmt::format_to(out,
                 "  Gyrax is not a safety-rated device: the machine's emergency stop must be wired, not programmed.\n");
  return all;
}

std::string review_json(const Rig& rig) {
  using Json = nlohmann::ordered_json;
  const std::vector<Finding> found = findings(rig);
  Json all{{"gyrax_json", json_version},
           {"rig", rig.path},
           {"title", rig.title},
           {"good",
            std::ranges::none_of(found, [](const Finding& f) { return f.about->severity == Severity::cannot_work; })},
           {"period_ms", to_seconds(rig.period) * 1e3}};
  all["axes"] = Json::array();
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisLimits& l = rig.setup.axes[a].limits;
    const Times t = times_of(rig, a);
    all["axes"].push_back({{"axis", rig.axes[a].name},
                           {"unit", rig.axes[a].unit},
                           {"travel", {l.low(), l.high()}},
                           {"speed", l.speed()},
                           {"accel", l.full().accel},
                           {"jerk", l.full().jerk},
                           {"decel", l.full().decel},
                           {"decel_jerk", l.full().decel_jerk},
                           {"stop_s", t.stop_s},
                           {"stop_distance", t.stop_distance},
                           {"travel_s", t.travel_s},
                           {"increment", t.increment},
                           {"increment_s", t.increment_s},
                           {"position", position_words(rig, a)},
                           {"file", rig.axes[a].origin.file},
                           {"line", rig.axes[a].origin.line}});
  }
  all["zones"] = Json::array();
  for (std::size_t z = 0; z < rig.zones.size(); ++z) {
    Json categories = Json::object();
    for (std::size_t c = 1; c < cause_count; ++c)
      categories[about(static_cast<Cause>(c)).name] = static_cast<int>(rig.setup.zones[z].categories[c]);
    all["zones"].push_back({{"zone", rig.zones[z]},
                            {"hold_to_run", rig.setup.zones[z].hold_to_run},
                            {"stow_after", stowed_after(rig.setup.zones[z])},
                            {"categories", categories}});
  }
  all["switches"] = Json::array();
  for (std::size_t i = 0; i < rig.switches.size(); ++i) {
    const SwitchSetup& s = rig.setup.switches[i];
    Json becomes = Json::object();
    for (std::size_t c = 1; c < cause_count; ++c) becomes[about(static_cast<Cause>(c)).name] = name_of(s.becomes[c]);
    all["switches"].push_back({{"switch", rig.switches[i]},
                               {"start", s.start_on ? "on" : "off"},
                               {"link", rig.links[index(s.wiring.link)].name},
                               {"becomes", becomes},
                               {"pulse_s", to_seconds(s.pulse)},
                               {"max_on_s", to_seconds(s.max_on)},
                               {"min_off_s", to_seconds(s.min_off)}});
  }
  all["links"] = Json::array();
  for (const LinkInfo& link : rig.links)
    all["links"].push_back({{"link", link.name}, {"kind", link.kind}, {"numbers", link.numbers}});
  all["overrides"] = Json::array();
  for (std::size_t n = 0; n < rig.numbers.size(); ++n) {
    const OverrideId override = rig.setup.notches.numbers[n].override;
    if (override == no<OverrideId>) continue;
    const auto& list = rig.setup.notches.overrides[index(override)];
    all["overrides"].push_back({{"name", rig.numbers[n].name},
                                {"percent", list.values},
                                {"start", list.values[list.start]},
                                {"file", rig.numbers[n].origin.file},
                                {"line", rig.numbers[n].origin.line}});
  }
  all["controls"] = Json::array();
  for (std::size_t s = 0; s < rig.slots.size(); ++s) {
    const ControlSetup& c = rig.setup.controls[s];
    all["controls"].push_back({{"handset", rig.handsets[index(c.handset)]},
                               {"control", rig.slots[s].name},
                               {"made_of", virtual_words(rig, c)},
                               {"shape", shape_words(c)}});
  }
  all["bindings"] = Json::array();
  for (std::size_t row = 0; row < rig.bindings.size(); ++row) {
    const BindingInfo& b = rig.bindings[row];
    all["bindings"].push_back(
        {{"says", b.sentence + delay_of(rig, row)}, {"file", b.origin.file}, {"line", b.origin.line}});
  }
  all["findings"] = Json::array();
  for (const Finding& f : found)
    all["findings"].push_back({{"code", f.about->code},
                               {"severity", name_of(f.about->severity)},
                               {"file", f.at.file},
                               {"line", f.at.line},
                               {"column", f.at.column},
                               {"key", f.key},
                               {"what", f.what},
                               {"why", f.about->why},
                               {"instead", f.instead}});
  all["remarks"] = rig.remarks;
  all["origins"] = Json::object();
  for (const auto& [key, origin] : rig.origins) all["origins"][key] = {{"file", origin.file}, {"line", origin.line}};
  return all.dump(2) + "\n";
}

}  // namespace gyrax
