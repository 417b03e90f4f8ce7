#include "switches.hpp"

#include "boards.hpp"
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

const std::vector<std::string> becomes_names{"off", "on", "keep"};

std::optional<Becomes> read_becomes(Table& table, const char* key) {
  const auto word = table.choice(key, becomes_names);
  if (!word) return std::nullopt;
  return static_cast<Becomes>(std::find(becomes_names.begin(), becomes_names.end(), *word) - becomes_names.begin());
}

/// `becomes = "keep"`, or by cause.
BecomesBy read_becomes(Table& table) {
  if (!table.is_table("becomes")) return default_becomes(read_becomes(table, "becomes").value_or(Becomes::off));
  auto by = table.table("becomes");
  BecomesBy all = default_becomes(read_becomes(*by, "otherwise").value_or(Becomes::off));
  for (std::size_t i = 1; i < cause_count; ++i)
    if (const auto one = read_becomes(*by, about(static_cast<Cause>(i)).name)) all[i] = *one;
  by->refuse_the_rest();
  return all;
}

/// Since then it counts at the stop key, at stow and at the end of the program as well, and by cause.
void refuse_old_keys(Table& table) {
  for (const auto& [old, now] : {std::pair{"on_trip", "becomes = \"keep\", or by cause"},
                                 std::pair{"on_handset_lost", "becomes = { handset_gone = \"keep\" } and its like"},
                                 std::pair{"on_link_lost", "becomes = { link_silent = \"keep\" }"}}) {
    if (!table.has(old)) continue;
    table.allow(old);
    table.problem(Code::unknown_key, old, "no such key any more",
                  fmt::format("{}; it counts at every stop, and at stow, too", now));
  }
}

}  // namespace

void RigBuilder::read_switches(Table& root) {
  constexpr double day_s = 86'400;
  for (auto& [name, table] : root.tables("switch")) {
    if (!add_name(table, names_.switches, name, "switch")) continue;
    SwitchSetup s;
    s.zone = pick<ZoneId>(table, "zone", names_.zones, "zone");
    s.wiring.link = pick<LinkId>(table, "link", link_names_, "link");
    if (s.wiring.link != no<LinkId>) s.wiring.channel = switch_channels_[index(s.wiring.link)]++;
    s.start_on = table.choice("start", {"off", "on"}).value_or("off") == "on";
    s.becomes = read_becomes(table);
    s.pulse = from_seconds(table.number("pulse_ms", {0, 60'000, true, "ms"}, 0) / 1e3);
    s.max_on = from_seconds(table.number("max_on_s", {0, day_s, true, "s"}, 0));
    s.min_off = from_seconds(table.number("min_off_s", {0, day_s, true, "s"}, 0));
    if (s.max_on > Span{0} && s.pulse > s.max_on)
      table.problem(Code::out_of_range, "pulse_ms", "a pulse is longer than the switch may be on",
                    fmt::format("at most {:g} ms", to_seconds(s.max_on) * 1e3));
    if (s.start_on && s.pulse > Span{0})
      table.problem(Code::bad_choice, "start", "a switch of pulses is off until somebody turns it on",
                    "start = \"off\", or no pulse_ms");
    if (s.wiring.link != no<LinkId>) {
      LinkInfo& link = rig_.links[index(s.wiring.link)];
      read_channel(table, link, s, name);
      read_load_of_switch(table, link, name);
    }
    refuse_old_keys(table);
    table.refuse_the_rest();
    rig_.setup.switches.push_back(s);
    rig_.switches.push_back(name);
  }
}

/// What axes and zones need, once switches and inputs are known.
void RigBuilder::resolve_needs() {
  for (std::size_t a = 0; a < needs_.size(); ++a)
    for (const std::string& word : needs_[a]) {
      const bool is_input = input_names_.contains(word), is_switch = names_.switches.contains(word);
      if (is_input && is_switch)
        needed_at_[a].problem(Code::duplicate_name, "needs", fmt::format("'{}' is a switch and an input", word),
                              "names that differ");
      if (is_input) {
        rig_.setup.axes[a].needs_inputs.push_back(id_at<InputId>(input_names_.at(word)));
        continue;
      }
      const SwitchId target = named<SwitchId>(needed_at_[a], "needs", names_.switches, word, "switch");
      if (target != no<SwitchId>) rig_.setup.axes[a].needs.push_back(target);
    }
  needs_.clear();
  for (std::size_t z = 0; z < zone_needs_.size(); ++z)
    for (const std::string& word : zone_needs_[z].second)
      if (const InputId input = named<InputId>(zone_needs_[z].first, "needs", input_names_, word, "input");
          input != no<InputId>)
        rig_.setup.zones[z].needs.push_back(input);
  zone_needs_.clear();
}

const char* name_of(Becomes becomes) noexcept { return becomes_names[static_cast<std::size_t>(becomes)].c_str(); }

std::vector<std::string> becomes_words(const SwitchSetup& s) {
  constexpr const char* verbs[] = {"goes off at", "goes on at", "stays as it is at"};
  const auto causes_of = [&s](Becomes becomes) {
    std::vector<const char*> names;
    for (std::size_t i = 1; i < cause_count; ++i)
      if (s.becomes[i] == becomes) names.push_back(about(static_cast<Cause>(i)).name);
    return names;
  };
  std::vector<Becomes> order{Becomes::off, Becomes::on, Becomes::keep};
  std::stable_sort(order.begin(), order.end(),
                   [&](Becomes a, Becomes b) { return causes_of(a).size() > causes_of(b).size(); });
  std::vector<std::string> words;
  for (const Becomes becomes : order) {
    const auto names = causes_of(becomes);
    if (names.empty()) continue;
    const std::string when = !words.empty()                    ? fmt::format("{}", fmt::join(names, ", "))
                             : names.size() + 1 == cause_count ? "every stop and fault"
                                                               : "every other stop and fault";
    words.push_back(fmt::format("{} {}", verbs[static_cast<std::size_t>(becomes)], when));
  }
  return words;
}

std::string times_words(const SwitchSetup& s) {
  std::vector<std::string> all;
  if (s.pulse > Span{0}) all.push_back(fmt::format("off by itself after {:g} ms", to_seconds(s.pulse) * 1e3));
  if (s.max_on > Span{0}) all.push_back(fmt::format("on for {:g} s at most", to_seconds(s.max_on)));
  if (s.min_off > Span{0}) all.push_back(fmt::format("off for {:g} s before it goes on again", to_seconds(s.min_off)));
  return fmt::format("{}", fmt::join(all, "; "));
}

}  // namespace gyrax
