// A tick of the engine in velocity jog, all controls changing, beside a plain loop over the same inputs.
#include "plain_loop.hpp"
#include "ratio.hpp"

#include <gyrax/engine/engine.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/rig/rig.hpp>

#include <random>

namespace {

using namespace gyrax;

constexpr std::size_t recorded = 4096;
constexpr std::size_t axis_counts[] = {1, 8, 16, 64};
const char* const sticks[] = {"stick.left.x", "stick.left.y", "stick.right.x", "stick.right.y"};

std::string rig_text(std::size_t axes) {
  std::string text = "gyrax = 1\n[link.machine]\nkind = \"simulated\"\n";
  const auto bind = [&](const std::string& handset, const std::string& control, const std::string& effect) {
    text += fmt::format("[[bind]]\nhandset = \"{}\"\ncontrol = \"{}\"\n{}\n", handset, control, effect);
  };
  for (std::size_t i = 0; i < axes; ++i)
    text += fmt::format("[axis.a{}]\nunit = \"mm\"\ntravel = [0, 1000]\nspeed = 100\naccel = 1000\ndeviation = 1000\n", i);
  for (std::size_t h = 0; h * 4 < axes; ++h) text += fmt::format("[handset.pad{}]\n", h);
  for (std::size_t i = 0; i < axes; ++i) bind(fmt::format("pad{}", i / 4), sticks[i % 4], fmt::format("jog = \"a{}\"", i));
  bind("pad0", "menu.right", "permit = \"ready\"");
  bind("pad0", "shoulder.right", "permit = \"enable\"");
  bind("pad0", "face.east", "permit = \"stop\"");
  bind("pad0", "menu.centre", "permit = \"reset\"");
  return text;
}

/// Sticks that wander over their whole range, the same for both sides.
std::vector<std::int32_t> wander(std::size_t axes) {
  std::mt19937 random(1);
  std::vector<std::int32_t> raw(recorded * axes);
  std::vector<int> at(axes, 0);
  for (std::size_t t = 0; t < recorded; ++t)
    for (std::size_t i = 0; i < axes; ++i) {
      at[i] += static_cast<int>(random() % 4001) - 2000;
      at[i] = std::clamp(at[i], -32768, 32767);
      raw[t * axes + i] = at[i];
    }
  return raw;
}

/// An engine that is live, and everything that a tick needs at hand.
class Live {
 public:
  explicit Live(std::size_t axes)
      : rig_(parse_rig(rig_text(axes), "bench.toml")),
        engine_(rig_.setup),
        out_(rig_.setup),
        axes_(axes),
        raw_(wander(axes)),
        reports_(axes) {
    sequences_.resize(rig_.handsets.size());
    for (std::size_t h = 0; h < rig_.handsets.size(); ++h) say(h, ControlId::presence, 1);
    for (const ControlSetup& c : rig_.setup.controls) say(index(c.handset), c.control, 0);
    tick();
    for (const char* key : {"menu.right", "shoulder.right"}) {
      say(0, find_control(key)->id, 1);
      tick();
    }
    if (!engine_.permit(ZoneId{0}).live()) throw std::runtime_error("the engine is not live");
  }

  void step() {
    const std::size_t row = at_ % recorded;
    for (std::size_t i = 0; i < axes_; ++i) say(i / 4, ControlId{static_cast<std::uint16_t>(i % 4)}, raw_[row * axes_ + i]);
    ++at_;
    tick();
  }
  bool live() const { return engine_.permit(ZoneId{0}).live(); }
  double speed() const { return out_.commands[0].v; }

 private:
  void say(std::size_t handset, ControlId control, std::int32_t raw) {
    readings_.push_back({HandsetId{static_cast<std::uint16_t>(handset)}, control, ++sequences_[handset], now_, now_, raw});
  }
  void tick() {
    // The machine reports every other tick that it is where it was told to be.
    LinkReport report{LinkId{0}, ++heartbeat_, now_, now_, reports_};
    const bool reports = heartbeat_ % 2 == 1;
    if (reports)
      for (std::size_t i = 0; i < axes_; ++i) reports_[i] = {true, out_.commands[i].p, out_.commands[i].v};
    engine_.tick({now_, readings_, {&report, reports ? std::size_t{1} : std::size_t{0}}}, out_.view());
    readings_.clear();
    now_ += std::chrono::milliseconds(2);
  }

  Rig rig_;
  Engine engine_;
  TickBuffers out_;
  std::size_t axes_, at_ = 0;
  std::vector<std::int32_t> raw_;
  std::vector<AxisReport> reports_;
  std::vector<Reading> readings_;
  std::vector<std::uint32_t> sequences_;
  std::uint32_t heartbeat_ = 0;
  Time now_{};
};

void engine_tick(benchmark::State& state, std::size_t axes) {
  Live live(axes);
  double fastest = 0;
  for (auto _ : state) {
    live.step();
    fastest = std::max(fastest, live.speed());
  }
  // A tick that does nothing would be fast, too.
  if (!live.live() || (state.iterations() > 5000 && fastest < 10)) state.SkipWithError("the engine did not jog");
}

void plain_tick(benchmark::State& state, std::size_t axes) {
  std::vector<plain::Axis> all(axes);
  std::vector<double> out(axes);
  const std::vector<std::int32_t> raw = wander(axes);
  std::size_t at = 0;
  for (auto _ : state) {
    plain::tick(all, std::span(raw).subspan((at++ % recorded) * axes, axes), 0.002, out);
    benchmark::DoNotOptimize(out.data());
    benchmark::ClobberMemory();
  }
}

}  // namespace

int main() {
  for (const std::size_t axes : axis_counts) {
    benchmark::RegisterBenchmark(fmt::format("engine, {} axes", axes).c_str(), [axes](benchmark::State& s) { engine_tick(s, axes); });
    benchmark::RegisterBenchmark(fmt::format("plain loop, {} axes", axes).c_str(), [axes](benchmark::State& s) { plain_tick(s, axes); });
  }
  bench::Collector collector;
  bench::run(collector);
  fmt::print("One tick in velocity jog, all controls changing (ns of processor time, median)\n");
  for (const std::size_t axes : axis_counts) {
    const std::string engine = fmt::format("engine, {} axes", axes), plain = fmt::format("plain loop, {} axes", axes);
    collector.print(engine);
    collector.print(plain);
    fmt::print("{:<34}{:>10.2f} times\n\n", fmt::format("ratio, {} axes", axes), collector.median(engine) / collector.median(plain));
  }
}
