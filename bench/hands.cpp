// What the signal and bind rooms cost for 32 controls that all change at every tick, plain and with everything switched
// on, beside the plain loop of as many axes. Side by side in one run; the ratio is what counts.
#include "plain_loop.hpp"
#include "ratio.hpp"

#include <gyrax/bind/bind.hpp>

#include <chrono>
#include <random>
#include <vector>

namespace {

using namespace gyrax;
using namespace std::chrono_literals;

constexpr std::size_t controls = 32, sticks = 24, recorded = 4096;

SlotId slot(std::size_t row) { return id_at<SlotId>(row); }
CoordinateId coordinate(std::size_t row) { return id_at<CoordinateId>(row); }

/// 24 stick axes in pairs and 8 keys; `all`: smoothing, hysteresis, straight pushes, curves, debouncing, virtual
/// controls.
std::vector<ControlSetup> setup_of(bool all) {
  std::vector<ControlSetup> made;
  for (std::size_t i = 0; i < controls; ++i) {
    ControlSetup c;
    c.control = id_at<ControlId>(i);
    if (i < sticks) {
      c.calibration = *Calibration::make(ControlKind::centred, -32768, 0, 32767, false);
      c.shape.zone.inner = 0.1;
      c.partner = slot(i ^ 1u);
      c.is_second_of_pair = i % 2 == 1;
    }
    if (all && i < sticks) {
      const Curve::Point points[] = {{0.3, 0.1}, {0.6, 0.3}, {0.8, 0.6}};
      c.shape = {{0.1, 0.03, 0.02}, {0.2, 0.05, 0}, i % 4 < 2 ? *Curve::expo(0.4) : *Curve::through(points)};
      c.smoothing_s = 0.02;
    }
    if (all && i >= sticks) c.debounce = 5ms;
    made.push_back(c);
  }
  if (!all) return made;
  // Four more that are made of others.
  for (std::size_t i = 0; i < 4; ++i) {
    ControlSetup c;
    c.control = no<ControlId>;
    c.calibration = *Calibration::make(ControlKind::centred, -1, 0, 1, false);
    c.virtual_control.how = i % 2 == 0 ? VirtualControl::How::drive_left : VirtualControl::How::difference;
    c.virtual_control.parts = {slot(4 * i), slot(4 * i + 1), no<SlotId>};
    made.push_back(c);
  }
  return made;
}

BindSetup bindings_of(bool all) {
  BindSetup setup;
  setup.notches.increments.resize(controls);
  for (auto& list : setup.notches.increments) list = {{10'000'000, 100'000'000}, 0};
  for (std::size_t i = 0; i < sticks; ++i) {
    BindingSetup b;
    b.slot = slot(i);
    b.effect = effect::Jog{.coordinate = coordinate(i)};
    setup.bindings.push_back(b);
    if (!all) continue;
    b.layer = LayerId{0};
    b.effect = effect::Jog{.coordinate = coordinate((i + 5) % sticks)};
    setup.bindings.push_back(b);
  }
  if (all) setup.layers = {{no<SlotId>, false}, {slot(sticks), false}};
  for (std::size_t i = sticks; i < controls; ++i) {
    BindingSetup b;
    b.slot = slot(i);
    b.effect = effect::Step{.coordinate = coordinate(i)};
    if (all) b.repeat = {{400ms, 100ms}, {1s, 25ms}};
    setup.bindings.push_back(b);
    if (!all) continue;
    for (const Gesture gesture : {Gesture::double_tap, Gesture::hold}) {
      b.gesture = gesture;
      b.hold = 600ms;
      b.repeat.clear();
      setup.bindings.push_back(b);
    }
  }
  for (std::size_t i = 0; all && i < 4; ++i) {
    BindingSetup b;
    b.slot = slot(controls + i);
    b.effect = effect::Jog{.coordinate = coordinate(sticks + i)};
    setup.bindings.push_back(b);
  }
  return setup;
}

std::vector<std::int32_t> wander() {
  std::mt19937 random(1);
  std::vector<std::int32_t> raw(recorded * controls);
  std::vector<int> at(controls);
  for (std::size_t t = 0; t < recorded; ++t)
    for (std::size_t i = 0; i < controls; ++i) {
      at[i] = std::clamp(at[i] + static_cast<int>(random() % 4001) - 2000, -32768, 32767);
      raw[t * controls + i] = at[i];
    }
  return raw;
}

void hands(benchmark::State& state, bool all) {
  const std::vector<HandsetSetup> handsets(1);
  const std::vector<ControlSetup> setup = setup_of(all);
  Signal signal(handsets, setup);
  Bind bind(bindings_of(all), setup.size());
  std::vector<Request> requests(controls);
  const std::vector<std::int32_t> raw = wander();
  std::uint32_t sequence = 0;
  Time now{1s};
  std::size_t at = 0, asks = 0;
  const auto say = [&](ControlId control, std::int32_t value) {
    asks += bind.pass(now, signal).size();
    const Change change = signal.accept({HandsetId{0}, control, ++sequence, now, now, value}, now);
    asks += bind.changed(change, signal).size();
    for (const Change& made : signal.also_changed()) asks += bind.changed(made, signal).size();
  };
  say(ControlId::presence, 1);
  double asked = 0;
  for (auto _ : state) {
    const std::size_t row = at % recorded;
    for (std::size_t i = 0; i < controls; ++i)
      say(id_at<ControlId>(i), i < sticks ? raw[row * controls + i] : at / 100 % 2 == 0 ? 1 : 0);
    signal.advance(now);
    for (const Change& made : signal.also_changed()) asks += bind.changed(made, signal).size();
    asks += bind.pass(now, signal).size();
    bind.requests(signal, now, requests, true);
    for (const Request& request : requests) asked += request.jog * request.jog;
    ++at;
    now += 2ms;
  }
  // Hands that ask for nothing would be fast, too.
  if (at > 5000 && (asks == 0 || asked < 1)) state.SkipWithError("nothing was asked");
}

void plain_loop(benchmark::State& state) {
  std::vector<plain::Axis> axes(controls);
  std::vector<double> out(controls);
  const std::vector<std::int32_t> raw = wander();
  std::size_t at = 0;
  for (auto _ : state) {
    plain::tick(axes, {&raw[at % recorded * controls], controls}, 0.002, out);
    benchmark::DoNotOptimize(out.data());
    ++at;
  }
}

}  // namespace

int main() {
  benchmark::RegisterBenchmark("plain loop, 32 axes", plain_loop);
  benchmark::RegisterBenchmark("signal and bind, plain", [](benchmark::State& state) { hands(state, false); });
  benchmark::RegisterBenchmark("signal and bind, everything on", [](benchmark::State& state) { hands(state, true); });
  bench::Collector collector;
  bench::run(collector);
  for (const char* name : {"plain loop, 32 axes", "signal and bind, plain", "signal and bind, everything on"})
    collector.print(name);
  const double loop = collector.median("plain loop, 32 axes");
  fmt::print("ratio: plain {:.1f} times, everything on {:.1f} times the plain loop; {:.0f} ns a control\n",
             collector.median("signal and bind, plain") / loop,
             collector.median("signal and bind, everything on") / loop,
             collector.median("signal and bind, everything on") / static_cast<double>(controls));
}
