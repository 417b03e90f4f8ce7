// Inputs: what a link reports besides its axes, by name.
#include "boards.hpp"
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {

void RigBuilder::read_inputs(Table& root) {
  for (auto& [name, table] : root.tables("input")) {
    add_usual_link();
    if (!add_name(table, input_names_, name, "input")) continue;
    InputInfo input;
    input.name = name;
    input.origin = {table.file(), table.line()};
    input.link = pick<LinkId>(table, "link", link_names_, "link");
    input.unit = table.text("unit").value_or("");
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
    if (link != nullptr && link->kind == "simulated") {
      input.start = input.unit.empty() ? (table.choice("start", {"off", "on"}).value_or("off") == "on" ? 1 : 0)
                                       : table.number("start", {-1e9, 1e9, false, input.unit.c_str()}, 0);
    }
    if (link != nullptr) {
      const auto on_it = [&](const InputInfo& other) { return other.link == input.link; };
      input.channel = static_cast<std::uint16_t>(std::ranges::count_if(rig_.inputs, on_it));
      read_channel(table, *link, input);
    }
    table.refuse_the_rest();
    if (rig_.inputs.size() == max_inputs)
      table.problem(Code::too_many, "", fmt::format("there are more than {} inputs", max_inputs), "fewer");
    rig_.setup.inputs.push_back({input.link});
    rig_.inputs.push_back(input);
  }
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

}  // namespace gyrax
