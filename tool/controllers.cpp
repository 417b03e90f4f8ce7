#include "controllers.hpp"

#include "commands.hpp"
#include "far_ends.hpp"
#include "input_lines.hpp"
#include "onlookers.hpp"
#include "output.hpp"
#include "signals.hpp"

#include <gyrax/files/json_text.hpp>
#include <gyrax/files/json_version.hpp>
#include <gyrax/link/controller.hpp>
#include <gyrax/threads/boot_clock.hpp>

#include <fmt/format.h>
#include <poll.h>
#include <nlohmann/json.hpp>

#include <array>
#include <charconv>
#include <csignal>
#include <deque>

namespace gyrax::tool {
namespace {

using Json = nlohmann::ordered_json;

/// Whether no other program has its wire; complains where one has.
bool is_free(const LinkInfo& info) {
  const auto other = OtherProgram::of(info, false);
  if (other)
    complain(fmt::format("link {}: process {} has {}, which one alone can ask; end that first", info.name, other->pid(),
                         wire_place(info).words()));
  return !other;
}

void print_state(const Json& state) {
  const auto text = [&](const char* key) { return state.at(key).get<std::string>(); };
  print("{}  controller that speaks '{}', {}\n", text("link"), text("dialect"), text("wire"));
  if (!state.at("answers").get<bool>()) {
    print("        nobody answers\n");
    return;
  }
  print("        it answers after {:.1f} ms, and is '{}'\n", state.at("took_ms").get<double>(), text("state"));
  print_heard(state);
}

/// How a dialect reads a line.
std::string read_as(const Dialect& dialect, const std::string& line) {
  const auto places = [&](const char* what, const wire::LinePattern::Found& found) {
    std::string all = what;
    for (const auto& [name, text] : found) all += fmt::format("{} {} = {}", all == what ? ":" : ",", name, text);
    return all;
  };
  const std::pair<const char*, const wire::LinePattern*> all[] = {
      {"status", &dialect.status}, {"answered", &dialect.ack},       {"refused", &dialect.error},
      {"alarm", &dialect.alarm},   {"it begins", &dialect.greeting}, {"modes", &dialect.modes_answer}};
  for (const auto& [what, pattern] : all)
    if (const auto found = pattern->match(line)) return places(what, *found);
  return "no line of the dialect";
}

/// A line of either side; what cannot be printed in its hexadecimal digits.
std::string shown(const std::string& bytes) {
  std::string text;
  for (const char c : bytes)
    text += static_cast<unsigned char>(c) < 0x20 || c == 0x7f ? fmt::format("<{:02X}>", static_cast<unsigned char>(c))
                                                              : std::string(1, c);
  return text;
}

/// With "\\xHH" as the byte that it is.
std::string unescaped(const std::string& line) {
  std::string text;
  for (std::size_t i = 0; i < line.size(); ++i) {
    unsigned byte = 0;
    const char* const from = line.data() + i + 2;
    if (line.compare(i, 2, "\\x") == 0 && i + 4 <= line.size() &&
        std::from_chars(from, from + 2, byte, 16).ptr == from + 2) {
      text += static_cast<char>(byte);
      i += 3;
    } else {
      text += line[i];
    }
  }
  return text;
}

}  // namespace

bool ask_controller(const Rig& rig, LinkId link, double wait_s, bool as_json) {
  const LinkInfo& info = rig.links[index(link)];
  if (!is_free(info)) return false;
  ControllerLink controller(rig, link);
  controller.talk().only_ask();
  const BootClock clock;
  std::vector<LinkReport> reports;
  Frame nothing;
  nothing.link = link;
  while (reports.empty() && to_seconds(clock.now() - Time{}) < wait_s) {
    controller.receive(clock.now(), reports);
    controller.send(nothing);
    ::poll(nullptr, 0, 2);
  }
  const ControllerHeard& heard = controller.talk().heard();
  Json json{{"gyrax_json", json_version},    {"link", info.name},           {"wire", wire_place(info).words()},
            {"dialect", info.dialect->name}, {"answers", heard.number > 0}, {"took_ms", to_seconds(heard.within) * 1e3},
            {"state", heard.state_word},     {"axes", Json::array()},       {"inputs", Json::array()}};
  if (heard.number > 0) add_heard(json, rig, link, heard.axes, heard.inputs);
  if (as_json)
    put_json(dumped(json));
  else
    print_state(json);
  while (const auto words = controller.said())
    if (heard.number == 0) complain("link " + *words);
  return heard.number > 0;
}

int talk_to_controller(const Rig& rig, LinkId link, double for_s) {
  const LinkInfo& info = rig.links[index(link)];
  const Dialect& dialect = *info.dialect;
  if (!is_free(info)) return world_failed;
  wire::Port port(wire_place(info));
  print(
      "{} speaks '{}' on {}. What you type is sent as it stands, and may move the machine.\n"
      "An empty line asks where it is; \\xHH is one byte.\n",
      info.name, dialect.name, port.place().words());
  Signals signals;
  InputLines typed;
  const BootClock clock;
  std::string came;
  std::array<std::uint8_t, 1024> room{};
  std::deque<std::string> to_send;
  const Span patience = from_seconds(info.number("answer_ms") / 1e3);
  bool done = false, ended = false, was_open = false, is_answered = true, is_line = false;
  Time last_came = clock.now();
  const auto tell = [&](const char* way, const std::string& line, const std::string& meaning) {
    print("{:10.4f} s  {} {}{}\n", to_seconds(clock.now() - Time{}), way, shown(line),
          meaning.empty() ? "" : fmt::format("   [{}]", meaning));
  };
  while (!done) {
    const Time now = clock.now();
    const bool is_open = port.is_open();
    if (is_open) {
      if (!was_open) last_came = now;
      if (was_open)
        for (std::string& line : typed.next()) to_send.push_back(std::move(line));
      // The next once the last has its answer, so that each stands beside its own.
      if (!to_send.empty() && (is_answered || now - last_came > patience)) {
        std::string bytes = to_send.front().empty() ? dialect.status_ask : unescaped(to_send.front());
        to_send.pop_front();
        tell("->", bytes, "");
        if (!Dialect::is_at_once(bytes)) bytes += '\n';
        port.write({reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size()});
        is_answered = false;
        is_line = bytes.ends_with('\n');
        last_came = now;
      }
      ended = typed.descriptor() < 0 && to_send.empty();
    }
    was_open = is_open;
    for (const std::uint8_t byte : port.read(room)) {
      last_came = now;
      if (byte != '\n' && byte != '\r') {
        came += static_cast<char>(byte);
      } else if (!came.empty()) {
        tell("<-", came, read_as(dialect, came));
        is_answered = is_answered || !is_line || dialect.ack.match(came) || dialect.error.match(came);
        came.clear();
      }
    }
    // Whoever types no more waits for the last answer.
    constexpr Span quiet = std::chrono::milliseconds(500);
    const double at_s = to_seconds(now - Time{});
    done = (ended && now - last_came > quiet) || (for_s > 0 && at_s >= for_s);
    for (int signal = signals.next(); signal != 0; signal = signals.next()) done = done || signal != SIGTSTP;
    if (output_failed()) return world_failed;
    if (!done) ::poll(nullptr, 0, 2);
    constexpr double opens_within_s = 3;
    if (!is_open && at_s > opens_within_s) {
      complain(fmt::format("link {}: {} cannot be opened: {}", info.name, port.place().words(), port.trouble()));
      return world_failed;
    }
  }
  return Exit::done;
}

}  // namespace gyrax::tool
