// How much faster than real time the demo session is rehearsed. Run from the root of the source tree.
#include "ratio.hpp"

#include <gyrax/rehearsal/rehearsal.hpp>

int main() {
  const gyrax::Session session = gyrax::load_session("demo/session.toml");
  const gyrax::Rig rig = gyrax::fit(gyrax::load_rig("demo/bench.toml"), session.devices());
  benchmark::RegisterBenchmark("rehearsal", [&](benchmark::State& state) {
    for (auto _ : state) benchmark::DoNotOptimize(gyrax::rehearse(rig, session));
  });
  bench::Collector collector;
  bench::run(collector);
  collector.print("rehearsal");
  const double length_s = gyrax::to_seconds(session.length), took_s = collector.median("rehearsal") * 1e-9;
  fmt::print("{:g} s at {:g} Hz: {:.0f} times faster than real time (everything: decoding, ticks, machines, trace)\n",
             length_s, 1 / gyrax::to_seconds(rig.period), length_s / took_s);
}
