// Writes the demo rig and its readings as C++ source. `freeze RIG SESSION > frozen.cpp`.
#include <gyrax/link/simulated.hpp>
#include <gyrax/rehearsal/player.hpp>

#include <fmt/format.h>

#include <cmath>
#include <cstdio>

namespace {

using namespace gyrax;

/// A double to the last bit.
std::string exact(double value) {
  return std::isinf(value) ? "std::numeric_limits<double>::infinity()" : fmt::format("{:a}", value);
}

std::string becomes(const BecomesBy& all) {
  std::string out;
  for (const Becomes one : all) out += fmt::format("static_cast<Becomes>({}), ", static_cast<int>(one));
  return out;
}

template <class Id>
std::string ids(const char* type, const std::vector<Id>& list) {
  std::string out = "{";
  for (const Id id : list) out += fmt::format("{}{{{}}}, ", type, index(id));
  return out + "}";
}

/// What an effect of the demo's rig can have.
template <class E>
void print_fields(const E& e) {
  const auto number = [](const char* name, const std::string& value) { fmt::print(" e.{} = {};", name, value); };
  const auto id = [&](const char* name, const char* type, auto value) {
    number(name, fmt::format("{}{{{}}}", type, index(value)));
  };
  if constexpr (requires { e.coordinate; }) id("coordinate", "CoordinateId", e.coordinate);
  if constexpr (requires { e.share; }) number("share", exact(e.share)), number("accel", exact(e.accel));
  if constexpr (requires { e.by; }) number("by", fmt::format("{}", e.by));
  if constexpr (requires { e.max_owed; }) number("max_owed", fmt::format("{}", e.max_owed));
  if constexpr (requires { e.low; })
    number("low", exact(e.low)), number("high", exact(e.high)), number("catch_up", exact(e.catch_up));
  if constexpr (requires { e.goal; }) number("goal", fmt::format("{}", e.goal));
  if constexpr (requires { e.target; }) id("target", "SwitchId", e.target);
  if constexpr (requires { e.to; }) number("to", fmt::format("static_cast<SwitchTo>({})", static_cast<int>(e.to)));
  if constexpr (requires { index(e.number); }) id("number", "NumberId", e.number);
  if constexpr (requires { e.percent; })
    if (e.percent) number("percent", exact(*e.percent));
  if constexpr (requires { e.value; })
    if (e.value) number("value", fmt::format("{}", *e.value));
  if constexpr (requires { e.numbers; }) number("numbers", ids("NumberId", e.numbers));
  if constexpr (requires { e.layer; }) id("layer", "LayerId", e.layer);
  if constexpr (requires { e.zones; }) number("zones", fmt::format("{}u", e.zones));
  if constexpr (requires { e.squeeze; })
    if (e.squeeze) number("squeeze", exact(*e.squeeze));
}

void print_controls(const Setup& s) {
  for (const HandsetSetup& h : s.handsets)
    fmt::print("  s.handsets.push_back({{{}, Span{{{}}}, {{}}, {{}}}});\n",
               h.max_silence ? fmt::format("Span{{{}}}", h.max_silence->count()) : "std::nullopt", h.max_age.count());
  for (const ControlSetup& c : s.controls) {
    const Calibration& k = c.calibration;
    fmt::print(
        "  s.controls.push_back({{HandsetId{{{}}}, ControlId{{{}}}, *Calibration::make(static_cast<ControlKind>({}), "
        "{}, {}, {}, {}), "
        "{{{{{}}}}}, SlotId{{{}}}, {}}});\n",
        index(c.handset), index(c.control), static_cast<int>(k.kind()), k.minimum(), k.centre(), k.maximum(),
        k.reversed(), exact(c.shape.zone.inner), index(c.partner), c.is_second_of_pair);
  }
  for (const BindingSetup& b : s.bindings) {
    fmt::print("  s.bindings.push_back({{.slot = SlotId{{{}}}, .layer = LayerId{{{}}}}});\n", index(b.slot),
               index(b.layer));
    fmt::print("  s.bindings.back().effect = [] {{ std::variant_alternative_t<{}, Effect> e;", b.effect.index());
    visit_held(b.effect, [](const auto& e) { print_fields(e); });
    fmt::print(" return e; }}();\n");
  }
}

void print_motion(const Setup& s) {
  for (const LayerSetup& layer : s.layers)
    fmt::print("  s.layers.push_back({{SlotId{{{}}}, {}}});\n", index(layer.held), layer.starts_on);
  fmt::print("  s.stations.assign(s.handsets.size(), 0);\n");
  for (std::size_t h = 0; h < s.stations.size(); ++h) fmt::print("  s.stations[{}] = {}u;\n", h, s.stations[h]);
  fmt::print("  s.notches.overrides.clear();\n");
  for (const auto& override : s.notches.overrides) {
    fmt::print("  s.notches.overrides.push_back({{{{");
    for (const double value : override.values) fmt::print("{}, ", exact(value));
    fmt::print("}}, {}}});\n", override.start);
  }
  for (const auto& number : s.notches.numbers)
    fmt::print("  s.notches.numbers.push_back({{OverrideId{{{}}}, {}}});\n", index(number.override),
               ids("CoordinateId", number.coordinates));
  for (const auto& list : s.notches.increments) {
    fmt::print("  s.notches.increments.push_back({{{{");
    for (const Nano value : list.values) fmt::print("{}, ", value);
    fmt::print("}}, {}}});\n", list.start);
  }
  for (const ZoneSetup& z : s.zones) {
    fmt::print("  s.zones.emplace_back();\n");
    for (std::size_t i = 0; i < cause_count; ++i)
      fmt::print("  s.zones.back().categories[{}] = static_cast<Category>({});\n", i,
                 static_cast<int>(z.categories[i]));
    fmt::print(
        "  s.zones.back().handsets = {};\n  s.zones.back().links = {};\n  s.zones.back().axes = {};\n  "
        "s.zones.back().controls = {};\n",
        ids("HandsetId", z.handsets), ids("LinkId", z.links), ids("AxisId", z.axes), ids("SlotId", z.controls));
    fmt::print("  s.zones.back().followed = {};\n  s.zones.back().stops = {};\n", ids("SlotId", z.followed),
               ids("SlotId", z.stops));
  }
  for (const AxisSetup& a : s.axes) {
    const MotionLimits& full = a.limits.full();
    fmt::print(
        "  s.axes.push_back({{*AxisLimits::make({}, {}, {{{}, {}, {}, {}, {}}}), ZoneId{{{}}}, {{LinkId{{{}}}, {}}}, "
        "static_cast<PositionKind>({}), "
        "{}, {}, {}, {{}}, {{}}, {{}}, {{}}}});\n",
        exact(a.limits.low()), exact(a.limits.high()), exact(full.speed), exact(full.accel), exact(full.jerk),
        exact(full.decel), exact(full.decel_jerk), index(a.zone), index(a.wiring.link), a.wiring.channel,
        static_cast<int>(a.position), exact(a.start), exact(a.following_error), exact(a.in_position));
  }
  for (const GroupSetup& g : s.groups)
    fmt::print("  s.groups.push_back({{{}, ZoneId{{{}}}, {}, {}, {}}});\n", ids("AxisId", g.axes), index(g.zone),
               exact(g.path_speed), exact(g.reduced_speed), g.together);
  for (const LinkSetup& l : s.links)
    fmt::print("  s.links.push_back({{Span{{{}}}, Span{{{}}}}});\n", l.max_silence.count(), l.frame_valid_for.count());
  for (const SwitchSetup& w : s.switches)
    fmt::print(
        "  s.switches.push_back({{ZoneId{{{}}}, {{LinkId{{{}}}, {}}}, {}, {{{}}}, Span{{{}}}, Span{{{}}}, "
        "Span{{{}}}}});\n",
        index(w.zone), index(w.wiring.link), w.wiring.channel, w.start_on, becomes(w.becomes), w.pulse.count(),
        w.max_on.count(), w.min_off.count());
}

}  // namespace

