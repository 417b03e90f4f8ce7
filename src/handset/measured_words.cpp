// What was measured of a device, for a person and for a script.
#include <gyrax/files/json_text.hpp>
#include <gyrax/files/json_version.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/measure.hpp>

#include <fmt/format.h>
#include <linux/input-event-codes.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <iterator>

namespace gyrax {
namespace {

/// "a, b, c" on lines of 100 columns.
std::string wrapped(const std::string& names) {
  constexpr std::size_t columns = 100;
  std::string text, line = " ";
  for (std::size_t from = 0; from < names.size();) {
    const std::size_t end = std::min(names.find(", ", from), names.size());
    const std::size_t comma = end < names.size() ? 1 : 0;
    if (line.size() + 1 + end - from + comma > columns) {
      text.append(line).append(1, '\n');
      line.assign(1, ' ');
    }
    line.append(1, ' ').append(names, from, end - from + comma);
    from = end + 2;
  }
  return text.append(line).append(1, '\n');
}

/// What is wrong with which controls.
std::string wrong_text(const DeviceCalibration& c) {
  std::vector<std::pair<std::string, std::string>> told;  // what, and of which controls
  for (const MeasuredControl& m : c.controls)
    for (const std::string& wrong : m.wrong) {
      const auto same = std::find_if(told.begin(), told.end(), [&](const auto& one) { return one.first == wrong; });
      if (same == told.end())
        told.emplace_back(wrong, m.name);
      else
        same->second += ", " + m.name;
    }
  if (told.empty()) return "\nNothing is wrong with it.\n";
  std::string text = "\nWhat is wrong\n";
  for (const auto& [what, names] : told) text += fmt::format("{}      {}\n", wrapped(names), what);
  return text;
}

/// Each pair of halves that was measured.
struct MeasuredStick {
  std::string name;
  const MeasuredControl *x, *y;
};
std::vector<MeasuredStick> measured_sticks(const DeviceCalibration& c) {
  std::vector<MeasuredStick> sticks;
  for (const MeasuredControl& x : c.controls)
    for (const MeasuredControl& y : c.controls) {
      const std::string name = x.name.substr(0, x.name.find_last_of('.'));
      if (x.has_ends && y.has_ends && stick(name) && x.name == name + ".x" && y.name == name + ".y")
        sticks.push_back({name, &x, &y});
    }
  return sticks;
}

}  // namespace

std::string measured_text(const DeviceCalibration& c) {
  std::string text;
  const auto out = std::back_inserter(text);
  fmt::format_to(out, "{} ({}{})\n", c.name, c.id, c.unique.empty() ? "" : ", unique id " + c.unique);
  if (c.habit != ReportHabit::unknown)
    fmt::format_to(out, "Reports {}, at {:.0f} Hz while something moves{}\n", name_of(c.habit), c.rate_hz,
                   c.max_silence_s > 0
                       ? fmt::format("; longest silence while held off its rest {:.0f} ms", c.max_silence_s * 1e3)
                       : std::string());
  fmt::format_to(out, "\n{:<16}{:>21}{:>9}{:>7}{:>17}{:>11}{:>12}\n", "Control", "from … to", "rest", "noise",
                 "back from − / +", "dead zone", "hysteresis");
  std::size_t good_keys = 0, bouncing = 0;
  double debounce_s = 0;
  const auto rest = [](const std::optional<std::int32_t>& at) {
    return at ? fmt::format("{}", *at) : std::string("?");
  };
  for (const MeasuredControl& m : c.controls) {
    if (m.has_ends)
      fmt::format_to(out, "{:<16}{:>21}{:>9}{:>7}{:>17}{:>9.6g} %{:>10.6g} %{}{}\n", m.name,
                     fmt::format("{} … {}", m.minimum, m.maximum), m.centre, m.noise,
                     rest(m.rests_from_below) + " / " + rest(m.rests_from_above), m.dead_zone * 100, m.hysteresis * 100,
                     m.reversed ? "  reversed" : "", m.trembles ? "  trembles" : "");
    else if (m.code.first == EV_KEY && m.debounce_s > 0)
      ++bouncing, debounce_s = std::max(debounce_s, m.debounce_s);
    else if (m.code.first == EV_KEY && m.wrong.empty())
      ++good_keys;
    else if (m.code.first == EV_ABS)
      fmt::format_to(out, "{:<16}{:>21}\n", m.name, "not measured");
  }
  for (const MeasuredStick& one : measured_sticks(c))
    fmt::format_to(out, "{} as a stick: dead zone {:g} %, round\n", one.name, round_dead_zone(*one.x, *one.y) * 100);
  if (good_keys > 0) fmt::format_to(out, "{} key{} pressed, and come up again\n", good_keys, good_keys == 1 ? "" : "s");
  if (bouncing > 0)
    fmt::format_to(out, "{} key{} to be debounced, by {:.0f} ms at most\n", bouncing, bouncing == 1 ? "" : "s",
                   debounce_s * 1e3);
  return text + wrong_text(c);
}

std::string measured_json(const DeviceCalibration& c) {
  using Json = nlohmann::ordered_json;
  Json all{{"gyrax_json", json_version},
           {"id", c.id},
           {"name", c.name},
           {"unique", c.unique},
           {"reports", name_of(c.habit)},
           {"rate_hz", c.rate_hz},
           {"max_silence_s", c.max_silence_s},
           {"controls", Json::array()},
           {"sticks", Json::array()}};
  for (const MeasuredControl& m : c.controls) {
    Json one{{"control", m.name}};
    if (m.has_ends) {
      one.update({{"minimum", m.minimum},
                  {"centre", m.centre},
                  {"maximum", m.maximum},
                  {"reversed", m.reversed},
                  {"dead_zone_percent", m.dead_zone * 100},
                  {"hysteresis_percent", m.hysteresis * 100},
                  {"noise", m.noise},
                  {"trembles", m.trembles}});
      if (m.rests_from_below) one["rests_from_below"] = *m.rests_from_below;
      if (m.rests_from_above) one["rests_from_above"] = *m.rests_from_above;
    }
    if (m.debounce_s > 0) one["debounce_ms"] = m.debounce_s * 1e3;
    one["wrong"] = m.wrong;
    all["controls"].push_back(one);
  }
  for (const MeasuredStick& one : measured_sticks(c))
    all["sticks"].push_back({{"stick", one.name}, {"dead_zone_percent", round_dead_zone(*one.x, *one.y) * 100}});
  return dumped(all, 2) + "\n";
}

}  // namespace gyrax
