#include "findings_kinds.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <tuple>

namespace gyrax {
namespace {

using enum Severity;

constexpr std::array<AboutFinding, static_cast<std::size_t>(Found::count)> kinds{{
    {"over_at_once", cannot_work, "it moves only while it is held, and such a gesture is over as it begins"},
    {"never_fires", cannot_work, "it can never count"},
    {"needs_never_on", cannot_work, "the axis will never move"},
    {"step_beyond_travel", cannot_work, "every such step is refused"},
    {"trips_at_speed", cannot_work, "a machine lags behind what it is told, and at full speed that is a fault already"},
    {"stops_between_frames", cannot_work, "the far end stops by itself before the next frame is due"},
    {"silent_between_reports", cannot_work, "the link counts as silent before its next report is due"},
    {"wire_too_slow", cannot_work, "its wire cannot carry so many sets a second"},
    {"never_good", cannot_work, "a simulated input stays as it starts, so nothing that stands on it will ever move"},
    {"needs_its_end", cannot_work, "off the switch it may not move, and on the switch it only moves off"},
    {"one_switch_two_ends", cannot_work, "while it is on the axis moves neither way, so nothing brings it off"},
    {"permit_and_more", dangerous, "a control of the permit that does something else brings both with one press"},
    {"stop_too_long", dangerous, "the rig itself allows less"},
    {"noticed_too_late", dangerous, "so far it goes before it is noticed and stopped, and the rig allows less"},
    {"supply_too_small", dangerous, "it sags when everything moves, and a board that it feeds begins anew just then"},
    {"switch_never_off", dangerous, "only a stop turns it off"},
    {"power_stays", dangerous, "power stays on an axis that does not do what it is told"},
    {"two_words", doubtful, "a hand that is a little slow gives the other word"},
    {"two_effects", doubtful, "one press does two things at once"},
    {"two_axes", doubtful, "one push moves two axes, and neither of them alone"},
    {"layer_key_bound", doubtful, "whoever turns to the layer does that as well"},
    {"layer_never_off", doubtful, "once it is on it stays on until the program ends"},
    {"one_way", doubtful, "nothing brings it back until the program starts anew"},
    {"out_of_order", doubtful, "up is not always more, nor down less"},
    {"switch_never_on", doubtful, "it stays off for ever"},
    {"always_reduced", doubtful, "full speed is never reached"},
    {"springs_back", doubtful, "a stick that is let go takes its axis to the middle"},
    {"crooked_pair", doubtful, "no hand pushes quite straight, so a push along one axis moves the other one as well"},
    {"long_stop", doubtful, "so much is left free in front of every end and obstacle"},
    {"wide_following_error", doubtful, "a stuck axis is noticed late"},
    {"weak_decel", doubtful, "it gains speed faster than it can lose it"},
    {"never_at_speed", doubtful, "its travel is too short for that speed and acceleration"},
    {"absurd_speed", doubtful, "a speed is a unit per second, not per minute"},
    {"step_below_pulse", doubtful, "a servo's pulse is told in whole microseconds, so some steps do nothing"},
    {"step_below_step", doubtful, "a motor makes whole steps, so some steps of the axis do nothing"},
    {"coarse_notch", doubtful, "a servo's pulse is told in whole microseconds, so that it goes in jerks"},
    {"not_calibrated", doubtful, "its rest and its ends are what the device says of itself"},
    {"wide_dead_zone", doubtful, "most of the control's way does nothing"},
    {"tiny_share", doubtful, "nobody will see it move"},
    {"bound_out_of_range", doubtful, "the gauge never shows it, and what it can be may never get there"},
    {"long_silence", doubtful, "a lost link or handset is noticed late"},
    {"old_readings", doubtful, "hands have moved on since"},
    {"late_ticks", doubtful, "a program that hangs is noticed late"},
}};

const AboutFinding& about_kind(Found kind) { return kinds[static_cast<std::size_t>(kind)]; }

}  // namespace

const char* name_of(Severity severity) noexcept {
  constexpr std::array<const char*, severity_count> names{"doubtful", "dangerous", "cannot work"};
  return names[static_cast<std::size_t>(severity)];
}

std::optional<Severity> severity_named(const std::string& name) {
  std::string spoken = name;
  std::ranges::replace(spoken, '_', ' ');
  for (std::size_t i = 0; i < severity_count; ++i)
    if (spoken == name_of(static_cast<Severity>(i))) return static_cast<Severity>(i);
  return std::nullopt;
}

std::span<const AboutFinding> about_findings() noexcept { return kinds; }

void Findings::at_key(Found kind, const std::string& key, const Origin& otherwise, std::string what,
                      std::string instead) {
  const auto at = rig.origins.find(key);
  all_.push_back(
      {&about_kind(kind), at != rig.origins.end() ? at->second : otherwise, key, std::move(what), std::move(instead)});
}

void Findings::at_binding(Found kind, std::size_t binding, std::string what, std::string instead) {
  all_.push_back({&about_kind(kind), rig.bindings[binding].origin, "", std::move(what), std::move(instead)});
}

std::vector<Finding> findings(const Rig& rig) {
  Findings f(rig);
  find_in_axes(f);
  find_in_inputs(f);
  find_in_bindings(f);
  std::vector<Finding> all = f.take();
  const auto place = [](const Finding& one) {
    return std::tuple(-static_cast<int>(one.about->severity), one.at.file, one.at.line, one.at.column);
  };
  std::stable_sort(all.begin(), all.end(), [&](const Finding& a, const Finding& b) { return place(a) < place(b); });
  return all;
}

namespace {

/// "bench.toml:12:9: doubtful: axis.x.speed".
std::string place_and_key(const Finding& f) {
  std::string text = f.at.file;
  if (f.at.line > 0) text += fmt::format(":{}", f.at.line);
  if (f.at.line > 0 && f.at.column > 0) text += fmt::format(":{}", f.at.column);
  text += fmt::format(": {}", name_of(f.about->severity));
  return f.key.empty() ? text : text + ": " + f.key;
}

}  // namespace

std::string heading(const Finding& f) { return fmt::format("{} [{}]", place_and_key(f), f.about->code); }

std::string sentence(const Finding& f) {
  return fmt::format("{}: {}: {}; instead: {} [{}]", place_and_key(f), f.what, f.about->why, f.instead, f.about->code);
}

}  // namespace gyrax
