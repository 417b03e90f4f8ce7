// Ten minutes at 500 Hz with eight axes that all jog, two pads that report every 8 ms: the logbook's size an hour, what
// a tick pays for being recorded, and how fast it is replayed. GYRAX_BENCH_QUICK=1: ten seconds.
#include <gyrax/engine/engine.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/link/simulated.hpp>
#include <gyrax/logbook/replay.hpp>
#include <gyrax/logbook/writer.hpp>

#include <fmt/format.h>

#include <unistd.h>
#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <random>
#include <thread>

namespace {

using namespace gyrax;

constexpr std::size_t axes = 8;
const char* const sticks[] = {"stick.left.x", "stick.left.y", "stick.right.x", "stick.right.y"};

std::string rig_text() {
  std::string text =
      "gyrax = 1\n[link.machine]\nkind = \"simulated\"\n[handset.pad0]\n[handset.pad1]\n[station.both]\nhandsets = "
      "[\"pad0\", \"pad1\"]\n";
  for (std::size_t i = 0; i < axes; ++i)
    text += fmt::format("[axis.a{}]\nunit = \"mm\"\ntravel = [0, 1000]\nspeed = 100\naccel = 1000\n", i);
  for (std::size_t i = 0; i < axes; ++i) {
    if (i % 4 == 0) text += fmt::format("[handset.pad{}.bind]\n", i / 4);
    text += fmt::format("\"{}\" = {{ jog = \"a{}\" }}\n", sticks[i % 4], i);
    if (i == 0)
      text +=
          "\"menu.right\" = \"ready\"\n\"shoulder.right\" = \"enable\"\n\"face.east\" = \"stop\"\n\"menu.centre\" = "
          "\"reset\"\n";
  }
  return text;
}

/// Two pads: sticks that wander over their whole range.
class Wander {
 public:
  explicit Wander(const Rig& rig) : rig_(rig) {}
  std::span<const Reading> at(std::size_t tick, Time now) {
    readings_.clear();
    if (tick == 0)
      for (std::size_t h = 0; h < 2; ++h) say(h, ControlId::presence, 1, now);
    for (const ControlSetup& c : rig_.setup.controls) {
      const std::size_t pad = index(c.handset);
      if (c.calibration.kind() == ControlKind::key) {
        if (tick == 0) say(pad, c.control, 0, now);
        if (tick == 20 && c.control == find_control("menu.right")->id) say(pad, c.control, 1, now);
        if (tick == 40 && c.control == find_control("shoulder.right")->id) say(pad, c.control, 1, now);
        continue;
      }
      if (tick % 4 != pad * 2) continue;
      int& raw = raw_[pad * 4 + index(c.control) % 4];
      if (tick > 60) raw = std::clamp(raw + static_cast<int>(random_() % 8001) - 4000, -32768, 32767);
      say(pad, c.control, raw, now);
    }
    return readings_;
  }

 private:
  void say(std::size_t pad, ControlId control, int raw, Time now) {
    readings_.push_back({id_at<HandsetId>(pad), control, ++sequence_[pad], now, now, raw});
  }
  const Rig& rig_;
  std::mt19937 random_{1};
  std::vector<Reading> readings_;
  int raw_[axes] = {};
  std::uint32_t sequence_[2] = {};
};

/// What asking the clock takes by itself.
double clock_takes_s() {
  constexpr int times = 100'000;
  const auto begin = std::chrono::steady_clock::now();
  auto end = begin;
  for (int i = 0; i < times; ++i) end = std::chrono::steady_clock::now();
  return std::chrono::duration<double>(end - begin).count() / times;
}

}  // namespace

int main() {
  const std::size_t ticks = std::getenv("GYRAX_BENCH_QUICK") != nullptr ? 5'000 : 300'000;
  const Rig rig = parse_rig(rig_text(), "logbook.toml");
  const std::string path =
      (std::filesystem::temp_directory_path() / fmt::format("gyrax-bench-{}.jsonl.zst", ::getpid())).string();
  Engine engine(rig.setup);
  TickBuffers out(rig.setup);
  SimulatedLinks links(rig);
  Wander hands(rig);
  LogbookWriter log(rig, path);
  std::vector<Event> events;
  const double clock_s = clock_takes_s();
  double recording_s = 0, ticking_s = 0, fastest = 0;
  for (std::size_t t = 0; t < ticks; ++t) {
    // This runs faster than time: the writer gets to catch up, long before its ring is full.
    if (t % 1'000 == 0) std::this_thread::sleep_for(std::chrono::milliseconds(30));
    const Time now{rig.period * static_cast<std::int64_t>(t)};
    const auto readings = hands.at(t, now);
    const auto reports = links.reports(now);
    const auto begin = std::chrono::steady_clock::now();
    engine.tick({now, readings, reports}, out.view());
    const auto ticked = std::chrono::steady_clock::now();
    links.send(out.frames);
    events.clear();
    for (Event event; out.events.read(event);) events.push_back(event);
    const auto before = std::chrono::steady_clock::now();
    log.tick({now, false, readings, reports, out.commands, out.switches, events});
    recording_s += std::chrono::duration<double>(std::chrono::steady_clock::now() - before).count() - clock_s;
    ticking_s += std::chrono::duration<double>(ticked - begin).count() - clock_s;
    fastest = std::max(fastest, out.commands[axes - 1].v);
  }
  const LogbookWriter::Closed closed = log.close("the bench is over");
  const Replayed again = Replay(path).run({});
  std::filesystem::remove(path);
  if (closed.lost > 0 || !again.same || again.ticks != ticks || !(fastest > 50)) {
    fmt::print(stderr, "lost {}, same {}, ticks {}, fastest {}\n{}\n", closed.lost, again.same, again.ticks, fastest,
               again.difference);
    return 1;
  }
  const double length_s = static_cast<double>(ticks) * to_seconds(rig.period),
               per_tick = 1e9 / static_cast<double>(ticks);
  fmt::print("A logbook of {:g} s at 500 Hz, {} axes jogging, two pads at 125 Hz\n", length_s, axes);
  fmt::print("  size          {:.1f} MB, {:.0f} MB an hour, {:.0f} bytes a tick\n",
             static_cast<double>(closed.bytes) / 1e6, static_cast<double>(closed.bytes) / 1e6 * 3600 / length_s,
             static_cast<double>(closed.bytes) / static_cast<double>(ticks));
  fmt::print(
      "  recording     {:.0f} ns a tick of the engine's thread, beside {:.0f} ns for the tick itself: ratio {:.2f}\n",
      recording_s * per_tick, ticking_s * per_tick, recording_s / ticking_s);
  fmt::print("  replay        {:.2f} s: {:.0f} times faster than real time, every line the same\n", again.took_s,
             length_s / again.took_s);
}
