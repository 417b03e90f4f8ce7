// Actions: named commands of the machine.
#include "actions.hpp"

#include "builder.hpp"

#include <gyrax/wire/board.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

constexpr double longest_s = 3600, usual_s = 10, usual_moving_s = 60, usual_confirm_s = 3;
constexpr std::size_t most_lines = 32, longest_line = 120, most_turns = 32;
const std::vector<std::string> state_names{"stowed", "ready", "live", "stopping", "tripped"};

/// Words, or one control character that goes at once.
bool is_line(const std::string& line) {
  if (Dialect::is_at_once(line)) return line[0] != '\n' && line[0] != '\r' && line[0] != '\0';
  return !line.empty() && line.size() <= longest_line &&
         std::ranges::all_of(line, [](char c) { return c >= 0x20 && c < 0x7f; });
}

StateBits read_when(Table& table, bool moves) {
  if (!table.has("when"))
    return moves ? bit(State::live) : static_cast<StateBits>(bit(State::ready) | bit(State::live));
  StateBits when = 0;
  for (const std::string& word : table.texts("when")) {
    const auto found = std::ranges::find(state_names, word);
    if (found == state_names.end() || word == "stopping")
      table.problem(Code::bad_choice, "when", fmt::format("'{}' is no state in which an action can begin", word),
                    "stowed, ready, live, tripped");
    else
      when = static_cast<StateBits>(when | bit(static_cast<State>(found - state_names.begin())));
  }
  if (moves && when != bit(State::live))
    table.problem(Code::bad_choice, "when", "what moves axes needs enable held", "when = [\"live\"], or leave it out");
  return when;
}

}  // namespace

void RigBuilder::read_actions(Table& root) {
  for (auto& [name, table] : root.tables("action")) {
    add_usual_link();
    add_usual_zone();
    if (!add_name(table, names_.actions, name, "action")) continue;
    ActionSetup action;
    ActionInfo info;
    info.name = name;
    info.group = table.text("group").value_or("");
    info.origin = {table.file(), table.line()};
    // What a slip of the pen may have meant, also where it is not read.
    for (const char* key : {"lines", "message", "writes", "homes", "link", "moves", "when", "needs", "needs_homed"})
      table.allow(key);
    action.zone = pick<ZoneId>(table, "zone", names_.zones, "zone");
    read_lines(table, action, info);
    read_writes(table, action, info);
    read_message(table, action, info);
    read_turns(table, action);
    read_homes(table, action, info);
    const bool told = table.told("lines") || table.told("homes") || table.told("writes") || table.told("turns") ||
                      table.told("message");
    if (!info.tells() && action.turns.empty() && action.homes.empty() && !told)
      table.missing(
          "lines",
          "what the link is told, as lines = [\"G28\"], writes = [{ register = 300, value = 1 }] or message = "
          "\"grip\"; or turns = [{ set = \"valve\", to = \"on\" }], or homes = [\"x\"]");
    read_moved(table, action, !info.lines.empty());
    const bool moves = !action.moves.empty() || !action.homes.empty();
    read_pauses(table, action);
    action.when = read_when(table, moves);
    action.standing = table.flag("standing").value_or(moves);
    read_action_needs(table, action);
    read_confirm(table, action, info);
    action.limit = from_seconds(table.number("limit_s", {0, longest_s, true, "s"}, moves ? usual_moving_s : usual_s));
    Span turns{};
    for (const ActionTurn& turn : action.turns) turns += turn.after;
    if (turns >= action.limit)
      table.problem(Code::out_of_range, "limit_s", "its turns take longer than it may",
                    fmt::format("more than {:g} s", to_seconds(turns)));
    table.refuse_the_rest();
    if (rig_.actions.size() == max_actions)
      table.problem(Code::too_many, "", fmt::format("there are more than {} actions", max_actions), "fewer");
    rig_.setup.actions.push_back(action);
    rig_.actions.push_back(info);
  }
}

