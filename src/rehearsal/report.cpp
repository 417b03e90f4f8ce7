// The summary in words and as JSON.
#include <gyrax/files/json_version.hpp>
#include <gyrax/rehearsal/summary.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <iterator>

namespace gyrax {
namespace {

const AxisInfo& info(const Rig& rig, AxisId axis) { return rig.axes[index(axis)]; }

/// -0.000 is 0.000.
double tidy(double value) { return std::abs(value) < 5e-7 ? 0 : value; }

std::string asked_for(const MoveSummary& m, bool known) {
  if (!known) return "not known";
  std::string text;
  if (m.jogged_s > 0) text += fmt::format("jog {:.2f} s", m.jogged_s);
  if (m.steps > 0) text += fmt::format("{}{} steps", text.empty() ? "" : ", ", m.steps);
  return text.empty() ? std::string(m.travelled > 0 ? "a goal, a wheel" : "nothing") : text;
}

std::string machine_said(const StopSummary& stop) {
  if (stop.axes.empty()) return "nothing moved";
  std::string text = stop.real_took_s < 0 ? fmt::format("had stopped itself {:.0f} ms before", -stop.real_took_s * 1e3)
                                          : fmt::format("{:.0f} ms", stop.real_took_s * 1e3);
  return text;
}

using Out = std::back_insert_iterator<std::string>;

void write_left_out(Out out, const LeftOut& left_out, const char* what) {
  if (left_out.count > 0)
    fmt::format_to(out, "  {} more {} from {:.3f} to {:.3f} s are left out here\n", left_out.count, what,
                   left_out.from_s, left_out.to_s);
}

void write_story(Out out, const Summary& s) {
  fmt::format_to(out, "\nWhat happened\n");
  for (const StoryLine& line : s.story) fmt::format_to(out, "  {:7.3f} s  {}\n", line.at_s, line.text);
  write_left_out(out, s.story_left_out, "lines");
}

void write_moves(Out out, const Rig& rig, const Summary& s) {
  fmt::format_to(out, "\nWhat moved{:>24}{:>20}{:>13}{:>14}{:>16}\n", "asked", "from → to", "travelled", "fastest",
                 "machine at");
  for (const MoveSummary& m : s.moves) {
    const AxisInfo& axis = info(rig, m.axis);
    if (axis.motor) {
      fmt::format_to(out, "  {:<10}{:>22}{:>20}{:>13}{:>14}\n", axis.name, asked_for(m, s.asks_known), "motor", "",
                     fmt::format("{:.1f} %", m.fastest));
      continue;
    }
    fmt::format_to(out, "  {:<10}{:>22}{:>20}{:>13}{:>14}{:>16}\n", axis.name, asked_for(m, s.asks_known),
                   fmt::format("{:.3f} → {:.3f}", tidy(m.first), tidy(m.last)),
                   fmt::format("{:.1f} {}", m.travelled, axis.unit), fmt::format("{:.1f} {}/s", m.fastest, axis.unit),
                   fmt::format("{:.3f} {}", tidy(m.real_last), axis.unit));
  }
}

void write_switches(Out out, const Rig& rig, const Summary& s) {
  if (s.switches.empty()) return;
  fmt::format_to(out, "\nSwitches at the end\n");
  for (const SwitchSummary& one : s.switches)
    fmt::format_to(out, "  {:<10}{}; turned on {} time{}, on for {:.2f} s in all\n", rig.switches[index(one.target)],
                   one.on ? "on" : "off", one.times, one.times == 1 ? "" : "s", one.on_s);
}

void write_blocked(Out out, const Rig& rig, const Summary& s) {
  fmt::format_to(out, "\nAsked to move, and blocked\n");
  for (const BlockedSummary& h : s.blocked) {
    fmt::format_to(out, "  {:<10}{:6.2f} s, first at {:.3f} s: {}\n", info(rig, h.axis).name, h.total_s, h.first_s,
                   say(rig, h.blocked, h.cause));
    const bool more = h.before.what != Interlock::none && h.before.what != Interlock::not_neutral;
    fmt::format_to(out, "{:21}→ {}{}\n", "", more ? say_release(rig, h.before) + "; then " : "",
                   say_release(rig, h.blocked));
  }
  if (s.blocked.empty()) fmt::format_to(out, "  {}\n", s.asks_known ? "nothing" : "not known");
}

void write_stops(Out out, const Rig& rig, const Summary& s) {
  fmt::format_to(out,
                 "\nStops: cause, time to zero commanded speed (and the most that the deceleration limits allow), the "
                 "machine's own\n");
  for (const StopSummary& stop : s.stops) {
    fmt::format_to(out, "  {:7.3f} s  {}, category {}: {:.0f} ms (at most {:.0f}), machine {}{}\n", stop.at_s,
                   about(stop.cause).sentence, static_cast<int>(stop.category), stop.took_s * 1e3, stop.allowed_s * 1e3,
                   machine_said(stop), stop.within() ? "" : "  TOO LONG");
    for (const StoppedAxis& a : stop.axes)
      fmt::format_to(out, "{:13}{}: from {:.1f} {}/s in {:.2f} {} (at most {:.2f}), machine {:.2f}\n", "",
                     info(rig, a.axis).name, a.speed, info(rig, a.axis).unit, std::abs(a.distance),
                     info(rig, a.axis).unit, a.allowed_distance, std::abs(a.real_distance));
  }
  write_left_out(out, s.stops_left_out, "stops");
  if (s.stops.empty()) fmt::format_to(out, "  none\n");
}

nlohmann::ordered_json obstacle_json(const Rig& rig, const Obstacle& o, Cause cause) {
  return {{"interlock", about(o.what).name}, {"says", say(rig, o, cause)}, {"release", say_release(rig, o)}};
}

}  // namespace

std::string text(const Rig& rig, const Summary& s) {
  std::string all;
  Out out(all);
  fmt::format_to(out, "{}\n{}: {:g} s, {} ticks of {:g} ms, {} readings, {} lost\n", s.rig, s.session, s.length_s,
                 s.ticks, s.period_ms, s.readings, s.readings_lost);
  write_story(out, s);
  write_moves(out, rig, s);
  write_switches(out, rig, s);
  write_stops(out, rig, s);
  write_blocked(out, rig, s);
  return all;
}

std::string json(const Rig& rig, const Summary& s) {
  using Json = nlohmann::ordered_json;
  Json all{{"gyrax_json", json_version},
           {"rig", s.rig},
           {"session", s.session},
           {"length_s", s.length_s},
           {"ticks", s.ticks},
           {"period_ms", s.period_ms},
           {"readings", s.readings},
           {"readings_lost", s.readings_lost},
           {"good", s.good()},
           {"asks_known", s.asks_known},
           {"story_left_out", s.story_left_out.count},
           {"stops_left_out", s.stops_left_out.count}};
  all["story"] = Json::array();
  for (const StoryLine& line : s.story) {
    Json one{{"at_s", line.at_s}, {"event", line.event ? name_of(line.event->kind) : "session_fault"}};
    if (line.event) {
      for (const auto& [name, value] : facts(rig, *line.event)) one[name] = value;
      one["number"] = line.event->number;
      one["times"] = line.times;
    }
    one["says"] = line.text;
    all["story"].push_back(std::move(one));
  }
  all["axes"] = Json::array();
  for (const MoveSummary& m : s.moves)
    all["axes"].push_back({{"axis", info(rig, m.axis).name},
                           {"unit", info(rig, m.axis).unit},
                           {"jogged_s", m.jogged_s},
                           {"steps", m.steps},
                           {"first", m.first},
                           {"last", m.last},
                           {"lowest", m.lowest},
                           {"highest", m.highest},
                           {"travelled", m.travelled},
                           {"fastest", m.fastest},
                           {"machine_last", m.real_last}});
  all["switches"] = Json::array();
  for (const SwitchSummary& one : s.switches)
    all["switches"].push_back({{"switch", rig.switches[index(one.target)]},
                               {"at_end", one.on ? "on" : "off"},
                               {"on_s", one.on_s},
                               {"times", one.times}});
  all["blocked"] = Json::array();
  for (const BlockedSummary& h : s.blocked) {
    Json one = obstacle_json(rig, h.blocked, h.cause);
    one["axis"] = info(rig, h.axis).name;
    one["first_s"] = h.first_s;
    one["total_s"] = h.total_s;
    one["times"] = h.times;
    all["blocked"].push_back(one);
  }
  all["stops"] = Json::array();
  for (const StopSummary& stop : s.stops) {
    Json one{{"at_s", stop.at_s},
             {"zone", rig.zones[index(stop.zone)]},
             {"cause", about(stop.cause).name},
             {"category", static_cast<int>(stop.category)},
             {"took_s", stop.took_s},
             {"allowed_s", stop.allowed_s},
             {"machine_took_s", stop.real_took_s},
             {"within", stop.within()},
             {"axes", Json::array()}};
    for (const StoppedAxis& a : stop.axes)
      one["axes"].push_back({{"axis", info(rig, a.axis).name},
                             {"speed", a.speed},
                             {"distance", a.distance},
                             {"allowed_distance", a.allowed_distance},
                             {"machine_distance", a.real_distance}});
    all["stops"].push_back(one);
  }
  return all.dump(2) + "\n";
}

}  // namespace gyrax
