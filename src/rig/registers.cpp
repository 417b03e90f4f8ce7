// The registers of a drive or a PLC: which number of the rig stands where, and what switches it on.
#include <gyrax/rig/registers.hpp>

#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <variant>

namespace gyrax {
namespace {

using What = RegisterEntry::What;
using Type = RegisterWord::Type;

constexpr std::array<const char*, 6> type_names{"u16", "i16", "u32", "i32", "f32", "bit"};
const Allowed address{0, 65535, false, "(address of a register)", true}, any_word{0, 65535, false, "", true};

std::vector<std::string> number_types() { return {type_names.begin(), type_names.begin() + 5}; }

/// What its table says of a number besides its address.
RegisterWord read_word(Table& table, const char* key, const std::string& unit) {
  RegisterWord number;
  number.at = static_cast<std::uint16_t>(table.whole(key, address).value_or(0));
  const std::string type = table.choice("type", number_types()).value_or("i32");
  number.type = static_cast<Type>(std::ranges::find(type_names, type) - type_names.begin());
  if (!table.has("counts")) return number;
  const std::vector<double> pair = table.numbers("counts", {-1e9, 1e9, false, ""});
  if (pair.size() == 2 && pair[0] != 0 && pair[1] != 0) {
    number.counts = pair[0];
    number.is = pair[1];
  } else if (!table.told("counts")) {
    table.problem(Code::out_of_range, "counts", "is no number of counts and what they are",
                  fmt::format("a pair: counts = [1000, 1] for 1000 counts a {}", unit));
  }
  return number;
}

/// A bit of a register, or by itself: `single` is its key then, "coil" or "discrete".
RegisterWord read_bit(Table& table, const char* single) {
  RegisterWord one;
  one.type = Type::bit;
  one.single = table.has(single);
  if (one.single) {
    one.at = static_cast<std::uint16_t>(table.whole(single, {0, 65535, false, "(address of a bit)", true}).value_or(0));
    if (table.has("at"))
      table.problem(Code::one_effect, "at", "it is in two places", fmt::format("'{}', or 'at' and 'bit'", single));
    table.allow("at");
    return one;
  }
  if (!table.has("at"))
    table.missing("at",
                  fmt::format("the register that it is a bit of: {{ at = 106, bit = 0 }}; or {{ {} = 5 }}", single));
  if (!table.has("bit")) table.missing("bit", "which bit of it, 0 the least: { at = 106, bit = 0 }");
  one.at = static_cast<std::uint16_t>(table.whole("at", address).value_or(0));
  one.bit = static_cast<std::uint8_t>(table.whole("bit", {0, 15, false, "(bit of a register)"}).value_or(0));
  return one;
}

/// Whether the greatest number that it has to hold fits in.
void check_reach(Table& table, const RegisterEntry& entry, double most, const std::string& unit) {
  const RegisterWord& word = entry.word;
  const double counts = std::abs(most * word.counts / word.is);
  const double room = most < 0 && word.counts / word.is > 0 ? -word.low() : word.high();
  if (counts <= room) return;
  table.problem(Code::out_of_range, "counts",
                fmt::format("{} of {:g} {} is {:.0f} counts, and {} holds {:.0f} at most", entry.name, most, unit,
                            counts, name_of(word.type), room),
                "fewer counts, or a type with more bits");
}

std::string area(const RegisterEntry& entry) {
  if (entry.word.single) return fmt::format("bit {}", entry.word.at);
  const unsigned last = entry.word.at + static_cast<unsigned>(entry.word.size()) - 1;
  return entry.word.size() == 1 ? fmt::format("register {}", entry.word.at)
                                : fmt::format("registers {} and {}", entry.word.at, last);
}

/// In the order of addresses, none twice.
void put_in_order(Table& table, std::vector<RegisterEntry>& entries, bool told) {
  const auto place = [](const RegisterEntry& one) { return std::pair(one.word.at, one.word.bit); };
  std::ranges::stable_sort(entries, {}, place);
  for (std::size_t i = 1; i < entries.size(); ++i) {
    const RegisterEntry &one = entries[i - 1], &next = entries[i];
    const std::size_t end = one.word.at + one.word.size();
    const bool bits =
        one.word.type == Type::bit && next.word.type == Type::bit && one.word.at == next.word.at && !one.word.single;
    const std::string first = next.name.substr(0, next.name.find('.'));
    if (bits ? one.word.bit == next.word.bit : next.word.at < end)
      table.problem(Code::duplicate_name, first.c_str(),
                    fmt::format("{} and {} are in one place: {}", one.name, next.name, area(next)), "a place for each");
    else if (told && next.word.at > end && !bits)
      table.problem(Code::out_of_range, first.c_str(),
                    fmt::format("{} {} lies between {} and {}, and would be written with them",
                                one.word.single ? "coil" : "register", end, one.name, next.name),
                    one.word.single ? "what is told stands in coils one after the other"
                                    : "what is told stands in registers one after the other");
  }
  constexpr std::size_t all_registers = 65536;
  if (!entries.empty() && entries.back().word.at + entries.back().word.size() > all_registers)
    table.problem(Code::out_of_range, entries.back().name.substr(0, entries.back().name.find('.')).c_str(),
                  fmt::format("it takes the {}", area(entries.back())), "the last one is 65535");
  const bool single = !entries.empty() && entries.front().word.single;
  const std::size_t span = RegisterMap::span_of(entries),
                    most = single ? (told ? most_told_coils : most_heard_discretes)
                                  : (told ? most_told_registers : most_heard_registers);
  if (span > most)
    table.problem(Code::too_many, "", fmt::format("they span {} {}", span, single ? "bits" : "registers"),
                  fmt::format("at most {}, which one request takes", most));
}

DriveState read_state(Table& table, const std::string& name) {
  DriveState state;
  state.name = name;
  const std::vector<double> status = table.numbers("status", any_word);
  if (status.size() == 2) {
    state.mask = static_cast<std::uint16_t>(status[0]);
    state.value = static_cast<std::uint16_t>(status[1]);
    if ((state.value & ~state.mask) != 0)
      table.problem(Code::out_of_range, "status",
                    fmt::format("{:#06x} has bits that the mask {:#06x} has not", state.value, state.mask),
                    "a mask, and what the status is under it");
  } else if (!table.told("status")) {
    if (table.has("status"))
      table.problem(Code::wrong_type, "status", "is no mask and value", "a pair: status = [0x006f, 0x0027]");
    else
      table.missing("status", "a mask, and what the status is under it: status = [0x006f, 0x0027]");
  }
  const std::string is = table.choice("is", {"off", "on", "fault"}).value_or("off");
  state.is = is == "on" ? DriveState::Is::on : is == "fault" ? DriveState::Is::fault : DriveState::Is::off;
  state.to_on = static_cast<std::uint16_t>(table.whole("on", any_word).value_or(0));
  state.to_off = static_cast<std::uint16_t>(table.whole("off", any_word).value_or(0));
  table.refuse_the_rest();
  return state;
}

/// No status fits two of them.
void check_states(Table& table, const std::vector<DriveState>& states) {
  for (std::size_t i = 0; i < states.size(); ++i)
    for (std::size_t j = i + 1; j < states.size(); ++j)
      if (((states[i].value ^ states[j].value) & states[i].mask & states[j].mask) == 0)
        table.problem(Code::duplicate_name, states[j].name.c_str(),
                      fmt::format("the status {:#06x} is both '{}' and '{}'", states[i].value | states[j].value,
                                  states[i].name, states[j].name),
                      "masks and values of which one fits alone");
}

}  // namespace

const char* name_of(RegisterWord::Type type) noexcept { return type_names[static_cast<std::size_t>(type)]; }

double RegisterWord::low() const noexcept {
  switch (type) {
    case Type::i16: return std::numeric_limits<std::int16_t>::min();
    case Type::i32: return std::numeric_limits<std::int32_t>::min();
    case Type::f32: return std::numeric_limits<float>::lowest();
    default: return 0;
  }
}
double RegisterWord::high() const noexcept {
  switch (type) {
    case Type::u16: return std::numeric_limits<std::uint16_t>::max();
    case Type::i16: return std::numeric_limits<std::int16_t>::max();
    case Type::u32: return std::numeric_limits<std::uint32_t>::max();
    case Type::i32: return std::numeric_limits<std::int32_t>::max();
    case Type::f32: return std::numeric_limits<float>::max();
    case Type::bit: return 1;
  }
  return 0;
}

std::string words_of(const RegisterWrite& write) {
  return write.coil ? fmt::format("coil {} {}", write.at, write.value != 0 ? "on" : "off")
                    : fmt::format("register {} = {}", write.at, write.value);
}

const RegisterEntry* RegisterMap::heard(What what) const noexcept {
  const auto found = std::ranges::find(hears, what, &RegisterEntry::what);
  return found == hears.end() ? nullptr : &*found;
}
const RegisterEntry* RegisterMap::told(What what) const noexcept {
  const auto found = std::ranges::find(tells, what, &RegisterEntry::what);
  return found == tells.end() ? nullptr : &*found;
}
const DriveState* RegisterMap::state_of(std::uint16_t status) const noexcept {
  for (const DriveState& state : states)
    if ((status & state.mask) == state.value) return &state;
  return nullptr;
}
std::size_t RegisterMap::span_of(const std::vector<RegisterEntry>& entries) noexcept {
  if (entries.empty()) return 0;
  const RegisterWord &first = entries.front().word, &last = entries.back().word;
  return last.at + last.size() - first.at;
}

/// `[link.NAME.modbus.tells]` or `hears`: a register for each word, a table for each name.
std::vector<RegisterEntry> RigBuilder::read_entries(Table& table, LinkId link, bool told) {
  std::vector<RegisterEntry> entries;
  for (const std::string& key : table.keys()) {
    if (key == "heartbeat" || key == (told ? "control" : "status")) {
      RegisterEntry entry{key == "heartbeat" ? What::heartbeat : What::word, 0, key, {}};
      entry.word.at = static_cast<std::uint16_t>(table.whole(key.c_str(), address).value_or(0));
      entries.push_back(entry);
      continue;
    }
    if (!table.is_table(key.c_str())) {
      table.problem(Code::wrong_type, key.c_str(), "is no table of registers",
                    told ? "an axis's { position = 102, speed = 104, type = \"i32\", counts = [1000, 1] }, a switch's "
                           "{ at = 106, bit = 0 } or { coil = 5 }"
                         : "an axis's { position = 202, … }, an input's { at = 206, bit = 0 } or { discrete = 7 }");
      continue;
    }
    Table one = *table.table(key.c_str());
    const auto of_link = [&](LinkId owner) {
      if (owner != link && owner != no<LinkId>)
        table.problem(Code::unknown_name, key.c_str(), fmt::format("'{}' is on {}", key, rig_.links[index(owner)].name),
                      "what is on this link");
      return owner == link;
    };
    if (const auto axis = names_.axes.find(key); axis != names_.axes.end()) {
      const AxisSetup& setup = rig_.setup.axes[axis->second];
      if (of_link(setup.wiring.link)) read_axis_entries(one, axis->second, told, entries);
    } else if (const auto target = names_.switches.find(key); told && target != names_.switches.end()) {
      const Wiring& wiring = rig_.setup.switches[target->second].wiring;
      if (of_link(wiring.link)) entries.push_back({What::on, wiring.channel, key, read_bit(one, "coil")});
    } else if (const auto input = input_names_.find(key); !told && input != input_names_.end()) {
      const InputInfo& info = rig_.inputs[input->second];
      if (!of_link(info.link)) continue;
      const bool is_contact = info.unit.empty();
      if (!is_contact && !one.has("at")) one.missing("at", "its register: { at = 206, type = \"i16\" }");
      entries.push_back(
          {What::input, info.channel, key, is_contact ? read_bit(one, "discrete") : read_word(one, "at", info.unit)});
    } else {
      table.problem(
          Code::unknown_name, key.c_str(),
          fmt::format("there is no axis{} '{}'", told ? " or switch" : " or input", key),
          told ? "heartbeat, control, or what is on this link" : "heartbeat, status, or what is on this link");
      continue;
    }
    one.refuse_the_rest();
  }
  return entries;
}

void RigBuilder::read_axis_entries(Table& table, std::size_t a, bool told, std::vector<RegisterEntry>& entries) {
  const AxisSetup& axis = rig_.setup.axes[a];
  const AxisInfo& info = rig_.axes[a];
  const std::pair<const char*, What> places[] = {{"position", What::position}, {"speed", What::speed}},
                                     powers[] = {{"power", What::power}};
  const auto add = [&](const char* key, What what) {
    if (!table.has(key)) return;
    RegisterEntry entry{what, axis.wiring.channel, info.name + "." + key, read_word(table, key, info.unit)};
    if (info.endless) return entries.push_back(entry);
    if (what == What::position) {
      check_reach(table, entry, axis.limits.low(), info.unit);
      check_reach(table, entry, axis.limits.high(), info.unit);
    } else {
      check_reach(table, entry, what == What::power ? -100 : -axis.limits.speed(), info.unit);
    }
    entries.push_back(entry);
  };
  if (info.endless)
    table.problem(Code::out_of_range, "position", "an endless axis has more counts than any register holds",
                  "an axis with a travel");
  if (std::holds_alternative<ServoMap>(axis.drive))
    table.problem(Code::one_effect, "position", fmt::format("'{}' is a servo behind a pulse", info.name),
                  "an axis without servo = { … }: a drive is told positions");
  if (info.motor)
    for (const auto& [key, what] : powers) add(key, what);
  else
    for (const auto& [key, what] : places) add(key, what);
  const char* const first = info.motor ? "power" : "position";
  if (told && !table.has(first))
    table.missing(first, fmt::format("the register of its {}: {{ {} = 102, type = \"i32\" }}", first, first));
}

/// What is on a link has its registers; a control word has its states.
void RigBuilder::check_registers(Table& table, LinkId link, const RegisterMap& map) {
  const auto has = [](const std::vector<RegisterEntry>& list, What what, std::uint16_t row) {
    return std::ranges::any_of(list, [&](const RegisterEntry& e) { return e.what == what && e.row == row; });
  };
  bool moves = false;
  for (std::size_t a = 0; a < rig_.axes.size(); ++a) {
    const AxisSetup& axis = rig_.setup.axes[a];
    if (axis.wiring.link != link) continue;
    moves = true;
    const What first = rig_.axes[a].motor ? What::power : What::position;
    if (!has(map.tells, first, axis.wiring.channel))
      table.missing("tells", fmt::format("registers of the axis '{}'", rig_.axes[a].name));
    if (axis.position == PositionKind::measured && !rig_.axes[a].motor &&
        !has(map.hears, What::position, axis.wiring.channel))
      table.missing("hears",
                    fmt::format("the position of the axis '{}'; or position = \"assumed\"", rig_.axes[a].name));
  }
  for (std::size_t s = 0; s < rig_.switches.size(); ++s)
    if (const Wiring& wiring = rig_.setup.switches[s].wiring;
        wiring.link == link && !has(map.tells, What::on, wiring.channel) && !has(map.coils, What::on, wiring.channel))
      table.missing("tells", fmt::format("the bit of the switch '{}'", rig_.switches[s]));
  for (const InputInfo& input : rig_.inputs)
    if (input.link == link && !has(map.hears, What::input, input.channel) &&
        !has(map.discretes, What::input, input.channel))
      table.missing("hears", fmt::format("the register of the input '{}'", input.name));
  if (map.tells_any() && map.told(What::heartbeat) == nullptr)
    table.missing("tells", "heartbeat: without it the far end cannot notice that nobody is there");
  if (map.hears.empty() && map.discretes.empty())
    table.missing("hears", "what is heard: heartbeat, status, positions, inputs");
  if (moves && map.told(What::word) == nullptr)
    table.missing("tells", "control: the register that switches it on and off");
  if (moves && map.heard(What::word) == nullptr)
    table.missing("hears", "status: the register that says whether it is on");
  const auto none = [&](DriveState::Is is) { return std::ranges::count(map.states, is, &DriveState::is) == 0; };
  if (moves && none(DriveState::Is::on))
    table.missing("states",
                  "what its status says while it is on: on = { status = [1, 1], is = \"on\", on = 1, off = 0 }");
}

void RigBuilder::resolve_registers() {
  for (auto& [link_of, table_of] : register_tables_) {
    const LinkId link = link_of;  // a lambda takes no name of a pair's part
    Table& table = table_of;
    RegisterMap map;
    const auto read = [&](const char* key, bool told, std::vector<RegisterEntry>& registers,
                          std::vector<RegisterEntry>& bits) {
      auto entries = table.table(key);
      if (!entries) return;
      for (RegisterEntry& entry : read_entries(*entries, link, told))
        (entry.word.single ? bits : registers).push_back(std::move(entry));
      put_in_order(*entries, registers, told);
      put_in_order(*entries, bits, told);
    };
    read("tells", true, map.tells, map.coils);
    read("hears", false, map.hears, map.discretes);
    if (auto states = table.table("states")) {
      for (const std::string& name : states->keys())
        if (auto state = states->table(name.c_str())) map.states.push_back(read_state(*state, name));
      check_states(*states, map.states);
    }
    map.low_word_first = rig_.links[index(link)].text("words") == "low_first";
    map.input_registers = rig_.links[index(link)].text("reads") == "input";
    check_registers(table, link, map);
    rig_.links[index(link)].registers = std::move(map);
  }
  register_tables_.clear();
}

}  // namespace gyrax