/// `lines = ["G28"]`, for a controller.
void RigBuilder::read_lines(Table& table, ActionSetup& action, ActionInfo& info) {
  if (!table.has("lines")) return;
  action.link = pick<LinkId>(table, "link", link_names_, "link");
  info.lines = table.texts("lines");
  if (action.link != no<LinkId> && rig_.links[index(action.link)].kind != "controller")
    table.problem(Code::bad_choice, "lines",
                  fmt::format("'{}' is a link of kind {}, which takes no lines", rig_.links[index(action.link)].name,
                              rig_.links[index(action.link)].kind),
                  "a link of kind controller; or turns = [{ set = \"valve\", to = \"on\" }]");
  if (info.lines.empty() || info.lines.size() > most_lines) {
    if (!table.told("lines"))
      table.problem(Code::out_of_range, "lines", fmt::format("there are {} lines", info.lines.size()),
                    fmt::format("1 to {}", most_lines));
  }
  for (const std::string& line : info.lines)
    if (!is_line(line))
      table.problem(Code::bad_name, "lines", fmt::format("'{}' cannot be a line", as_text(line)),
                    fmt::format("1 to {} characters of ASCII, or one control character", longest_line));
}

/// `writes = [{ register = 300, value = 7 }, { coil = 5, to = "on" }]`, for a drive or a PLC; `cancels` the same.
void RigBuilder::read_writes(Table& table, ActionSetup& action, ActionInfo& info) {
  if (!table.has("writes")) {
    if (table.has("cancels"))
      table.problem(Code::one_effect, "cancels", "there is nothing that it would cancel", "writes = […]");
    table.allow("cancels");
    return;
  }
  if (!info.lines.empty()) table.problem(Code::one_effect, "writes", "a link takes lines or registers", "one of them");
  action.link = pick<LinkId>(table, "link", link_names_, "link");
  if (action.link == no<LinkId>) return;
  const LinkInfo& link = rig_.links[index(action.link)];
  if (link.kind != "modbus")
    table.problem(Code::bad_choice, "writes",
                  fmt::format("'{}' is a link of kind {}, which has no registers", link.name, link.kind),
                  "a link of kind modbus");
  for (const auto& [key, list] : {std::pair{"writes", &info.writes}, {"cancels", &info.cancels}}) {
    for (Table& row : table.rows(key)) list->push_back(read_write(row));
    if (list->size() > most_lines)
      table.problem(Code::too_many, key, fmt::format("there are {} writes", list->size()),
                    fmt::format("at most {}", most_lines));
  }
  if (info.writes.empty() && !table.told("writes"))
    table.problem(Code::out_of_range, "writes", "there are no writes", fmt::format("1 to {}", most_lines));
}

RegisterWrite RigBuilder::read_write(Table& row) {
  constexpr Allowed address{0, 65535, false, "", true}, word{-32768, 65535, false, "", true};
  RegisterWrite write;
  write.coil = row.has("coil");
  if (write.coil == row.has("register"))
    row.problem(Code::one_effect, "", "it writes one register or one coil",
                "{ register = 300, value = 1 }, or { coil = 5, to = \"on\" }");
  write.at = static_cast<std::uint16_t>(row.whole(write.coil ? "coil" : "register", address).value_or(0));
  if (write.coil) {
    write.value = row.choice("to", {"on", "off"}).value_or("on") == "on" ? 1 : 0;
  } else {
    if (!row.has("value")) row.missing("value", "what it becomes");
    write.value = static_cast<std::uint16_t>(row.whole("value", word).value_or(0));
  }
  row.refuse_the_rest();
  return write;
}

/// `message = "grip"`, for a board.
void RigBuilder::read_message(Table& table, ActionSetup& action, ActionInfo& info) {
  if (!table.has("message")) return;
  if (info.tells()) table.problem(Code::one_effect, "message", "a link takes one kind of thing", "one of them");
  action.link = pick<LinkId>(table, "link", link_names_, "link");
  info.message = table.text("message").value_or("");
  if (action.link == no<LinkId> || table.told("message")) return;
  LinkInfo& link = rig_.links[index(action.link)];
  if (link.kind != "board") {
    table.problem(Code::bad_choice, "message",
                  fmt::format("'{}' is a link of kind {}, which takes no messages", link.name, link.kind),
                  "a link of kind board");
    return;
  }
  const std::size_t most =
      std::min(wire::longest_message, wire::longest_frame(wire_place(link).bytes_per_s()) - wire::message_bytes(0));
  const bool is_plain = std::ranges::all_of(info.message, [](char c) { return c >= 0x20 && c < 0x7f; });
  if (info.message.empty() || info.message.size() > most || !is_plain)
    table.problem(
        Code::bad_name, "message",
        fmt::format("'{}' cannot be a message on this wire: {} characters", as_text(info.message), info.message.size()),
        fmt::format("1 to {} characters of ASCII", most));
  link.longest_message = std::max(link.longest_message, info.message.size());
}

