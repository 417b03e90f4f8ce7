// How each effect is spelled in a rig: its key, how it is read, what `check` says of it.
#include "effects.hpp"
#include "axes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>

namespace gyrax {
namespace {

/// "lamp on or off".
std::string latched(const std::string& what, SwitchTo to) {
  switch (to) {
    case SwitchTo::on: return what + " on";
    case SwitchTo::off: return what + " off";
    case SwitchTo::toggle: return what + " on or off";
    case SwitchTo::momentary: return what + " on while held";
  }
  return what;
}

std::string plural(const char* noun, int count, const char* ending = "s") {
  return fmt::format("{:+d} {}{}", count, noun, std::abs(count) == 1 ? "" : ending);
}

const AxisInfo& axis_of(const Rig& rig, CoordinateId coordinate) { return rig.axes[index(coordinate)]; }
CoordinateId coordinate_of(const std::optional<AxisId>& axis) {
  return axis ? id_at<CoordinateId>(index(*axis)) : no<CoordinateId>;
}
const std::string& number_name(const Rig& rig, NumberId number) { return rig.numbers[index(number)].name; }

/// How an effect is spelled: `key`, `read` and `describe`. There is one for each effect.
template <class E>
struct Spelling;

template <>
struct Spelling<effect::Jog> {
  static constexpr const char* key = "jog";
  static effect::Jog read(EffectTable& t) {
    effect::Jog e{.coordinate = coordinate_of(t.axis())};
    e.share = t.part.sign * t.entry.number("share", {0, 100, true, "%"}, 100) / 100;
    e.accel = t.entry.number("accel_percent", {0, 100, true, "%"}, 100) / 100;
    if (t.entry.has("stages")) read_stages(t, e);
    return e;
  }
  /// [[0, 10], [0.5, 40], [1.5, 100]]: after so many seconds at so many percent.
  static void read_stages(EffectTable& t, effect::Jog& e) {
    constexpr std::size_t max_stages = 8;
    constexpr double max_s = 60;
    if (!t.is_kind(ControlKind::key))
      t.entry.problem(Code::wrong_control, "stages", "only a key's jog grows", "leave 'stages' out");
    const auto pairs = t.entry.pairs("stages");
    bool good = pairs && !pairs->empty() && pairs->size() <= max_stages && pairs->front().first == 0;
    double last = -1;
    for (const auto& [after_s, percent] : pairs.value_or(std::vector<std::pair<double, double>>{})) {
      good = good && after_s > last && after_s <= max_s && percent > 0 && percent <= 100;
      last = after_s;
      if (good) e.stages.push_back({from_seconds(after_s), percent / 100});
    }
    if (good) return;
    t.entry.problem(Code::out_of_range, "stages", "these are no stages",
                    "at most 8 pairs [seconds held, percent], the first at 0 s, each later than the one before, as "
                    "[[0, 10], [0.5, 100]]");
  }
  static std::string describe(const Rig& rig, const BindingSetup&, const effect::Jog& e) {
    std::string text = "jogs " + axis_of(rig, e.coordinate).name;
    if (std::abs(e.share) < 1) text += fmt::format(" at {:g} %", std::abs(e.share) * 100);
    if (e.share < 0) text += ", reversed";
    if (e.accel < 1) text += fmt::format(", {:g} % of its acceleration", e.accel * 100);
    for (const JogStage& stage : e.stages)
      text += fmt::format(", {:g} %", stage.share * 100) +
              (stage.after == Span{} ? std::string() : fmt::format(" after {:g} s", to_seconds(stage.after)));
    return text;
  }
};

/// The axis that whole increments are for, and how many for each press or count, signed.
std::pair<CoordinateId, int> read_increments(EffectTable& t) {
  const auto axis = t.axis();
  const auto by = t.entry.whole("by", {-1000, 1000, false, "increments"}).value_or(1);
  if (by <= 0)
    t.entry.problem(Code::out_of_range, "by", fmt::format("{} is no number of increments", by),
                    "1 to 1000; \"-x\" goes the other way");
  if (axis && t.known.rig.setup.notches.increments[index(*axis)].values.empty())
    t.entry.problem(Code::missing_key, t.key,
                    fmt::format("axis '{}' has no increments", t.known.rig.axes[index(*axis)].name),
                    "give it 'increments = [0.1, 1]'");
  return {coordinate_of(axis), t.part.sign * static_cast<int>(by)};
}

template <>
struct Spelling<effect::Step> {
  static constexpr const char* key = "step";
  static effect::Step read(EffectTable& t) {
    const auto [coordinate, by] = read_increments(t);
    return {.coordinate = coordinate, .by = by};
  }
  static std::string describe(const Rig& rig, const BindingSetup&, const effect::Step& e) {
    return fmt::format("steps {} by {}", axis_of(rig, e.coordinate).name, plural("increment", e.by));
  }
};

template <>
struct Spelling<effect::Handwheel> {
  static constexpr const char* key = "handwheel";
  static effect::Handwheel read(EffectTable& t) {
    const auto [coordinate, by] = read_increments(t);
    return {.coordinate = coordinate,
            .by = by,
            .max_owed = to_nano(t.entry.number("max_owed", {0, max_position, true, "unit"}, 0))};
  }
  static std::string describe(const Rig& rig, const BindingSetup&, const effect::Handwheel& e) {
    const AxisInfo& axis = axis_of(rig, e.coordinate);
    return fmt::format("moves {} by {} a count, {}", axis.name, plural("increment", e.by),
                       e.max_owed > 0 ? fmt::format("never more than {:g} {} behind", from_nano(e.max_owed), axis.unit)
                                      : std::string("every count kept"));
  }
};

template <>
struct Spelling<effect::Follow> {
  static constexpr const char* key = "follow";
  static effect::Follow read(EffectTable& t) {
    if (t.is_kind(ControlKind::key) && t.binding.slot != no<SlotId>)
      t.entry.problem(Code::wrong_control, t.key, "a key has no place to follow", "a stick, a trigger, a throttle");
    const auto axis = t.axis();
    if (axis) t.refuse_motor(*axis);
    const AxisLimits limits = axis ? t.known.rig.setup.axes[index(*axis)].limits
                                   : *AxisLimits::make(-max_position, max_position, {1, 1, 1, 1, 1});
    effect::Follow e{.coordinate = coordinate_of(axis)};
    const auto range = t.entry.range("range", {limits.low(), limits.high(), false, "(the axis's travel)"});
    std::tie(e.low, e.high) = range.value_or(std::pair(limits.low(), limits.high()));
    if (t.part.sign < 0) std::swap(e.low, e.high);
    e.catch_up = t.entry.number(
        "catch_up", {0, limits.speed(), true, unit_words(axis ? t.known.rig.axes[index(*axis)].unit : "", 1)},
        limits.speed() / 10);
    return e;
  }
  static std::string describe(const Rig& rig, const BindingSetup&, const effect::Follow& e) {
    const AxisInfo& axis = axis_of(rig, e.coordinate);
    return fmt::format("takes {} from {:g} to {:g} {} with it, at {:g} {}/s until they meet", axis.name, e.low, e.high,
                       axis.unit, e.catch_up, axis.unit);
  }
};

template <>
struct Spelling<effect::Go> {
  static constexpr const char* key = "go";
  static effect::Go read(EffectTable& t) {
    t.refuse_pair();
    const auto axis = t.axis();
    effect::Go e{.coordinate = coordinate_of(axis)};
    if (!axis) {
      t.entry.required_number("to", {-max_position, max_position, false, "unit"});
      return e;
    }
    if (t.part.sign < 0) t.entry.problem(Code::wrong_control, t.key, "a place has no opposite", "the axis without '-'");
    t.refuse_motor(*axis);
    const AxisLimits& limits = t.known.rig.setup.axes[index(*axis)].limits;
    e.from_zero = is_from_zero(t.entry);
    const double to = t.entry.required_number("to", places_of(limits, e.from_zero)).value_or(0);
    e.goal = e.from_zero ? to_nano(to) : counted_inside(limits, to);
    return e;
  }
  static std::string describe(const Rig& rig, const BindingSetup&, const effect::Go& e) {
    const AxisInfo& axis = axis_of(rig, e.coordinate);
    return fmt::format("takes {} to {:g} {}{} while held", axis.name, from_nano(e.goal), axis.unit,
                       e.from_zero ? " from its zero" : "");
  }
};

template <>
struct Spelling<effect::Pose> {
  static constexpr const char* key = "pose";
  static effect::Pose read(EffectTable& t) {
    t.refuse_pair();
    const auto word = t.object();
    const auto row = word ? row_named(t.entry, t.key, t.known.poses, *word, "pose") : std::nullopt;
    return {row ? t.known.places[*row] : std::vector<PosePlace>{}};
  }
  static std::string describe(const Rig& rig, const BindingSetup&, const effect::Pose& e) {
    std::string places;
    for (const PosePlace& place : e.places) {
      const AxisInfo& axis = axis_of(rig, place.coordinate);
      places += fmt::format("{}{} to {:g} {}{}", places.empty() ? "" : " and ", axis.name, from_nano(place.goal),
                            axis.unit, place.from_zero ? " from its zero" : "");
    }
    return fmt::format("takes {} on a straight line, while held", places);
  }
};

template <>
struct Spelling<effect::Set> {
  static constexpr const char* key = "set";
  static effect::Set read(EffectTable& t) {
    t.refuse_pair();
    const SwitchId target = t.one_of<SwitchId>(t.known.switches, "switch");
    return {.target = target, .to = t.switch_to("to")};
  }
  static std::string describe(const Rig& rig, const BindingSetup&, const effect::Set& e) {
    return latched("turns " + rig.switches[index(e.target)], e.to);
  }
};

/// `{ action = "home" }`.
template <>
struct Spelling<effect::Action> {
  static constexpr const char* key = "action";
  static effect::Action read(EffectTable& t) {
    t.refuse_pair();
    const ActionId action = t.one_of<ActionId>(t.known.actions, "action");
    return {.action = action,
            .zone = action == no<ActionId> ? ZoneId{} : t.known.rig.setup.actions[index(action)].zone};
  }
  static std::string describe(const Rig& rig, const BindingSetup&, const effect::Action& e) {
    const bool confirms = rig.setup.actions[index(e.action)].confirm > Span{};
    return fmt::format("asks for {}{}", rig.actions[index(e.action)].name, confirms ? ", pressed twice" : "");
  }
};

/// `{ zero = "x" }`: where it stands is 0; `here = 25`: it is 25; `here = "machine"`: the machine's own zero again.
template <>
struct Spelling<effect::Zero> {
  static constexpr const char* key = "zero";
  static effect::Zero read(EffectTable& t) {
    t.refuse_pair();
    const auto axis = t.axis();
    if (axis) t.refuse_motor(*axis);
    effect::Zero e{.axis = axis.value_or(AxisId{})};
    if (t.entry.has("here") && t.entry.is_text("here")) {
      e.is_machines = t.entry.choice("here", {"machine"}).has_value();
    } else {
      e.here = to_nano(t.entry.number("here", {-max_position, max_position, false, "unit"}, 0));
    }
    return e;
  }
  static std::string describe(const Rig& rig, const BindingSetup&, const effect::Zero& e) {
    const AxisInfo& axis = rig.axes[index(e.axis)];
    return e.is_machines ? fmt::format("takes the machine's zero of {} again", axis.name)
                         : fmt::format("sets the zero of {}: where it stands is {:g} {}", axis.name, from_nano(e.here),
                                       axis.unit);
  }
};

template <class Value>
bool is_among(const std::vector<Value>& values, Value one) {
  return std::find(values.begin(), values.end(), one) != values.end();
}

std::string up_or_down(int by) { return fmt::format(" one notch {}", by > 0 ? "up" : "down"); }

template <>
struct Spelling<effect::Override> {
  static constexpr const char* key = "override";
  static effect::Override read(EffectTable& t) {
    const EffectTable::Notch read = t.notch({0, 100, true, "%"}, [&](const NotchSetup::Number& of, double percent) {
      return of.override != no<OverrideId> &&
             is_among(t.known.rig.setup.notches.overrides[index(of.override)].values, percent);
    });
    return {.number = read.number, .by = read.by, .percent = read.value};
  }
  static std::string describe(const Rig& rig, const BindingSetup&, const effect::Override& e) {
    return number_name(rig, e.number) + (e.percent ? fmt::format(" to {:g} %", *e.percent) : up_or_down(e.by));
  }
};

template <>
struct Spelling<effect::Increment> {
  static constexpr const char* key = "increment";
  static effect::Increment read(EffectTable& t) {
    const EffectTable::Notch read =
        t.notch({0, max_position, true, "unit"}, [&](const NotchSetup::Number& of, double value) {
          const auto& increments = t.known.rig.setup.notches.increments;
          return std::any_of(of.coordinates.begin(), of.coordinates.end(),
                             [&](CoordinateId c) { return is_among(increments[index(c)].values, to_nano(value)); });
        });
    return {
        .number = read.number, .by = read.by, .value = read.value ? std::optional(to_nano(*read.value)) : std::nullopt};
  }
  static std::string describe(const Rig& rig, const BindingSetup&, const effect::Increment& e) {
    return number_name(rig, e.number) + (e.value ? fmt::format(" to {:g}", from_nano(*e.value)) : up_or_down(e.by));
  }
};

/// `{ adjust = "chosen" }`, `{ adjust = "override.carriage", by = 2 }`; by a dial's counts or a key's presses.
template <>
struct Spelling<effect::Adjust> {
  static constexpr const char* key = "adjust";
  static effect::Adjust read(EffectTable& t) {
    effect::Adjust e;
    const auto name = t.object();
    e.by = t.part.sign * static_cast<int>(t.entry.whole("by", {1, 100, false, "notches"}).value_or(1));
    if (name && *name != "chosen") e.number = named<NumberId>(t.entry, t.key, t.known.numbers, *name, "number");
    return e;
  }
  static std::string describe(const Rig& rig, const BindingSetup& b, const effect::Adjust& e) {
    const bool counts = rig.setup.controls[index(b.slot)].calibration.kind() == ControlKind::counts;
    return fmt::format("{} by {} for each {}",
                       e.number ? number_name(rig, *e.number) : std::string("the chosen number"),
                       plural("notch", e.by, "es"), counts ? "count" : "press");
  }
};

/// `{ choose = ["override", "increment.x"] }`: which number a dial adjusts; each press goes on to the next.
template <>
struct Spelling<effect::Choose> {
  static constexpr const char* key = "choose";
  static effect::Choose read(EffectTable& t) {
    t.refuse_pair();
    std::vector<std::string> names;
    if (t.entry.is_text(t.key))
      names = {*t.entry.text(t.key)};
    else
      names = t.entry.texts(t.key);
    effect::Choose e;
    for (const std::string& name : names)
      e.numbers.push_back(named<NumberId>(t.entry, t.key, t.known.numbers, name, "number"));
    if (names.empty())
      t.entry.problem(Code::missing_key, t.key, "it chooses between nothing", "as [\"override\", \"increment.x\"]");
    return e;
  }
  static std::string describe(const Rig& rig, const BindingSetup&, const effect::Choose& e) {
    std::string text;
    for (const NumberId one : e.numbers) text += (text.empty() ? "chooses " : ", then ") + number_name(rig, one);
    return text;
  }
};

/// `{ layer = "rotary" }`: switches a latched layer.
template <>
struct Spelling<effect::Layer> {
  static constexpr const char* key = "layer";
  static effect::Layer read(EffectTable& t) {
    t.refuse_pair();
    const LayerId layer = t.one_of<LayerId>(t.known.layers, "layer");
    return {.layer = layer, .to = t.switch_to("to")};
  }
  static std::string describe(const Rig& rig, const BindingSetup&, const effect::Layer& e) {
    return latched("turns layer " + rig.layers[index(e.layer)], e.to);
  }
};

template <>
struct Spelling<effect::Reduced> {
  static constexpr const char* key = "reduced";
  static effect::Reduced read(EffectTable& t) {
    t.refuse_pair();
    if (!t.known.can_be_reduced)
      t.entry.problem(Code::missing_key, t.key, "the rig does not say what reduced speed is",
                      "[reduced] with 'percent', or a group's 'reduced_speed'");
    return {.to = t.switch_to(t.key)};
  }
  static std::string describe(const Rig&, const BindingSetup&, const effect::Reduced& e) {
    return e.to == SwitchTo::momentary ? std::string("reduced speed while held") : latched("turns reduced speed", e.to);
  }
};

/// `{ stop = "left" }`: of one zone, or of all.
ZoneBits read_zones(EffectTable& t) {
  t.refuse_pair();
  const auto zone = t.object();
  if (!zone || *zone == "all") return all_zones;
  const ZoneId id = named<ZoneId>(t.entry, t.key, t.known.zones, *zone, "zone");
  return id == no<ZoneId> ? all_zones : bit(id);
}

/// A word to the permit that is for zones and nothing else.
template <class E>
struct WordSpelling {
  static E read(EffectTable& t) { return {read_zones(t)}; }
  static std::string describe(const Rig&, const BindingSetup&, const E&) { return Spelling<E>::says; }
};

template <>
struct Spelling<effect::Ready> : WordSpelling<effect::Ready> {
  static constexpr const char *key = "ready", *says = "makes ready";
};
template <>
struct Spelling<effect::Stow> : WordSpelling<effect::Stow> {
  static constexpr const char *key = "stow", *says = "stows";
};
template <>
struct Spelling<effect::ReadyOrStow> : WordSpelling<effect::ReadyOrStow> {
  static constexpr const char *key = "ready_or_stow", *says = "makes ready or stows, and resets";
};
template <>
struct Spelling<effect::Stop> : WordSpelling<effect::Stop> {
  static constexpr const char *key = "stop", *says = "stops";
};
template <>
struct Spelling<effect::Reset> : WordSpelling<effect::Reset> {
  static constexpr const char *key = "reset", *says = "resets";
};

/// `{ enable = "all", squeeze = 80 }`.
template <>
struct Spelling<effect::Enable> {
  static constexpr const char* key = "enable";
  static effect::Enable read(EffectTable& t) {
    effect::Enable e{.zones = read_zones(t), .squeeze = {}};
    const auto squeeze = t.entry.number("squeeze", {50, 99, true, "%"});
    if (!squeeze) return e;
    if (!t.is_kind(ControlKind::one_sided))
      t.entry.problem(Code::wrong_control, "squeeze", "only an enable on a trigger can be squeezed",
                      "leave 'squeeze' out");
    e.squeeze = *squeeze / 100;
    if (t.binding.slot != no<SlotId> && t.known.rig.setup.controls[index(t.binding.slot)].press_at >= *e.squeeze)
      t.entry.problem(Code::out_of_range, "squeeze", "it is squeezed before it is pressed",
                      "more than the control's 'press'");
    return e;
  }
  static std::string describe(const Rig&, const BindingSetup&, const effect::Enable&) { return "enables while held"; }
};

template <class... E>
std::vector<EffectRow> rows_of(const std::variant<E...>*) {
  return {
      EffectRow{Spelling<E>::key, E{}, [](EffectTable& t) -> Effect { return Spelling<E>::read(t); },
                [](const Rig& rig, const BindingSetup& b) { return Spelling<E>::describe(rig, b, *b.as<E>()); }}...};
}

}  // namespace

const std::vector<EffectRow>& effect_rows() {
  static const std::vector<EffectRow> rows = rows_of(static_cast<const Effect*>(nullptr));
  return rows;
}

}  // namespace gyrax
