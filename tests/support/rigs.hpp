// Small rigs for tests.
#pragma once

#include <gyrax/rig/rig.hpp>

#include <algorithm>
#include <stdexcept>
#include <string>
#include <vector>

namespace gyrax::test {

/// A table that stands several times in a text that a test puts together, [bind] above all, is one: what stands under
/// its later headers moves to the end of the first.
inline std::string assembled(const std::string& text) {
  std::vector<std::string> parts(1);  // each with its header
  const auto header_of = [](const std::string& part) { return part.substr(0, part.find('\n')); };
  for (std::size_t from = 0; from < text.size();) {
    const std::size_t end = std::min(text.find('\n', from), text.size() - 1) + 1;
    if (text[from] == '[') parts.emplace_back();
    parts.back() += text.substr(from, end - from);
    from = end;
  }
  std::string all;
  for (std::size_t i = 0; i < parts.size(); ++i) {
    const std::string header = header_of(parts[i]);
    const auto same = [&](const std::string& other) { return !other.empty() && header_of(other) == header; };
    for (std::size_t j = i + 1; i > 0 && j < parts.size(); ++j) {
      if (!same(parts[j])) continue;
      parts[i] += (parts[i].ends_with('\n') ? "" : "\n") + parts[j].substr(header.size() + 1);
      parts[j].clear();
    }
    all += parts[i];
  }
  return all;
}
/// A text in which something that is there is something else.
inline std::string changed(std::string text, const std::string& from, const std::string& to) {
  const std::size_t at = text.find(from);
  if (at == std::string::npos) throw std::invalid_argument("there is no '" + from + "' in it");
  return text.replace(at, from.size(), to);
}
/// A line under [bind], or under another table.
inline std::string under(const std::string& table, const std::string& line) {
  return "[" + table + "]\n" + line + "\n";
}
inline std::string bind(const std::string& line) { return under("bind", line); }

/// A linear axis of 0 … 100 mm, 50 mm/s, 200 mm/s², and a servo of ±45 deg; `more`: further lines of it.
inline std::string axis(const std::string& name, const std::string& more = "") {
  return "[axis." + name + "]\nunit = \"mm\"\ntravel = [0, 100]\nspeed = 50\naccel = 200\n" + more;
}
inline std::string servo(const std::string& name) {
  return under("axis." + name, R"(unit = "deg"
travel = [-45, 45]
speed = 60
accel = 300
start = 0
servo = { ends = [-60, 60], pulse_us = [900, 2100] })");
}

/// The bindings that every zone needs.
inline const std::string permits = R"(
[bind]
"menu.right" = "ready"
"menu.left" = "stow"
"shoulder.right" = "enable"
"face.east" = "stop"
"menu.centre" = "reset"
)";

/// One measured axis, 0 … 100 mm, 50 mm/s, gains with 200 mm/s² and 20000 mm/s³, loses with 400 and 40000, on a link
/// without lag. A stop from full speed takes 135 ms.
inline const std::string one_axis = R"(gyrax = 1
[link.machine]
kind = "simulated"
[link.machine.simulated]
lag_ms = 0
[handset.pad]
[axis.x]
unit = "mm"
travel = [0, 100]
speed = 50
accel = 200
decel = 400
jerk = { accel = 20000, decel = 40000 }
increments = [0.01, 0.05, 1]
increment = 0.05
)" + permits;

/// one_axis with a jog, steps, notches and a switch.
inline const std::string jog_and_step = assembled(one_axis + R"(
[override]
notches = [10, 50, 100]
start = 100
[switch.lamp]

[bind]
"stick.left.x" = { jog = "x" }
"hat.x" = { step = "x" }
"hat.y" = { override = "up" }
"face.south" = { set = "lamp" }
"face.north" = { jog = "-x", share = 20 }
"face.west" = { go = "x", to = 60 }

[while."shoulder.left"]
"face.north" = { step = "x", by = 10 }
)");

inline Rig rig(const std::string& text) { return parse_rig(assembled(text), "rig.toml"); }

}  // namespace gyrax::test
