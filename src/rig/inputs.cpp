// Inputs: what a link reports besides its axes, by name.
#include "boards.hpp"
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <string_view>

namespace gyrax {
namespace {

/// It stands in tables, plots and on terminals.
bool is_unit(const std::string& text) {
  constexpr std::string_view signs = "%/^*.-_ ";
  return text.size() <= 16 && std::ranges::all_of(text, [&](char c) {
           const auto byte = static_cast<unsigned char>(c);
           return byte >= 0x80 || std::isalnum(byte) != 0 || signs.find(c) != std::string_view::npos;
         });
}

}  // namespace

void RigBuilder::read_inputs(Table& root) {
  for (auto& [name, table] : root.tables("input")) {
    add_usual_link();
    if (!add_name(table, input_names_, name, "input")) continue;
    InputInfo input;
    input.name = name;
    input.origin = {table.file(), table.line()};
    input.link = pick<LinkId>(table, "link", link_names_, "link");
    input.unit = table.text("unit").value_or("");
    if (!is_unit(input.unit)) {
      table.problem(Code::bad_name, "unit", fmt::format("'{}' cannot be a unit", as_text(input.unit)),
                    "letters, digits and % / ^ * . - _, 16 bytes at most");
      input.unit = "?";
    }
    input.inverted = table.flag("inverted").value_or(false);
    if (input.inverted && !input.unit.empty())
      table.problem(Code::one_effect, "inverted", "only a contact is on or off", "without unit; or leave it out");
    if (table.has("counts")) {
      const std::vector<double> pair = table.numbers("counts", {-1e9, 1e9, false, ""});
      const bool holds = pair.size() == 2 && pair[0] != 0 && pair[1] != 0 && !input.unit.empty();
      if (holds) {
        input.counts = pair[0];
        input.is = pair[1];
      } else if (!table.told("counts")) {
        table.problem(Code::out_of_range, "counts", "is no number of counts and what they are, of an input with a unit",
                      "a pair and a unit: counts = [1023, 100], unit = \"°C\"");
      }
    }
    LinkInfo* const link = input.link == no<LinkId> ? nullptr : &rig_.links[index(input.link)];
    if (link != nullptr && (link->kind == "simulated" || link->kind == "modbus" || link->kind == "controller")) {
      input.start = input.unit.empty() ? (table.choice("start", {"off", "on"}).value_or("off") == "on" ? 1 : 0)
                                       : table.number("start", {-1e9, 1e9, false, input.unit.c_str()}, 0);
    }
    if (table.has("range") && input.unit.empty())
      table.problem(Code::one_effect, "range", "only a number has a range", "an input with a unit; or leave it out");
    input.range = table.range("range", {-1e9, 1e9, false, input.unit.c_str()});
    if (link != nullptr) {
      const auto on_it = [&](const InputInfo& other) { return other.link == input.link; };
      input.channel = static_cast<std::uint16_t>(std::ranges::count_if(rig_.inputs, on_it));
      read_channel(table, *link, input);
    }
    rig_.setup.inputs.push_back({.link = input.link, .bounds = {}});
    read_trips(table, input);
    table.refuse_the_rest();
    if (rig_.inputs.size() == max_inputs)
      table.problem(Code::too_many, "", fmt::format("there are more than {} inputs", max_inputs), "fewer");
    rig_.inputs.push_back(input);
  }
}

/// `trips = { above = 80, hysteresis = 5, for_ms = 200, zones = ["carriage"] }`.
void RigBuilder::read_trips(Table& table, const InputInfo& input) {
  auto trips = table.table("trips");
  if (!trips) return;
  add_usual_zone();
  if (input.unit.empty())
    table.problem(Code::one_effect, "trips", "a contact is neither above nor below",
                  "an input with a unit; or [zone.…] needs = [\"" + input.name + "\"]");
  InputBounds& bounds = rig_.setup.inputs.back().bounds;
  const Allowed number{-1e9, 1e9, false, input.unit.c_str()};
  const auto high = trips->number("above", number), low = trips->number("below", number);
  bounds.high = high.value_or(bounds.high);
  bounds.low = low.value_or(bounds.low);
  bounds.hysteresis = trips->number("hysteresis", {0, 1e9, false, input.unit.c_str()}, 0);
  bounds.grace = from_seconds(trips->number("for_ms", {0, 60'000, false, "ms"}, 0) / 1e3);
  if (!trips->has("above") && !trips->has("below"))
    trips->missing("above", fmt::format("the number of {} above which zones trip; or below, or both", input.unit));
  if (high && low && !(*low < *high))
    trips->problem(Code::reversed_range, "above",
                   fmt::format("{:g} is not above {:g}, where it trips below", *high, *low),
                   "above is more than below");
  else if (high && low && bounds.hysteresis >= *high - *low)
    trips->problem(Code::out_of_range, "hysteresis", "it could never come back inside both bounds",
                   fmt::format("less than {:g} {}", *high - *low, input.unit));
  const auto names = trips->has("zones") ? trips->texts("zones") : std::vector<std::string>{};
  const InputId id = id_at<InputId>(rig_.setup.inputs.size() - 1);
  for (const std::string& word : names)
    if (const ZoneId zone = named<ZoneId>(*trips, "zones", names_.zones, word, "zone"); zone != no<ZoneId>)
      rig_.setup.zones[index(zone)].bounded.push_back(id);
  if (!trips->has("zones"))
    for (ZoneSetup& zone : rig_.setup.zones) zone.bounded.push_back(id);
  trips->refuse_the_rest();
}

/// `ends = { low = "x_low", high = "x_high" }`.
void RigBuilder::read_end_switches(Table& table, AxisSetup& axis) {
  auto ends = table.table("ends");
  if (!ends) return;
  for (const auto& [key, end] : {std::pair{"low", &axis.low_end}, {"high", &axis.high_end}}) {
    const auto word = ends->text(key);
    if (!word) continue;
    *end = named<InputId>(*ends, key, input_names_, *word, "input");
    if (*end != no<InputId> && !rig_.inputs[index(*end)].unit.empty())
      ends->problem(Code::wrong_type, key, fmt::format("'{}' is a number of {}", *word, rig_.inputs[index(*end)].unit),
                    "a contact: an input without unit");
  }
  if (!ends->has("low") && !ends->has("high"))
    ends->missing("low", "the input that is on at that end; or high, or both");
  ends->refuse_the_rest();
}

/// `homed = "x_homed"`.
void RigBuilder::read_homed(Table& table, AxisSetup& axis) {
  const auto word = table.text("homed");
  if (!word) return;
  axis.homed = named<InputId>(table, "homed", input_names_, *word, "input");
  if (axis.homed != no<InputId> && !rig_.inputs[index(axis.homed)].unit.empty())
    table.problem(Code::wrong_type, "homed",
                  fmt::format("'{}' is a number of {}", *word, rig_.inputs[index(axis.homed)].unit),
                  "a contact: an input without unit");
  if (std::holds_alternative<MotorMap>(axis.drive))
    table.problem(Code::one_effect, "homed", "a motor has no place to be homed to", "an axis with a travel");
}

}  // namespace gyrax