/// `turns = [{ set = "valve", to = "on" }, { set = "pump", to = "on", after_s = 0.5 }]`.
void RigBuilder::read_turns(Table& table, ActionSetup& action) {
  for (Table& row : table.rows("turns")) {
    ActionTurn turn;
    const auto word = row.text("set");
    if (!word) row.missing("set", "the switch that it turns");
    turn.target = word ? named<SwitchId>(row, "set", names_.switches, *word, "switch") : no<SwitchId>;
    if (turn.target != no<SwitchId> && action.zone != no<ZoneId> &&
        rig_.setup.switches[index(turn.target)].zone != action.zone)
      row.problem(Code::bad_choice, "set", fmt::format("'{}' belongs to another zone", *word), "a switch of its zone");
    turn.on = row.choice("to", {"on", "off"}).value_or("on") == "on";
    turn.after = from_seconds(row.number("after_s", {0, longest_s, false, "s"}, 0));
    row.refuse_the_rest();
    if (turn.target != no<SwitchId>) action.turns.push_back(turn);
  }
  if (action.turns.size() > most_turns)
    table.problem(Code::too_many, "turns", fmt::format("there are {} turns", action.turns.size()),
                  fmt::format("at most {}", most_turns));
}

/// What the link moves by itself. A controller does nothing else meanwhile, so that this is all that it moves.
void RigBuilder::read_moved(Table& table, ActionSetup& action, bool all_of_link) {
  if (!table.has("moves")) return;
  const auto wrong = [&](const std::string& what, const char* allowed) {
    table.problem(Code::bad_choice, "moves", what, allowed);
  };
  std::vector<AxisId> all;
  for (const std::string& word : table.texts("moves")) {
    const AxisId axis = named<AxisId>(table, "moves", names_.axes, word, "axis");
    if (axis != no<AxisId>) all.push_back(axis);
    if (axis != no<AxisId> && action.link != no<LinkId> && rig_.links[index(action.link)].kind == "board")
      wrong("a board moves its axes only as it is told", "no 'moves'; or homes = [\"AXIS\"] in place of a message");
    if (axis != no<AxisId> && action.link != no<LinkId> && rig_.setup.axes[index(axis)].wiring.link != action.link)
      wrong(fmt::format("'{}' does not hang on that link", word), "axes of the link that is told");
  }
  if (action.link == no<LinkId>) {
    if (!table.told("lines") && !table.told("link"))
      wrong("switches move no axis", "lines = […] or writes = […] for a link that moves them, or no 'moves'");
    return;
  }
  for (std::size_t a = 0; !all.empty() && a < rig_.axes.size(); ++a) {
    const AxisSetup& axis = rig_.setup.axes[a];
    if (axis.wiring.link != action.link) continue;
    if (!all_of_link && std::ranges::count(all, id_at<AxisId>(a)) == 0) continue;
    action.moves.push_back(id_at<AxisId>(a));
    const std::string& name = rig_.axes[a].name;
    if (axis.position != PositionKind::measured)
      wrong(fmt::format("nothing measures '{}': nobody knows where it is afterwards", name), "axes that are measured");
    if (axis.brake.any())
      wrong(fmt::format("'{}' has a brake, which Gyrax would keep closed", name), "axes without a brake of Gyrax's");
    if (axis.zone != action.zone && action.zone != no<ZoneId>)
      wrong(fmt::format("'{}' belongs to another zone", name), "axes of its zone");
  }
  if (action.zone != no<ZoneId> && rig_.setup.zones[index(action.zone)].hold_to_run)
    wrong("its zone is hold to run, and lives only while something else is held", "a zone with enable");
}

/// `pauses = true`: letting enable go keeps what is left of it.
void RigBuilder::read_pauses(Table& table, ActionSetup& action) {
  action.pauses = table.flag("pauses").value_or(false);
  if (!action.pauses) return;
  if (action.moves.empty() || rig_.links[index(action.link)].kind != "controller") {
    action.pauses = false;
    if (!table.told("moves") && !table.told("lines"))
      table.problem(Code::one_effect, "pauses", "only what a controller moves is paused",
                    "lines = […] with moves = […]");
  }
}

