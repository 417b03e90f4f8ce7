// A whole day at 500 Hz beside a minute, each in a process of its own: how much memory the rehearsal, its logbook, and
// the logbook's summary, table and plot take, and how long. The demo's hands move for 41 s every ten minutes.
// GYRAX_BENCH_QUICK=1: an hour.
#include <gyrax/logbook/replay.hpp>
#include <gyrax/logbook/writer.hpp>
#include <gyrax/rehearsal/summary.hpp>

#include <fmt/format.h>

#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <functional>
#include <thread>

namespace {

using namespace gyrax;
using std::chrono::steady_clock;

Session repeated(const Session& once, Span every, Span length) {
  Session all = once;
  all.faults.clear();
  all.length = length;
  for (std::size_t h = 0; h < all.handsets.size(); ++h) {
    SessionHandset& handset = all.handsets[h];
    const SessionHandset& first = once.handsets[h];
    for (Span at = every; at + once.length < length; at += every) {
      const std::int64_t later_us = std::chrono::duration_cast<std::chrono::microseconds>(at).count();
      for (InputEvent event : first.track.events) {
        event.time_us += later_us;
        handset.track.events.push_back(event);
      }
      for (const auto& [from, to] : first.plugged) handset.plugged.emplace_back(from + at, to + at);
    }
    // Events know their lines for messages alone.
    handset.track.lines.clear();
  }
  return all;
}

struct Cost {
  double megabytes = 0, seconds = 0;
  bool good = false;
};
/// In a process of its own.
Cost cost_of(const std::function<bool()>& work) {
  const auto begin = steady_clock::now();
  const pid_t child = ::fork();
  if (child == 0) ::_exit(work() ? 0 : 1);
  int status = -1;
  rusage used{};
  ::wait4(child, &status, 0, &used);
  return {static_cast<double>(used.ru_maxrss) / 1024,
          std::chrono::duration<double>(steady_clock::now() - begin).count(),
          WIFEXITED(status) && WEXITSTATUS(status) == 0};
}

bool write_logbook(const Rig& rig, const Session& session, const std::string& path) {
  LogbookWriter::Options options;
  options.ring = 16u << 20;
  LogbookWriter log(rig, path, options);
  Player hands(session, rig);
  SimulatedLinks links(rig);
  Engine engine(rig.setup);
  TickBuffers out(rig.setup);
  std::vector<Event> events;
  for (Time now{}; now <= Time{session.length}; now += rig.period) {
    const auto readings = hands.until(now);
    const auto reports = links.reports(now);
    engine.tick({now, readings, reports}, out.view());
    links.send(out.frames);
    events.clear();
    for (Event event; out.events.read(event);) events.push_back(event);
    log.tick({now, false, readings, reports, out.commands, out.switches, events});
    // This runs faster than time: the writer gets to catch up, long before its ring is full.
    if (now.time_since_epoch() % std::chrono::seconds(4) == Span{})
      std::this_thread::sleep_for(std::chrono::milliseconds(8));
  }
  const auto closed = log.close("the day is over");
  return closed.lost == 0 && closed.trouble.empty();
}

bool read_logbook(const std::string& path, bool with_csv, bool with_plot) {
  Replay replay(path);
  Summing summing(replay.rig());
  std::size_t bytes = 0;
  CsvTable table(replay.rig(), [&](std::string_view lines) { bytes += lines.size(); });
  PlotPoints points(replay.rig(), {});
  std::vector<TickWatcher*> watchers{&summing};
  if (with_csv) watchers.push_back(&table);
  if (with_plot) watchers.push_back(&points);
  const Replayed done = replay.run(watchers);
  table.end();
  const auto begin = steady_clock::now();
  if (with_plot) {
    if (!points.draw(PlotFormat::png).why.empty()) return false;
    fmt::print("    of which drawing took {:.2f} s\n",
               std::chrono::duration<double>(steady_clock::now() - begin).count());
    std::fflush(stdout);
  }
  return done.same && summing.summary(replay.session(), done).good();
}

}  // namespace

int main() {
  const double hours = std::getenv("GYRAX_BENCH_QUICK") != nullptr ? 1 : 24;
  const Session once = load_session("demo/session.toml");
  const Rig rig = fit(load_rig("demo/bench.toml"), once.devices());
  const std::string path =
      (std::filesystem::temp_directory_path() / fmt::format("gyrax-day-{}.jsonl.zst", ::getpid())).string();
  bool good = true;
  for (const double length_s : {41.0, hours * 3600}) {
    fmt::print("{:g} s at 500 Hz, six axes\n", length_s);
    std::fflush(stdout);
    const auto row = [&](const char* what, const std::function<bool()>& work) {
      const Cost cost = cost_of(work);
      good = good && cost.good;
      fmt::print("  {:<34}{:6.1f} MB {:8.1f} s{}\n", what, cost.megabytes, cost.seconds,
                 cost.good ? "" : "  WENT WRONG");
      std::fflush(stdout);
    };
    row("nothing", [] { return true; });
    const auto session = [&] {
      return repeated(once, std::chrono::minutes(10),
                      std::chrono::duration_cast<Span>(std::chrono::duration<double>(length_s)));
    };
    row("its hands", [&] { return session().length > Span{}; });
    row("rehearsed, with its summary", [&] {
      Summing summing(rig);
      TickWatcher* const watchers[] = {&summing};
      const Session whole = session();
      return summing.summary(whole, rehearse(rig, whole, watchers)).good();
    });
    row("its logbook written", [&] { return write_logbook(rig, session(), path); });
    fmt::print("    which has {:.1f} MB\n", static_cast<double>(std::filesystem::file_size(path)) / 1e6);
    row("the logbook's summary", [&] { return read_logbook(path, false, false); });
    row("its summary and table", [&] { return read_logbook(path, true, false); });
    row("its summary and plot", [&] { return read_logbook(path, false, true); });
    std::filesystem::remove(path);
  }
  return good ? 0 : 1;
}
