#include "shapes.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

constexpr Allowed share{0, 90, false, "%"};

void read_dead_zone(Table& table, Shaped, ControlWish& wish) {
  Zone& zone = wish.said.shape.zone;
  if (const auto dead = table.number("dead_zone", share)) wish.dead_zone = *dead / 100;
  if (const auto back = table.number("hysteresis", share)) zone.hysteresis = *back / 100;
  if (const auto outer = table.number("outer", {0, 50, false, "%"})) zone.outer = *outer / 100;
  if (zone.hysteresis > wish.dead_zone.value_or(1))
    table.problem(Code::out_of_range, "hysteresis", "it is greater than the dead zone", "at most the dead zone");
  if (wish.dead_zone.value_or(0) + zone.outer >= 1)
    table.problem(Code::out_of_range, "outer", "nothing is left between the two dead zones", "less of one of them");
}
std::string dead_zone_words(const ControlSetup& c) {
  const Zone& zone = c.shape.zone;
  std::string text;
  const auto add = [&](const std::string& word) { text += (text.empty() ? "" : ", ") + word; };
  if (zone.inner > 0)
    add(fmt::format("dead zone {:g} %{}", zone.inner * 100, c.partner != no<SlotId> ? ", round" : ""));
  if (zone.hysteresis > 0) add(fmt::format("hysteresis {:g} %", zone.hysteresis * 100));
  if (zone.outer > 0) add(fmt::format("full from {:g} %", 100 - zone.outer * 100));
  return text;
}

void read_straight(Table& table, Shaped what, ControlWish& wish) {
  const auto straight = table.number("straight", share);
  if (!straight) return;
  wish.said.shape.straight = {*straight / 100, *straight / 400, 0};
  if (what != Shaped::stick)
    table.problem(Code::wrong_control, "straight", "only a stick has pushes to keep straight",
                  "on \"stick.left\" or \"stick.right\"");
}
std::string straight_words(const ControlSetup& c) {
  return c.shape.straight.inner > 0 ? fmt::format("straight up to {:g} %", c.shape.straight.inner * 100) : "";
}

void read_curve(Table& table, Shaped, ControlWish& wish) {
  const auto expo = table.number("expo", {0, 100, false, "%"});
  if (expo) wish.said.shape.curve = *Curve::expo(*expo / 100);
  if (!table.has("curve")) return;
  const auto pairs = table.pairs("curve");
  std::vector<Curve::Point> points;
  for (const auto& [in, out] : pairs.value_or(std::vector<std::pair<double, double>>{}))
    points.push_back({in / 100, out / 100});
  const auto curve = points.empty() || expo ? std::nullopt : Curve::through(points);
  if (curve) wish.said.shape.curve = *curve;
  if (!curve)
    table.problem(Code::out_of_range, "curve", expo ? "there is an 'expo' already" : "these points make no curve",
                  fmt::format("one of them; at most {} pairs [in %, out %] between [0, 0] and [100, 100], neither ever "
                              "falling, as [[50, 20]]",
                              Curve::max_points));
}
std::string curve_words(const ControlSetup& c) {
  std::string text = c.shape.curve.expo_share() > 0 ? fmt::format("expo {:g} %", c.shape.curve.expo_share() * 100) : "";
  for (const Curve::Point& point : c.shape.curve.points())
    text += fmt::format("{}{:g} % at {:g} %", text.empty() ? "" : ", ", point.out * 100, point.in * 100);
  return text;
}

void read_smoothing(Table& table, Shaped, ControlWish& wish) {
  wish.said.smoothing_s = table.number("smoothing_ms", {0, 2000, false, "ms"}, 0) / 1e3;
}
std::string smoothing_words(const ControlSetup& c) {
  return c.smoothing_s > 0 ? fmt::format("smoothed, {:g} ms late", c.smoothing_s * 1e3) : "";
}

void read_press(Table& table, Shaped, ControlWish& wish) {
  if (!table.has("press")) return;
  const auto at = table.numbers("press", {0, 100, true, "%"});
  if (at.size() == 2 && at[1] <= at[0]) {
    wish.said.press_at = at[0] / 100;
    wish.said.release_below = at[1] / 100;
  } else {
    table.problem(Code::out_of_range, "press", "these are no two bounds of a press",
                  "[pressed from, until below] in percent, as [60, 40]");
  }
}

void read_debounce(Table& table, Shaped, ControlWish& wish) {
  wish.said.debounce = from_seconds(table.number("debounce_ms", {0, 100, false, "ms"}, 0) / 1e3);
}
std::string debounce_words(const ControlSetup& c) {
  return c.debounce > Span{} ? fmt::format("debounced for {:g} ms", to_seconds(c.debounce) * 1e3) : "";
}

void read_detent(Table& table, Shaped, ControlWish& wish) {
  wish.said.detent = static_cast<int>(table.whole("detent", {1, 1000, false, "counts"}).value_or(1));
}
std::string detent_words(const ControlSetup& c) {
  return c.detent > 1 ? fmt::format("{} counts a detent", c.detent) : "";
}

/// One stage: of what it is, how it is read, how it is described.
struct StageRow {
  std::vector<Shaped> of;
  void (*read)(Table& table, Shaped what, ControlWish& wish);
  std::string (*describe)(const ControlSetup& control);
};
const std::vector<Shaped> deflections{Shaped::deflection, Shaped::stick};
const std::vector<StageRow> stages{{deflections, read_dead_zone, dead_zone_words},
                                   {deflections, read_straight, straight_words},
                                   {deflections, read_curve, curve_words},
                                   {deflections, read_smoothing, smoothing_words},
                                   {deflections, read_press, nullptr},
                                   {{Shaped::key}, read_debounce, debounce_words},
                                   {{Shaped::counts}, read_detent, detent_words}};

}  // namespace

void read_shape(Table& table, Shaped what, ControlWish& wish) {
  for (const StageRow& stage : stages)
    if (std::find(stage.of.begin(), stage.of.end(), what) != stage.of.end()) stage.read(table, what, wish);
}

std::string shape_words(const ControlSetup& control) {
  std::string text;
  for (const StageRow& stage : stages) {
    const std::string words = stage.describe ? stage.describe(control) : std::string();
    if (!words.empty()) text += (text.empty() ? "" : ", ") + words;
  }
  return text;
}

}  // namespace gyrax