/// Once dialects are known: how a controller is paused, and goes on.
void RigBuilder::check_pauses() {
  for (std::size_t a = 0; a < rig_.actions.size(); ++a) {
    if (!rig_.setup.actions[a].pauses) continue;
    const auto& dialect = rig_.links[index(rig_.setup.actions[a].link)].dialect;
    if (!dialect || (Dialect::is_at_once(dialect->pause) && Dialect::is_at_once(dialect->resume))) continue;
    const ActionInfo& action = rig_.actions[a];
    problems_.add(Code::one_effect, {action.origin.file, action.origin.line, 1}, "action." + action.name + ".pauses",
                  fmt::format("dialect '{}' does not say how a controller pauses at once, and goes on", dialect->name),
                  "pause and resume, one control character each, in it");
  }
}

/// Once all registers are known: what is told each cycle would be written over.
void RigBuilder::check_writes() {
  for (std::size_t a = 0; a < rig_.actions.size(); ++a) {
    const LinkId link = rig_.setup.actions[a].link;
    if (link == no<LinkId> || !rig_.links[index(link)].registers) continue;
    const RegisterMap& map = *rig_.links[index(link)].registers;
    for (const auto* list : {&rig_.actions[a].writes, &rig_.actions[a].cancels})
      for (const RegisterWrite& write : *list) {
        const std::vector<RegisterEntry>& told = write.coil ? map.coils : map.tells;
        if (told.empty()) continue;
        const std::size_t first = told.front().word.at, end = first + RegisterMap::span_of(told);
        if (write.at < first || write.at >= end) continue;
        const char* const what = write.coil ? "coil" : "register";
        const ActionInfo& action = rig_.actions[a];
        problems_.add(Code::bad_choice, {action.origin.file, action.origin.line, 1}, "action." + action.name,
                      fmt::format("it writes {} {}, which is told each cycle", what, write.at),
                      fmt::format("a {} outside of {} to {}", what, first, end - 1));
      }
  }
}

void RigBuilder::read_action_needs(Table& table, ActionSetup& action) {
  for (const std::string& word : table.has("needs") ? table.texts("needs") : std::vector<std::string>{}) {
    if (input_names_.contains(word)) {
      action.needs_inputs.push_back(id_at<InputId>(input_names_.at(word)));
    } else if (const auto target = named<SwitchId>(table, "needs", names_.switches, word, "switch");
               target != no<SwitchId>) {
      action.needs.push_back(target);
    }
  }
  for (const std::string& word : table.has("needs_homed") ? table.texts("needs_homed") : std::vector<std::string>{}) {
    const AxisId axis = named<AxisId>(table, "needs_homed", names_.axes, word, "axis");
    if (axis == no<AxisId>) continue;
    action.needs_homed.push_back(axis);
    if (rig_.setup.axes[index(axis)].homed == no<InputId> && !rig_.setup.axes[index(axis)].homing.any())
      table.problem(Code::bad_choice, "needs_homed", fmt::format("nothing says whether '{}' is homed", word),
                    fmt::format("[axis.{}] homed = \"INPUT\", or homing = {{ … }}", word));
  }
  const auto until = table.text("until");
  if (until) action.until = named<InputId>(table, "until", input_names_, *until, "input");
}

/// `confirm = { within_s = 3, covers_s = 30 }`.
void RigBuilder::read_confirm(Table& table, ActionSetup& action, const ActionInfo& info) {
  const auto [group, is_new] =
      action_groups_.emplace(info.group.empty() ? "\n" + info.name : info.group, action_groups_.size());
  action.group = static_cast<std::uint16_t>(group->second);
  if (table.has("confirm") && !table.is_table("confirm")) {
    if (table.flag("confirm").value_or(false)) action.confirm = from_seconds(usual_confirm_s);
    return;
  }
  auto confirm = table.table("confirm");
  if (!confirm) return;
  action.confirm = from_seconds(confirm->number("within_s", {0, 60, true, "s"}, usual_confirm_s));
  action.covers = from_seconds(confirm->number("covers_s", {0, longest_s, true, "s"}, 0));
  if (const auto word = confirm->text("light")) {
    action.light = named<SwitchId>(*confirm, "light", names_.switches, *word, "switch");
    if (action.light != no<SwitchId> && action.zone != no<ZoneId> &&
        rig_.setup.switches[index(action.light)].zone != action.zone)
      confirm->problem(Code::bad_choice, "light", fmt::format("'{}' belongs to another zone", *word),
                       "a switch of its zone");
  }
  confirm->refuse_the_rest();
}

