#include "link_kinds.hpp"

#include "wires.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

struct LinkKey {
  const char* key;
  Allowed allowed;
  double usual;
};
/// A row for each kind; how it is made is a line of src/link/kinds.cpp.
struct KindRow {
  const char* kind;
  std::vector<LinkKey> keys;
  std::vector<const char*> texts;  // keys that are words
  void (*check)(Table& table, const LinkInfo& info);
  std::vector<const char*> tables = {};  // keys that are read once all else is known
};

/// Its wire, and how boards share it.
void check_board(Table& table, const LinkInfo& info) {
  check_wire(table, {info.text("serial"), info.text("tcp"), info.text("udp"), static_cast<int>(info.number("baud"))});
  const std::string& duplex = info.text("duplex");
  if (!duplex.empty() && duplex != "half" && duplex != "full")
    table.problem(Code::bad_choice, "duplex", fmt::format("'{}' is not a choice", duplex),
                  "\"full\" (usual), or \"half\" where boards take turns on two wires");
  if (duplex == "half" && info.text("serial").empty())
    table.problem(Code::one_effect, "duplex", "only boards on a serial line take turns",
                  "serial = \"/dev/serial/by-id/…\"");
}

/// A word of two that a key may be.
void check_word(Table& table, const LinkInfo& info, const char* key, const char* usual, const char* other) {
  const std::string& word = info.text(key);
  if (!word.empty() && word != usual && word != other)
    table.problem(Code::bad_choice, key, fmt::format("'{}' is not a choice", word),
                  fmt::format("\"{}\" (usual) or \"{}\"", usual, other));
}

void check_modbus(Table& table, const LinkInfo& info) {
  check_wire(table, {info.text("serial"), info.text("tcp"), "", static_cast<int>(info.number("baud"))});
  check_word(table, info, "words", "high_first", "low_first");
  check_word(table, info, "reads", "holding", "input");
  const double cycle_ms = 1e3 / info.number("rate_hz");
  if (info.number("watchdog_ms") < 2 * cycle_ms)
    table.problem(Code::out_of_range, "watchdog_ms",
                  fmt::format("{:g} ms is less than two cycles of {:g} ms", info.number("watchdog_ms"), cycle_ms),
                  "so much that a heartbeat may come late; or a greater rate_hz");
}

void check_controller(Table& table, const LinkInfo& info) {
  check_wire(table, {info.text("serial"), info.text("tcp"), "", static_cast<int>(info.number("baud"))});
  if (info.text("dialect").empty())
    table.missing("dialect", "how it is spoken to: dialect = \"NAME\" of [dialect.NAME]");
}

