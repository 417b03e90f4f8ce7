#include "actions.hpp"
#include "axes.hpp"
#include "boards.hpp"
#include "homing.hpp"
#include "link_kinds.hpp"
#include "review_parts.hpp"
#include "shapes.hpp"
#include "switches.hpp"

#include <gyrax/rig/predictions.hpp>
#include <gyrax/rig/review.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <iterator>
#include <limits>
#include <optional>
#include <string>
#include <vector>

namespace gyrax {
namespace {

using Out = std::back_insert_iterator<std::string>;

/// "line 30", or with its file where that is an included one.
std::string where(const Rig& rig, const Origin& origin) {
  return origin.file == rig.path ? fmt::format("line {}", origin.line) : fmt::format("{}:{}", origin.file, origin.line);
}

/// "900 / 9000"; a jerk that the rig does not name is marked.
std::string pair_of(double accel, double jerk, bool usual) {
  return fmt::format("{:g} / {:g}{}", accel, jerk, usual ? "*" : "");
}

/// Where it hangs, and what it becomes there when the wire is silent.
void write_channel(Out out, const Rig& rig, std::size_t a) {
  const Wiring& wiring = rig.setup.axes[a].wiring;
  const LinkInfo& link = rig.links[index(wiring.link)];
  if (!link.axis_channels.empty())
    fmt::format_to(out, "            {}\n", channel_words(link, link.axis_channels[wiring.channel]));
}

void write_motor(Out out, const Rig& rig, std::size_t a, const AxisTimes& t) {
  const AxisLimits& l = rig.setup.axes[a].limits;
  const AxisInfo& info = rig.axes[a];
  fmt::format_to(out, "  {:<10}{:>12}{:>13}{:>16}{:>16}{:>22}{:>24}\n", info.name, "motor",
                 fmt::format("{:g} %", l.speed()), pair_of(l.full().accel, l.full().jerk, info.usual_jerk),
                 pair_of(l.full().decel, l.full().decel_jerk, info.usual_decel_jerk),
                 fmt::format("{:.0f} ms", t.stop_s * 1e3), where(rig, info.origin));
  fmt::format_to(out, "            {}{}\n", position_words(rig, a), needs_words(rig, a));
  write_channel(out, rig, a);
}

void write_axes(Out out, const Rig& rig) {
  fmt::format_to(out, "\nAxes{:>20}{:>13}{:>16}{:>16}{:>22}{:>13}\n", "travel", "speed", "accel / jerk", "decel / jerk",
                 "stop from full speed", "full travel");
  bool usual = false;
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisLimits& l = rig.setup.axes[a].limits;
    const AxisInfo& info = rig.axes[a];
    const AxisTimes t = times_of(rig, a);
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
        is_coupled(rig, id_at<AxisId>(a)) ? "; coupled: it stops on the line of its group, after this at most" : "";
    fmt::format_to(out, "            {}; {}{}{}\n", position_words(rig, a), step, needs_words(rig, a), together);
    for (const std::string& line : homing_words(rig, a)) fmt::format_to(out, "            {}\n", line);
    write_channel(out, rig, a);
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
    const LinkInfo& link = rig.links[index(s.wiring.link)];
    if (!link.switch_channels.empty())
      fmt::format_to(out, "{:15}{}\n", "", channel_words(link, link.switch_channels[s.wiring.channel]));
  }
}

void write_actions(Out out, const Rig& rig) {
  if (rig.actions.empty()) return;
  fmt::format_to(out, "\nActions (by a key, or typed at `gyrax run`; one at a time on a link; a stop ends them)\n");
  for (std::size_t a = 0; a < rig.actions.size(); ++a) {
    std::string name = rig.actions[a].name;
    for (const std::string& line : action_words(rig, id_at<ActionId>(a)))
      fmt::format_to(out, "  {:<12} {}\n", std::exchange(name, {}), line);
  }
}

/// "below 5 %, above 80 % for 200 ms; it has come back 3 % inside: every zone".
std::string trip_words(const Rig& rig, InputId id) {
  const InputBounds& bounds = rig.setup.inputs[index(id)].bounds;
  const std::string& unit = rig.inputs[index(id)].unit;
  std::vector<std::string> beyond, zones;
  if (std::isfinite(bounds.low)) beyond.push_back(fmt::format("below {:g} {}", bounds.low, unit));
  if (std::isfinite(bounds.high)) beyond.push_back(fmt::format("above {:g} {}", bounds.high, unit));
  for (std::size_t z = 0; z < rig.zones.size(); ++z)
    if (std::ranges::count(rig.setup.zones[z].bounded, id) > 0) zones.push_back(rig.zones[z]);
  if (zones.empty()) return {};
  std::string words =
      fmt::format("{} trip{} {}", fmt::join(zones, " and "), zones.size() == 1 ? "s" : "", fmt::join(beyond, " or "));
  if (bounds.grace > Span{}) words += fmt::format(" for {:g} ms", to_seconds(bounds.grace) * 1e3);
  if (bounds.hysteresis > 0)
    words += fmt::format(", and may be reset once it is {:g} {} inside", bounds.hysteresis, unit);
  return words;
}

void write_inputs(Out out, const Rig& rig) {
  if (rig.inputs.empty()) return;
  fmt::format_to(out, "\nInputs (what is not known is not good)\n");
  for (std::size_t i = 0; i < rig.inputs.size(); ++i) {
    const InputInfo& input = rig.inputs[i];
    const LinkInfo& link = rig.links[index(input.link)];
    const std::string what = input.unit.empty()
                                 ? std::string(input.inverted ? "a contact, on while it is open" : "a contact")
                             : input.counts == 1 && input.is == 1
                                 ? fmt::format("a number of {}", input.unit)
                                 : fmt::format("{:g} counts are {:g} {}", input.counts, input.is, input.unit);
    fmt::format_to(out, "  {:<12} {}, of {}{}  {}\n", input.name, what, link.name,
                   link.input_channels.empty() ? std::string()
                                               : fmt::format(", channel {}", link.input_channels[input.channel].number),
                   where(rig, input.origin));
    if (const std::string trips = trip_words(rig, id_at<InputId>(i)); !trips.empty())
      fmt::format_to(out, "{:15}{}\n", "", trips);
  }
}

/// "heartbeat 100, control 101, turntable.position 102 (i32, 1000 counts a deg)".
std::string entry_words(const std::vector<RegisterEntry>& entries) {
  std::string all;
  for (const RegisterEntry& entry : entries) {
    const RegisterWord& word = entry.word;
    all += fmt::format("{}{} {}", all.empty() ? "" : ", ", entry.name, word.at);
    if (word.type == RegisterWord::Type::bit && !word.single) all += fmt::format(" bit {}", word.bit);
    const bool counts = word.counts != 1 || word.is != 1;
    if (word.type != RegisterWord::Type::bit && word.type != RegisterWord::Type::u16)
      all += counts ? fmt::format(" ({}, {:g} counts are {:g})", name_of(word.type), word.counts, word.is)
                    : fmt::format(" ({})", name_of(word.type));
  }
  return all;
}

/// A list on lines of at most so many characters, broken behind commas.
void write_list(Out out, std::string list) {
  constexpr std::size_t most = 104;
  while (list.size() > most) {
    const std::size_t comma = list.rfind(", ", most);
    if (comma == std::string::npos) break;
    fmt::format_to(out, "{:15}{}\n", "", list.substr(0, comma + 1));
    list = "  " + list.substr(comma + 2);
  }
  fmt::format_to(out, "{:15}{}\n", "", list);
}

void write_registers(Out out, const RegisterMap& map) {
  if (!map.tells.empty()) write_list(out, "told: " + entry_words(map.tells));
  if (!map.coils.empty()) write_list(out, "told in coils: " + entry_words(map.coils));
  if (!map.hears.empty()) write_list(out, "heard: " + entry_words(map.hears));
  if (!map.discretes.empty()) write_list(out, "heard of discrete inputs: " + entry_words(map.discretes));
  std::string states;
  for (const DriveState& state : map.states)
    states +=
        fmt::format("{}{} {:#06x}/{:#06x}{}", states.empty() ? "states: " : ", ", state.name, state.value, state.mask,
                    state.is == DriveState::Is::on      ? " (on)"
                    : state.is == DriveState::Is::fault ? " (a fault)"
                                                        : "");
  if (!states.empty()) write_list(out, states);
}

void write_dialect(Out out, const LinkInfo& link) {
  const Dialect& dialect = *link.dialect;
  std::string letters;
  for (const char letter : link.letters) letters += fmt::format("{}{}", letters.empty() ? "" : " ", letter);
  fmt::format_to(out, "{:15}axes {}; {} with {} decimals; told: {}\n", "", letters, dialect.inch ? "inch" : "mm",
                 dialect.decimals, dialect.move.text());
  fmt::format_to(out, "{:15}it takes {} lines or {} bytes ahead of its answers, and plans {} moves\n", "",
                 dialect.takes_lines, dialect.takes_bytes, dialect.takes_moves);
}

void write_links(Out out, const Rig& rig) {
  fmt::format_to(out, "\nLinks\n");
  for (const LinkInfo& link : rig.links) {
    fmt::format_to(out, "  {}: {}{}\n", link.name, link_words(link),
                   link.origin.line > 0 ? "  " + where(rig, link.origin) : std::string());
    if (link.kind == "board") fmt::format_to(out, "{:15}{}\n", "", load_words(rig.links, link));
    if (link.registers) write_registers(out, *link.registers);
    if (link.dialect) write_dialect(out, link);
    if (const std::string supply = supply_words(link); !supply.empty()) fmt::format_to(out, "{:15}{}\n", "", supply);
  }
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
    fmt::format_to(out, "  {}: no heartbeat for {:g} ms is a fault; {} after {:.4g} ms\n", rig.links[l].name,
                   to_seconds(rig.setup.links[l].max_silence) * 1e3,
                   rig.links[l].dialect ? "its queue has run out" : "the far end stops by itself",
                   far_end_of(rig, id_at<LinkId>(l)).valid_s * 1e3);
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

/// What hands touch: what was measured, how it is shaped, what has to wait.
void write_controls(Out out, const Rig& rig) {
  fmt::format_to(out,
                 "\nControls (in this order: ends, smoothing, dead zone, straight pushes, curve; then those that are "
                 "made of others)\n");
  for (std::size_t h = 0; h < rig.handsets.size(); ++h)
    if (const auto& wire = rig.seats[h].wire)
      fmt::format_to(out, "  {}: parts of one's own on {}, address {}\n", rig.handsets[h], wire->words(),
                     wire->address);
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
  if (cause == Cause::input_off) return !zone.needs.empty();
  if (cause == Cause::input_beyond) return !zone.bounded.empty();
  if (cause == Cause::input_unknown) return !zone.needs.empty() || !zone.bounded.empty();
  return !of_enable || !zone.hold_to_run;
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
    std::vector<std::string> needs;
    for (const InputId input : rig.setup.zones[z].needs) needs.push_back(rig.inputs[index(input)].name);
    if (!needs.empty())
      fmt::format_to(out, "  it gets ready and stays live only while on, and known: {}\n", fmt::join(needs, ", "));
    if (rig.setup.zones[z].hold_to_run)
      fmt::format_to(out, "  hold to run: it has no enable, and moves only while what moves it is held\n");
    if (const auto after = stowed_after(rig.setup.zones[z]); !after.empty())
      fmt::format_to(out, "  it stows when one of these changes: {}\n", fmt::join(after, ", "));
  }
}

/// "44.1 mm, 461 ms"; of a motor, which has no place, the time alone.
std::string reach_words(const Rig& rig, const Prediction& p) {
  const AxisInfo& axis = rig.axes[index(p.axis)];
  if (axis.motor) return fmt::format("{:.0f} ms", p.time_s() * 1e3);
  return fmt::format("{:.1f} {}, {:.0f} ms", p.way(), axis.unit, p.time_s() * 1e3);
}

/// Of each side the farthest. What a radio repeats stands apart: it is seconds where all else is milliseconds.
void write_predictions(Out out, const Rig& rig) {
  fmt::format_to(out, "\nHow far it goes at the worst, from a failure to the machine's rest (gyrax faults shows it)\n");
  fmt::format_to(out, "  {:<12}", "");
  for (const char* side : {"a person stops", "its handset", "its link", "the program", "the machine itself"})
    fmt::format_to(out, "{:>21}", side);
  fmt::format_to(out, "\n");
  for (std::size_t a = 0; a < rig.axes.size(); ++a)
    for (const AtSpeed at : {AtSpeed::full, AtSpeed::in_force}) {
      const AxisId axis = id_at<AxisId>(a);
      const Predictor predictor(rig, axis, at);
      const bool same = at == AtSpeed::in_force && predictor.speed() == reachable_speed(rig, axis);
      if (!(predictor.speed() > 0) || same) continue;
      std::array<std::optional<Prediction>, side_count> worst;
      for (std::size_t c = 1; c < cause_count; ++c) {
        const auto cause = static_cast<Cause>(c);
        if (cause == Cause::handset_steady || !predictor.applies(cause)) continue;
        const Prediction one = predictor.of(cause);
        auto& most = worst[static_cast<std::size_t>(side_of(cause))];
        if (!most || one.way() > most->way() || (one.way() == most->way() && one.time_s() > most->time_s())) most = one;
      }
      fmt::format_to(out, "  {:<12}", at == AtSpeed::full ? rig.axes[a].name : " at first");
      for (const auto& one : worst) fmt::format_to(out, "{:>21}", one ? reach_words(rig, *one) : "not watched");
      fmt::format_to(out, "\n");
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
  write_inputs(out, rig);
  write_actions(out, rig);
  write_links(out, rig);
  write_watchdogs(out, rig);
  write_predictions(out, rig);
  write_zones(out, rig);
  fmt::format_to(out, "\nWhat this rig cannot promise\n");
  for (const std::string& remark : rig.remarks) fmt::format_to(out, "  {}\n", remark);
  fmt::format_to(out,
                 "  Gyrax is not a safety-rated device: the machine's emergency stop must be wired, not programmed.\n");
  return all;
}

}  // namespace gyrax