std::vector<std::string> names_of_states(StateBits states) {
  std::vector<std::string> names;
  for (std::size_t i = 0; i < state_names.size(); ++i)
    if (has(states, static_cast<State>(i))) names.push_back(state_names[i]);
  return names;
}

namespace {

std::string told_words(const Rig& rig, ActionId id) {
  const ActionSetup& action = rig.setup.actions[index(id)];
  std::vector<std::string> parts;
  std::vector<std::string> lines;
  for (const std::string& line : rig.actions[index(id)].lines) lines.push_back(Dialect::shown(line));
  if (!lines.empty())
    parts.push_back(fmt::format("{} is told {}", rig.links[index(action.link)].name, fmt::join(lines, ", ")));
  const auto all_words = [](const std::vector<RegisterWrite>& writes) {
    std::vector<std::string> words;
    for (const RegisterWrite& write : writes) words.push_back(words_of(write));
    return fmt::format("{}", fmt::join(words, ", "));
  };
  const ActionInfo& info = rig.actions[index(id)];
  if (!info.writes.empty())
    parts.push_back(fmt::format("{} is written {}", rig.links[index(action.link)].name, all_words(info.writes)));
  if (!info.cancels.empty())
    parts.push_back(fmt::format("where it ends otherwise than done {}", all_words(info.cancels)));
  if (!info.message.empty()) {
    const Span set_valid = rig.setup.links[index(action.link)].frame_valid_for;
    parts.push_back(fmt::format("{} is told \"{}\"; it gives up when it hears nothing of it for {} ms",
                                rig.links[index(action.link)].name, info.message,
                                wire::message_valid_ms(set_valid / std::chrono::milliseconds(1))));
  }
  for (const ActionTurn& turn : action.turns)
    parts.push_back(fmt::format("{} {}{}", rig.switches[index(turn.target)], turn.on ? "on" : "off",
                                turn.after > Span{} ? fmt::format(" after {:g} s", to_seconds(turn.after)) : ""));
  return fmt::format("{}", fmt::join(parts, "; "));
}

std::string needs_words(const Rig& rig, const ActionSetup& action) {
  std::vector<std::string> names;
  for (const InputId input : action.needs_inputs) names.push_back(rig.inputs[index(input)].name);
  for (const SwitchId target : action.needs) names.push_back(rig.switches[index(target)]);
  for (const AxisId axis : action.needs_homed) names.push_back(rig.axes[index(axis)].name + " homed");
  return names.empty() ? "" : fmt::format("needs {}; ", fmt::join(names, ", "));
}

}  // namespace

std::vector<std::string> action_words(const Rig& rig, ActionId id) {
  const ActionSetup& action = rig.setup.actions[index(id)];
  const std::string& group = rig.actions[index(id)].group;
  std::vector<std::string> lines;
  if (const std::string told = told_words(rig, id); !told.empty()) lines.push_back(told);
  std::vector<std::string> moved, homed;
  for (const AxisId axis : action.moves) moved.push_back(rig.axes[index(axis)].name);
  for (const AxisId axis : action.homes) homed.push_back(rig.axes[index(axis)].name);
  if (!moved.empty())
    lines.push_back(fmt::format("it moves {} by itself, while enable is held; letting go {}", listed(moved),
                                action.pauses ? "pauses it, and asked for again it goes on" : "stops it"));
  if (!homed.empty())
    lines.push_back(
        fmt::format("Gyrax homes {}, while enable is held; letting go stops it", fmt::join(homed, ", then ")));
  const std::string until =
      action.until == no<InputId> ? "" : fmt::format("done once {} is on; ", rig.inputs[index(action.until)].name);
  lines.push_back(fmt::format("{}{}{}while {}; for {:g} s at most", needs_words(rig, action),
                              action.standing ? "from rest; " : "", until,
                              fmt::join(names_of_states(action.when), " or "), to_seconds(action.limit)));
  if (action.confirm > Span{})
    lines.push_back(fmt::format(
        "asked for twice within {:g} s{}{}", to_seconds(action.confirm),
        action.light != no<SwitchId> ? fmt::format("; {} is on meanwhile", rig.switches[index(action.light)]) : "",
        action.covers > Span{}
            ? fmt::format("; then all of {} once, for {:g} s", group.empty() ? "it" : group, to_seconds(action.covers))
            : ""));
  return lines;
}

}  // namespace gyrax
