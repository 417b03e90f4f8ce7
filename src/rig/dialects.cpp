// Controllers that take lines of text: how each is spoken to, and which of their letters is which axis.
#include <gyrax/rig/dialect.hpp>

#include "builder.hpp"

#include <gyrax/rig/predictions.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <variant>

namespace gyrax {
namespace {

using wire::LinePattern;

/// A pattern that has these places; `usual` where nothing is there.
LinePattern read_pattern(Table& table, const char* key, const std::vector<std::string>& needs, bool required,
                         const std::string& example, const std::string& usual = "") {
  const std::string text = table.text(key).value_or(usual);
  if (text.empty()) {
    if (required) table.missing(key, fmt::format("{} = \"{}\"", key, example));
    return {};
  }
  std::string why;
  const auto made = LinePattern::parse(text, why);
  if (!made) {
    table.problem(Code::bad_name, key, why, fmt::format("{} = \"{}\"", key, example));
    return {};
  }
  for (const std::string& place : needs)
    if (!made->has(place))
      table.problem(Code::bad_name, key, fmt::format("it has no {{{}}}", place),
                    fmt::format("{} = \"{}\"", key, example));
  return *made;
}

/// What is sent: printable, or one control character that goes at once.
std::string read_sent(Table& table, const char* key, bool required, const std::string& example) {
  const std::string text = table.text(key).value_or("");
  if (text.empty() && required) table.missing(key, fmt::format("{} = \"{}\"", key, example));
  const bool has_controls = std::ranges::any_of(text, [](unsigned char c) { return c < 0x20; });
  if (has_controls && !Dialect::is_at_once(text))
    table.problem(Code::bad_name, key, "it mixes a control character with others",
                  "a line without any, or one control character alone, which goes at once");
  return text;
}

Dialect read_dialect(Table& table, const std::string& name) {
  Dialect made;
  made.name = name;
  made.inch = table.choice("unit", {"mm", "inch"}).value_or("mm") == "inch";
  made.relative = table.choice("distances", {"absolute", "relative"}).value_or("absolute") == "relative";
  made.decimals = static_cast<int>(table.whole("decimals", {0, 6, false, "", true}).value_or(3));
  made.line = read_pattern(table, "line", {"words"}, false, "N{number} {words}", "{words}");
  made.move = read_pattern(table, "move", {"axes", "feed"}, true, "G1 {axes} F{feed}");
  if (table.has("setup")) made.setup = table.texts("setup");
  if (auto modes = table.table("modes")) {
    made.modes_ask = read_sent(*modes, "ask", true, "MODES");
    made.modes_answer = read_pattern(*modes, "answer", {"modes"}, true, "modes {modes}");
    made.modes = modes->texts("are");
    modes->refuse_the_rest();
  }
  made.greeting = read_pattern(table, "greeting", {}, true, "ready {version}");
  made.ack = read_pattern(table, "ack", {}, true, "ok");
  made.error = read_pattern(table, "error", {"words"}, true, "error {words}");
  made.alarm = read_pattern(table, "alarm", {"words"}, false, "alarm {words}");
  if (auto status = table.table("status")) {
    made.status_ask = read_sent(*status, "ask", true, "\\u0005");
    made.status = read_pattern(*status, "answer", {"state"}, true, "{state} X{X} Y{Y}");
    status->refuse_the_rest();
  } else {
    table.missing("status", "status = { ask = \"\\u0005\", answer = \"{state} X{X} Y{Y}\" }");
  }
  if (auto states = table.table("states")) {
    for (const auto& [key, words] :
         {std::pair{"idle", &made.idle}, {"moving", &made.moving}, {"paused", &made.paused}, {"alarm", &made.alarms}})
      if (states->has(key)) *words = states->texts(key);
    states->refuse_the_rest();
    for (const auto& [key, words] : {std::pair{"idle", &made.idle}, {"moving", &made.moving}})
      if (words->empty()) states->missing(key, fmt::format("what its {{state}} says then: {} = [\"{}\"]", key, key));
  } else {
    table.missing("states", "states = { idle = [\"idle\"], moving = [\"run\"], alarm = [\"alarm\"] }");
  }
  made.pause = read_sent(table, "pause", false, "\\u0013");
  if (!made.pause.empty() && made.paused.empty())
    table.problem(Code::one_effect, "pause", "nothing says when it is paused", "states = { paused = [\"…\"], … }");
  made.resume = read_sent(table, "resume", false, "\\u0015");
  if (!made.resume.empty() && made.pause.empty())
    table.problem(Code::one_effect, "resume", "nothing pauses it", "pause = \"…\"");
  made.stop = read_sent(table, "stop", true, "\\u0014");
  made.abort = read_sent(table, "abort", false, "\\u001a");
  if (auto takes = table.table("takes")) {
    made.takes_lines = static_cast<int>(takes->whole("lines", {1, 64, false, "lines", true}).value_or(8));
    made.takes_bytes = static_cast<int>(takes->whole("bytes", {64, 65'536, false, "bytes", true}).value_or(128));
    made.takes_moves = static_cast<int>(takes->whole("moves", {2, 1000, false, "moves", true}).value_or(16));
    takes->refuse_the_rest();
  }
  if (made.relative && !(made.line.has("number") && made.ack.has("number")))
    table.problem(Code::one_effect, "distances",
                  "a line that gets lost would shift all that comes after it, and nothing would tell",
                  "\"absolute\"; or {number} in line and in ack");
  table.refuse_the_rest();
  return made;
}

constexpr std::string_view all_letters = "XYZABCUVW";

}  // namespace

std::string Dialect::shown(const std::string& text) {
  return is_at_once(text) ? fmt::format("\\x{:02x}", static_cast<unsigned char>(text[0])) : text;
}

Dialect::State Dialect::state_of(std::string_view word) const noexcept {
  const auto is = [&](const std::vector<std::string>& words) { return std::ranges::count(words, word) > 0; };
  return is(idle)     ? State::idle
         : is(moving) ? State::moving
         : is(paused) ? State::paused
         : is(alarms) ? State::alarm
                      : State::unknown;
}

std::string sum_of(std::string_view words) {
  std::uint16_t sum = 0xffff;
  for (const char c : words) {
    sum = static_cast<std::uint16_t>(sum ^ static_cast<unsigned>(static_cast<unsigned char>(c)) << 8);
    for (int bit = 0; bit < 8; ++bit)
      sum = static_cast<std::uint16_t>((sum & 0x8000u) != 0 ? sum << 1 ^ 0x1021 : sum << 1);
  }
  return fmt::format("{:04X}", sum);
}

void RigBuilder::read_dialects(Table& root) {
  for (auto& [name, table] : root.tables("dialect")) {
    if (dialects_.contains(name))
      table.problem(Code::duplicate_name, "", fmt::format("the dialect '{}' is there already", name), "another name");
    dialects_[name] = read_dialect(table, name);
  }
}

/// `letters = { focus = "Z" }`; an axis whose name is a letter has that one.
void RigBuilder::read_letters(Table& table, LinkId link) {
  LinkInfo& info = rig_.links[index(link)];
  info.letters.assign(axis_channels_[index(link)], '\0');
  auto letters = table.table("letters");
  for (std::size_t a = 0; a < rig_.axes.size(); ++a) {
    const Wiring& wiring = rig_.setup.axes[a].wiring;
    if (wiring.link != link) continue;
    const std::string& name = rig_.axes[a].name;
    std::string letter = letters && letters->has(name.c_str()) ? letters->text(name.c_str()).value_or("") : name;
    if (letter.size() == 1 && letter[0] >= 'a' && letter[0] <= 'z') letter[0] = static_cast<char>(letter[0] - 32);
    if (letter.size() != 1 || all_letters.find(letter) == std::string_view::npos) {
      table.problem(Code::bad_choice, "letters", fmt::format("nothing says which letter the axis '{}' has", name),
                    fmt::format("letters = {{ {} = \"Z\" }}: one of X Y Z A B C U V W", name));
    } else if (info.letters.find(letter[0]) != std::string::npos) {
      table.problem(Code::duplicate_name, "letters", fmt::format("two axes have the letter {}", letter),
                    "a letter for each");
    } else {
      info.letters[wiring.channel] = letter[0];
    }
  }
  if (letters) letters->refuse_the_rest();
}

/// What hangs on a controller is what it can do.
void RigBuilder::check_controlled(Table& table, LinkId link) {
  const LinkInfo& info = rig_.links[index(link)];
  const Dialect& dialect = *info.dialect;
  const double accel = info.number("accel"), speed = info.number("speed");
  std::optional<ZoneId> zone;
  for (std::size_t a = 0; a < rig_.axes.size(); ++a) {
    const AxisSetup& axis = rig_.setup.axes[a];
    const AxisInfo& about = rig_.axes[a];
    if (axis.wiring.link != link) continue;
    const MotionLimits& full = axis.limits.full();
    if (about.motor || about.endless || std::holds_alternative<ServoMap>(axis.drive)) {
      table.problem(Code::one_effect, "", fmt::format("'{}' has no place that a controller could be told", about.name),
                    "an axis with a travel in mm or deg");
      continue;
    }
    if (axis.zone != no<ZoneId> && zone && *zone != axis.zone)
      table.problem(Code::one_effect, "",
                    fmt::format("its axes are in the zones '{}' and '{}', and it stops them all together",
                                rig_.zones[index(*zone)], rig_.zones[index(axis.zone)]),
                    "one zone for what hangs on a controller");
    if (axis.zone != no<ZoneId>) zone = axis.zone;
    if (accel > 0 && std::max(full.accel, full.decel) > accel)
      table.problem(Code::out_of_range, "accel",
                    fmt::format("'{}' gains or loses {:g} {}/s², and its controller no more than {:g}", about.name,
                                std::max(full.accel, full.decel), about.unit, accel),
                    fmt::format("accel and decel of the axis up to {:g}", accel));
    if (speed > 0 && full.speed > speed)
      table.problem(Code::out_of_range, "speed",
                    fmt::format("'{}' goes {:g} {}/s, and its controller no more than {:g}", about.name, full.speed,
                                about.unit, speed),
                    fmt::format("a speed of the axis up to {:g}", speed));
    const std::string letter(1, info.letters[axis.wiring.channel]);
    if (axis.position != PositionKind::measured)
      table.problem(Code::one_effect, "",
                    fmt::format("the position of '{}' is not taken from its controller", about.name),
                    "position = \"measured\", which is usual");
    else if (!dialect.status.empty() && letter != std::string(1, '\0') && !dialect.status.has(letter))
      table.problem(
          Code::unknown_name, "dialect",
          fmt::format("the status of '{}' does not tell where {} is, the axis '{}'", dialect.name, letter, about.name),
          fmt::format("a place {{{}}} in status.answer of [dialect.{}]", letter, dialect.name));
  }
  for (const InputInfo& input : rig_.inputs)
    if (input.link == link && !dialect.status.has(input.name))
      table.problem(Code::unknown_name, "dialect",
                    fmt::format("the status of '{}' does not tell the input '{}'", dialect.name, input.name),
                    fmt::format("a place {{{}}} in status.answer of [dialect.{}]", input.name, dialect.name));
}

void RigBuilder::resolve_dialects() {
  for (auto& [link, table] : controller_tables_) {
    LinkInfo& info = rig_.links[index(link)];
    read_letters(table, link);
    auto switches = table.table("switches");
    for (std::size_t s = 0; s < rig_.switches.size(); ++s) {
      if (rig_.setup.switches[s].wiring.link != link) continue;
      const std::string& name = rig_.switches[s];
      const auto words =
          switches && switches->has(name.c_str()) ? switches->texts(name.c_str()) : std::vector<std::string>{};
      if (words.size() == 2)
        info.switch_lines.emplace_back(words[0], words[1]);
      else
        table.missing(
            "switches",
            fmt::format("the lines that turn '{}' on and off: switches = {{ {} = [\"M7\", \"M9\"] }}", name, name));
    }
    if (switches) switches->refuse_the_rest();
    const std::string& name = info.text("dialect");
    const auto found = dialects_.find(name);
    if (found == dialects_.end()) {
      std::vector<std::string> names;
      for (const auto& [one, ignored] : dialects_) names.push_back(one);
      if (!name.empty())
        table.problem(
            Code::unknown_name, "dialect", fmt::format("there is no dialect '{}'", name),
            names.empty() ? "[dialect.NAME], here or in a file of include" : fmt::format("{}", fmt::join(names, ", ")));
      continue;
    }
    info.dialect = found->second;
    check_controlled(table, link);
    allow_for_queue(link);
    rig_.setup.links[index(link)].frame_valid_for = from_seconds(far_end_of(rig_, link).runs_out_s);
  }
  controller_tables_.clear();
}

}  // namespace gyrax