int main(int, char** argv) {
  const Session session = load_session(argv[2]);
  const Rig rig = fit(load_rig(argv[1]), session.devices());
  Player player(session, rig);
  fmt::print(
      "#include \"frozen.hpp\"\n\n#include <limits>\n\nusing namespace gyrax;\n\nnamespace frozen {{\n\nSetup setup() "
      "{{\n  Setup s;\n  "
      "s.max_tick = Span{{{}}};\n",
      rig.setup.max_tick.count());
  print_controls(rig.setup);
  print_motion(rig.setup);
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    if (!std::holds_alternative<ServoMap>(rig.setup.axes[a].drive)) continue;
    const ServoMap& m = std::get<ServoMap>(rig.setup.axes[a].drive);
    fmt::print("  s.axes[{}].drive = *ServoMap::make({}, {}, {}, {}, {}, {});\n", a, exact(m.low()), exact(m.high()),
               m.low_us(), m.high_us(), m.reversed(), m.trim_us());
  }
  fmt::print("  return s;\n}}\n\nsim::BenchSetup bench() {{\n  sim::BenchSetup b;\n");
  const sim::BenchSetup& bench = SimulatedLinks(rig).bench(LinkId{0}).setup();
  fmt::print("  b.report_every = Span{{{}}};\n  b.report_delay = Span{{{}}};\n  b.switches = {};\n",
             bench.report_every.count(), bench.report_delay.count(), bench.switches);
  for (const sim::BenchAxis& a : bench.axes)
    fmt::print("  b.axes.push_back({{{}, {}, {}, {}, {}, {}, {}, {}}});\n", exact(a.scale), exact(a.offset),
               exact(a.lag_s), exact(a.speed), exact(a.decel), exact(a.start), exact(a.resolution), a.measured);
  fmt::print("  return b;\n}}\n\nnamespace {{\n\nconst Reading table[] = {{\n");
  for (const Reading& r : player.until(Time{session.length}))
    fmt::print("    {{HandsetId{{{}}}, ControlId{{{}}}, {}u, Time{{Span{{{}}}}}, Time{{Span{{{}}}}}, {}}},\n",
               index(r.handset), index(r.control), r.sequence, r.event.time_since_epoch().count(),
               r.arrival.time_since_epoch().count(), r.raw);
  fmt::print(
      "}};\n\n}}  // namespace\n\nstd::span<const Reading> readings() {{ return table; }}\n\nconst std::int64_t "
      "period_ns = {}, length_ns "
      "= {}, silent_from_ns = {};\n\n}}  // namespace frozen\n",
      rig.period.count(), session.length.count(), session.faults.front().at.time_since_epoch().count());
}
