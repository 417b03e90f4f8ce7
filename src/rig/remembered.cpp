#include <gyrax/rig/remembered.hpp>
#include <gyrax/rig/words.hpp>

#include "../files/toml_reader.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <iterator>
#include <utility>

namespace gyrax {
namespace {

constexpr int remembered_version = 1;

/// A short number for a path: FNV-1a, 32 bits (draft-eastlake-fnv).
std::uint32_t number_of(const std::string& path) {
  std::uint32_t hash = 2166136261u;
  for (const char c : path) hash = (hash ^ static_cast<unsigned char>(c)) * 16777619u;
  return hash;
}

template <class Value>
bool start_with(const std::vector<Value>& values, const Value& wanted, std::size_t& start) {
  const auto at = std::find(values.begin(), values.end(), wanted);
  if (at == values.end()) return false;
  start = static_cast<std::size_t>(at - values.begin());
  return true;
}

std::string override_name(const Rig& rig, std::size_t override) {
  for (std::size_t n = 0; n < rig.numbers.size(); ++n)
    if (index(rig.setup.notches.numbers[n].override) == override) return rig.numbers[n].name;
  return "override";
}

}  // namespace

std::string remembered_path(const std::string& rig_path) {
  namespace fs = std::filesystem;
  const char* const state = std::getenv("XDG_STATE_HOME");
  const char* const home = std::getenv("HOME");
  const fs::path folder =
      state != nullptr && *state == '/' ? fs::path(state) : fs::path(home != nullptr ? home : ".") / ".local/state";
  std::error_code ignored;
  const fs::path whole = fs::weakly_canonical(rig_path, ignored);
  return (folder / "gyrax" / fmt::format("{}-{:08x}.remembered.toml", whole.stem().string(), number_of(whole.string())))
      .string();
}

bool remembers_place(const Rig& rig, AxisId axis) {
  const AxisSetup& setup = rig.setup.axes[index(axis)];
  // What is homed is not known again before it is homed again.
  return setup.position == PositionKind::assumed && is_place(setup.drive) && !setup.homing.any() &&
         rig.links[index(setup.wiring.link)].kind == "board";
}

bool remembers_zero(const Rig& rig, AxisId axis) {
  return std::any_of(rig.setup.bindings.begin(), rig.setup.bindings.end(), [&](const BindingSetup& b) {
    const auto* zero = b.as<effect::Zero>();
    return zero && zero->axis == axis;
  });
}

bool remembers(const Rig& rig) {
  bool place = false;
  for (std::size_t a = 0; a < rig.axes.size(); ++a)
    place = place || remembers_place(rig, id_at<AxisId>(a)) || remembers_zero(rig, id_at<AxisId>(a));
  return place || rig.remembers_overrides || rig.remembers_increments;
}

std::string remembered_text(const Rig& rig, std::span<const double> overrides, std::span<const Nano> increments,
                            std::span<const std::optional<double>> places, std::span<const Nano> zeros) {
  if (!remembers(rig)) return {};
  std::string text = fmt::format("gyrax_remembered = {}\n", remembered_version);
  const auto out = std::back_inserter(text);
  if (rig.remembers_overrides) {
    text += "\n[override]   # percent\n";
    for (std::size_t r = 0; r < overrides.size(); ++r)
      fmt::format_to(out, "\"{}\" = {}\n", override_name(rig, r), overrides[r]);
  }
  if (rig.remembers_increments) {
    text += "\n[increment]\n";
    for (std::size_t a = 0; a < increments.size(); ++a)
      if (increments[a] != 0) fmt::format_to(out, "\"{}\" = {}\n", rig.axes[a].name, from_nano(increments[a]));
  }
  bool any_zero = false;
  for (std::size_t a = 0; a < zeros.size(); ++a) {
    if (zeros[a] == 0 || !remembers_zero(rig, id_at<AxisId>(a))) continue;
    if (!std::exchange(any_zero, true)) text += "\n[zero]   # one's own, counted from the machine's\n";
    fmt::format_to(out, "\"{}\" = {}\n", rig.axes[a].name, from_nano(zeros[a]));
  }
  bool any = false;
  for (std::size_t a = 0; a < places.size(); ++a) {
    if (!places[a] || !remembers_place(rig, id_at<AxisId>(a))) continue;
    if (!std::exchange(any, true)) text += "\n[place]   # where the last run left it without power\n";
    fmt::format_to(out, "\"{}\" = {}\n", rig.axes[a].name, *places[a]);
  }
  return text;
}

namespace {

void take_places(Rig& rig, Table& places) {
  rig.left_at.resize(rig.axes.size());
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisInfo& info = rig.axes[a];
    if (!remembers_place(rig, id_at<AxisId>(a))) continue;
    const auto place = places.number(info.name.c_str(), {});
    if (!place) continue;
    AxisSetup& axis = rig.setup.axes[a];
    const bool inside = *place >= axis.limits.low() && *place <= axis.limits.high();
    if (inside) rig.left_at[a] = axis.start = *place;
    rig.remarks.push_back(
        inside ? fmt::format("{} is taken to be at {:.4g} {}, where the last run left it", info.name, *place, info.unit)
               : fmt::format("{} was left at {:.4g} {}, which is outside of its travel now; the rig's "
                             "own start counts",
                             info.name, *place, info.unit));
  }
}

void take_zeros(Rig& rig, Table& zeros) {
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisId axis = id_at<AxisId>(a);
    if (!remembers_zero(rig, axis)) continue;
    const auto zero = zeros.number(rig.axes[a].name.c_str(), {-2 * max_position, 2 * max_position, false, ""});
    if (!zero) continue;
    rig.setup.axes[a].zero = to_nano(*zero);
    rig.remarks.push_back(fmt::format("the zero of {} is at {} of the machine's, as the last run left it",
                                      rig.axes[a].name, say_amount(rig, axis, to_nano(*zero))));
  }
}

}  // namespace

Rig with_remembered(Rig rig, const std::string& text) {
  if (text.empty() || !remembers(rig)) return rig;
  Problems problems;
  const auto document = Document::parse(text, remembered_source, problems);
  if (!document) {
    rig.remarks.emplace_back("what was remembered of the last run cannot be read; the rig's own starts count");
    return rig;
  }
  Table root = document->root(problems);
  NotchSetup& notches = rig.setup.notches;
  const auto forgotten = [&](const std::string& name, double value) {
    rig.remarks.push_back(fmt::format(
        "{} was at {:g} in the last run, which is no notch any more; the rig's own start counts", name, value));
  };
  if (auto overrides = rig.remembers_overrides ? root.table("override") : std::nullopt)
    for (std::size_t r = 0; r < notches.overrides.size(); ++r) {
      const std::string name = override_name(rig, r);
      const auto value = overrides->number(name.c_str(), {});
      if (value && !start_with(notches.overrides[r].values, *value, notches.overrides[r].start))
        forgotten(name, *value);
    }
  if (auto increments = rig.remembers_increments ? root.table("increment") : std::nullopt)
    for (std::size_t a = 0; a < notches.increments.size(); ++a) {
      const auto value = increments->number(rig.axes[a].name.c_str(), {});
      if (value && !start_with(notches.increments[a].values, to_nano(*value), notches.increments[a].start))
        forgotten(rig.axes[a].name, *value);
    }
  if (auto zeros = root.table("zero")) take_zeros(rig, *zeros);
  if (auto places = root.table("place")) take_places(rig, *places);
  rig.sources.push_back({remembered_source, text});
  return rig;
}

}  // namespace gyrax
