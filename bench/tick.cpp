// A tick of the engine beside a plain loop over the same inputs: nothing asked, velocity jog with all controls held and
// with all changing, pending steps, goals that change at every tick, a close target tracked. And the worst tick of a
// million, replayed five times.
#include "plain_loop.hpp"
#include "ratio.hpp"

#include <gyrax/engine/engine.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/rig/rig.hpp>

#include <chrono>
#include <limits>
#include <random>

namespace {

using namespace gyrax;

constexpr std::size_t recorded = 4096;
constexpr std::size_t axis_counts[] = {1, 8, 16, 64};
const char* const sticks[] = {"stick.left.x", "stick.left.y", "stick.right.x", "stick.right.y"};

/// What the hands do to every axis.
enum class Doing { jog_changing, nothing, jog_held, steps, goals_changing, tracking };
constexpr Doing all_doings[] = {Doing::jog_changing, Doing::nothing,        Doing::jog_held,
                                Doing::steps,        Doing::goals_changing, Doing::tracking};
const char* name_of(Doing doing) {
  constexpr const char* names[] = {"jog, controls changing", "nothing asked",  "jog, controls held",
                                   "steps pending",          "goals changing", "close target tracked"};
  return names[static_cast<std::size_t>(doing)];
}
bool follows(Doing doing) { return doing == Doing::goals_changing || doing == Doing::tracking; }

std::string rig_text(std::size_t axes, Doing doing) {
  std::string text = "gyrax = 1\n[link.machine]\nkind = \"simulated\"\n";
  for (std::size_t i = 0; i < axes; ++i)
    text += fmt::format(
        "[axis.a{}]\nunit = \"mm\"\ntravel = [0, 1000]\nspeed = 100\naccel = 1000\nfollowing_error = 1000\nincrements "
        "= [900]\n",
        i);
  for (std::size_t h = 0; h * 4 < axes; ++h) text += fmt::format("[handset.pad{}]\n", h);
  if (axes > 4) {
    text += "[station.all]\nhandsets = [";
    for (std::size_t h = 0; h * 4 < axes; ++h) text += fmt::format("{}\"pad{}\"", h == 0 ? "" : ", ", h);
    text += "]\n";
  }
  for (std::size_t h = 0; h * 4 < axes; ++h) {
    text += fmt::format("[handset.pad{}.bind]\n", h);
    if (h == 0)
      text +=
          "\"menu.right\" = \"ready\"\n\"shoulder.right\" = \"enable\"\n\"face.east\" = \"stop\"\n\"menu.centre\" = "
          "\"reset\"\n";
    std::string steps;
    for (std::size_t i = 4 * h; i < std::min(axes, 4 * h + 4); ++i) {
      steps += fmt::format("{{ step = \"a{}\" }}, ", i);
      if (doing != Doing::steps)
        text += fmt::format("\"{}\" = {{ {} = \"a{}\" }}\n", sticks[i % 4], follows(doing) ? "follow" : "jog", i);
    }
    if (doing == Doing::steps) text += fmt::format("\"hat.x\" = [{}]\n", steps);
  }
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

/// Sticks that are followed at a third of the axes' speed, up and down, by hands that tremble: 33 mm/s are 4.4 raw
/// numbers a tick.
std::vector<std::int32_t> stroll(std::size_t axes) {
  constexpr int way = recorded / 2, tremor = 8;
  std::mt19937 random(1);
  std::vector<std::int32_t> raw(recorded * axes);
  for (std::size_t t = 0; t < recorded; ++t)
    for (std::size_t i = 0; i < axes; ++i) {
      const int at = static_cast<int>((t + i * recorded / axes) % recorded), height = at < way ? at : 2 * way - at;
      raw[t * axes + i] = 10'000 + height * 44 / 10 + static_cast<int>(random() % (2 * tremor + 1)) - tremor;
    }
  return raw;
}

/// An engine that is live, and everything that a tick needs at hand.
class Live {
 public:
  Live(std::size_t axes, Doing doing)
      : rig_(parse_rig(rig_text(axes, doing), "bench.toml")),
        doing_(doing),
        engine_(rig_.setup),
        out_(rig_.setup),
        axes_(axes),
        raw_(doing == Doing::tracking ? stroll(axes) : wander(axes)),
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
    if (doing_ == Doing::steps) {
      press_now_and_then();
    } else if (doing_ != Doing::nothing && (doing_ != Doing::jog_held || at_ % hold == 0)) {
      // Held: each side for four seconds, so that no axis comes to its end.
      const std::int32_t side = at_ / hold % 2 == 0 ? 32767 : -32768;
      const std::size_t row = at_ % recorded;
      for (std::size_t i = 0; i < axes_; ++i)
        say(i / 4, id_at<ControlId>(i % 4), doing_ == Doing::jog_held ? side : raw_[row * axes_ + i]);
    }
    ++at_;
    tick();
  }
  bool live() const { return engine_.permit(ZoneId{0}).live(); }
  double speed() const { return out_.commands[0].v < 0 ? -out_.commands[0].v : out_.commands[0].v; }

 private:
  static constexpr std::size_t hold = 2000, between_steps = 4800;
  /// 900 mm there, 900 mm back: a goal is pending for nine and a half seconds.
  void press_now_and_then() {
    const char* key = at_ / between_steps % 2 == 0 ? "hat.right" : "hat.left";
    if (at_ % between_steps > 1) return;
    for (std::size_t h = 0; h < rig_.handsets.size(); ++h)
      say(h, find_control(key)->id, at_ % between_steps == 0 ? 1 : 0);
  }
  void say(std::size_t handset, ControlId control, std::int32_t raw) {
    readings_.push_back({id_at<HandsetId>(handset), control, ++sequences_[handset], now_, now_, raw});
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
  Doing doing_;
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

void engine_tick(benchmark::State& state, std::size_t axes, Doing doing) {
  Live live(axes, doing);
  double fastest = 0;
  for (auto _ : state) {
    live.step();
    fastest = std::max(fastest, live.speed());
  }
  // A tick that does nothing would be fast, too.
  if (!live.live() || (doing != Doing::nothing && state.iterations() > 5000 && fastest < 10))
    state.SkipWithError("the engine did not move");
}

/// The same million ticks five times: each tick's least time is its own, the rest is the machine's; the greatest of
/// those.
void print_worst(Doing doing) {
  const std::size_t ticks = std::getenv("GYRAX_BENCH_QUICK") != nullptr ? 20'000 : 1'000'000;
  std::vector<std::int64_t> least(ticks, std::numeric_limits<std::int64_t>::max());
  for (int pass = 0; pass < 5; ++pass) {
    Live live(8, doing);
    for (std::size_t t = 0; t < ticks; ++t) {
      const auto begin = std::chrono::steady_clock::now();
      live.step();
      const auto took = std::chrono::steady_clock::now() - begin;
      least[t] = std::min<std::int64_t>(least[t], std::chrono::duration_cast<std::chrono::nanoseconds>(took).count());
    }
  }
  std::vector<std::int64_t> sorted = least;
  std::sort(sorted.begin(), sorted.end());
  fmt::print("{:<34}{:>10} ns   (median {} ns; {} ticks, five times)\n", fmt::format("worst tick, {}", name_of(doing)),
             sorted.back(), sorted[ticks / 2], ticks);
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

std::string engine_name(Doing doing, std::size_t axes) { return fmt::format("{}, {}", name_of(doing), axes); }
std::string plain_name(std::size_t axes) { return fmt::format("plain loop, {}", axes); }

int main() {
  for (const std::size_t axes : axis_counts) {
    for (const Doing doing : all_doings)
      if (doing == Doing::jog_changing || axes == 8)
        benchmark::RegisterBenchmark(engine_name(doing, axes).c_str(),
                                     [=](benchmark::State& s) { engine_tick(s, axes, doing); });
    benchmark::RegisterBenchmark(plain_name(axes).c_str(), [axes](benchmark::State& s) { plain_tick(s, axes); });
  }
  bench::Collector collector;
  bench::run(collector);
  if (std::getenv("GYRAX_BENCH_ONLY") != nullptr) return 0;
  fmt::print("One tick, by number of axes (ns of processor time, median)\n");
  for (const std::size_t axes : axis_counts) {
    collector.print(plain_name(axes));
    for (const Doing doing : all_doings) {
      if (doing != Doing::jog_changing && axes != 8) continue;
      collector.print(engine_name(doing, axes));
      fmt::print("{:<34}{:>10.2f} times\n", "  to the plain loop",
                 collector.median(engine_name(doing, axes)) / collector.median(plain_name(axes)));
    }
    fmt::print("\n");
  }
  for (const Doing doing : all_doings) print_worst(doing);
}