const std::vector<KindRow> kinds{{"simulated",
                                  {{"lag_ms", {0, 1000, false, "ms"}, 12},   // with which an axis follows
                                   {"delay_ms", {0, 1000, false, "ms"}, 2},  // from measuring to the report's arrival
                                   {"report_ms", {0, 1000, true, "ms"}, 4},  // between two reports
                                   {"speed_percent", {0, 1000, true, "%"}, 130},   // an axis's own limit, of the rig's
                                   {"decel_percent", {0, 1000, true, "%"}, 100}},  // with which it stops by itself
                                  {},
                                  nullptr},
                                 {"board",
                                  {{"baud", {9600, 2'000'000, false, ""}, 115'200},  // of a serial line
                                   {"address", {1, 254, false, ""}, 1},              // of the board on it
                                   {"rate_hz", {1, 500, false, "a second"}, 100},    // sets
                                   {"round_trip_ms", {1, 1000, false, "ms"}, 100}},  // it refuses what is older
                                  {"serial", "tcp", "udp", "duplex"},
                                  check_board},
                                 {"modbus",
                                  {{"baud", {9600, 2'000'000, false, ""}, 19'200},     // of a serial line
                                   {"unit", {0, 247, false, ""}, 1},                   // its address
                                   {"rate_hz", {1, 500, false, "a second"}, 50},       // cycles: a write and a read
                                   {"timeout_ms", {1, 5000, false, "ms"}, 100},        // of one transaction
                                   {"watchdog_ms", {1, 60'000, false, "ms"}, 200},     // of its own
                                   {"switch_on_ms", {10, 60'000, false, "ms"}, 2000},  // from off to on, at most
                                   {"lag_ms", {0, 1000, false, "ms"}, 20}},            // with which it follows
                                  {"serial", "tcp", "words", "reads"},
                                  check_modbus,
                                  {"tells", "hears", "states"}},
                                 {"controller",
                                  {{"baud", {9600, 2'000'000, false, ""}, 115'200},    // of a serial line
                                   {"rate_hz", {5, 200, false, "a second"}, 50},       // moves
                                   {"status_hz", {1, 100, false, "a second"}, 20},     // questions where it is
                                   {"answer_ms", {10, 10'000, false, "ms"}, 300},      // without an answer: lost
                                   {"round_trip_ms", {1, 1000, false, "ms"}, 20},      // of a question, usually
                                   {"accel", {0, 1e6, false, "a second squared"}, 0},  // its own; 0: as its axes
                                   {"speed", {0, 1e6, false, "a second"}, 0}},         // the same
                                  {"serial", "tcp", "dialect"},
                                  check_controller,
                                  {"letters", "switches"}}};

const KindRow* kind_named(const std::string& name) {
  for (const KindRow& row : kinds)
    if (name == row.kind) return &row;
  return nullptr;
}

}  // namespace

void read_kind(Table& link, LinkInfo& info) {
  std::vector<std::string> names;
  for (const KindRow& row : kinds) names.emplace_back(row.kind);
  const auto kind = link.choice("kind", names);
  if (!link.has("kind")) link.missing("kind", fmt::format("kind = \"{}\"", names.front()));
  info.kind = kind.value_or(names.front());
  const KindRow& row = *kind_named(info.kind);
  if (auto table = link.table(info.kind.c_str())) {
    for (const LinkKey& key : row.keys) info.numbers[key.key] = table->number(key.key, key.allowed, key.usual);
    for (const char* key : row.texts) info.texts[key] = table->text(key).value_or("");
    for (const char* key : row.tables) table->allow(key);
    table->refuse_the_rest();
    if (row.check != nullptr) row.check(*table, info);
  } else if (row.check != nullptr) {
    link.missing(info.kind.c_str(), fmt::format("[link.{}.{}] with its wire", info.name, info.kind));
  }
  const std::string known = info.kind;
  info = with_usual(std::move(info), known);
}

wire::Place wire_place(const LinkInfo& link) {
  wire::Place place;
  for (const auto& [key, where] : {std::pair{"serial", &place.serial}, {"tcp", &place.tcp}, {"udp", &place.udp}})
    if (const auto found = link.texts.find(key); found != link.texts.end()) *where = found->second;
  if (const auto baud = link.numbers.find("baud"); baud != link.numbers.end())
    place.baud = static_cast<int>(baud->second);
  return place;
}

LinkInfo with_usual(LinkInfo link, const std::string& kind) {
  if (const KindRow* row = kind_named(kind)) {
    for (const LinkKey& key : row->keys) link.numbers.try_emplace(key.key, key.usual);
    for (const char* key : row->texts) link.texts.try_emplace(key, "");
  }
  return link;
}

std::string link_words(const LinkInfo& link) {
  std::string text = link.kind;
  if (const KindRow* row = kind_named(link.kind)) {
    for (const char* key : row->texts)
      if (!link.text(key).empty()) text += fmt::format(", {} {}", key, link.text(key));
    const auto serial = link.texts.find("serial");
    const bool no_line = serial != link.texts.end() && serial->second.empty();
    for (const LinkKey& key : row->keys)
      if ((!no_line || std::string_view(key.key) != "baud") && (key.usual != 0 || link.number(key.key) != 0))
        text += fmt::format(", {} {:g}", key.key, link.number(key.key));
  }
  return text;
}

}  // namespace gyrax
