// Predictions against what is measured, on random rigs: does any failure take an axis further than was predicted?
//
//     bench_faults [RIGS [SEED [RIG]]]     20 and 1 by default; RIG: that one alone, with its text. Exit code 1 where
//     one
//                                          does
#include "hostile/plan.hpp"
#include "random.hpp"

#include <gyrax/faults/faults.hpp>

#include <fmt/format.h>

#include <cstdlib>

int main(int argc, char** argv) {
  using namespace gyrax;
  const std::uint64_t rigs = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 20;
  const std::uint64_t seed = argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1;
  const std::uint64_t first = argc > 3 ? std::strtoull(argv[3], nullptr, 10) : 0;
  std::uint64_t rows = 0, near = 0, broken = 0, runs = 0;
  for (std::uint64_t number = first; number < (argc > 3 ? first + 1 : rigs); ++number) {
    bench::Random random(seed * 0x9e3779b97f4a7c15ull + number);
    const bench::RigPlan plan = bench::random_rig(random);
    if (argc > 3) fmt::print("{}\n", plan.text);
    const Rig rig = parse_rig(plan.text, "random.toml");
    const FaultsReport report = provoke(rig);
    runs += report.runs;
    for (const FaultRow& row : report.rows) {
      if (row.is_measured()) {
        ++rows;
        near += row.share() >= 0.8 ? 1 : 0;
      }
      if (row.holds()) continue;
      if (++broken > 40) continue;
      fmt::print("rig {}: {}: {}: predicted {:.4g} in {:.4g} s, measured {:.4g} in {:.4g} s, {} {} ({}) {}\n", number,
                 rig.axes[index(row.axis)].name, row.failure, row.predicted.way(), row.predicted.time_s(), row.way,
                 row.time_s, row.moment, about(row.cause).name, row.motion, row.unexpected_words);
    }
    if (argc > 3) fmt::print("{}", text(rig, report, true));
  }
  fmt::print("{} runs; {} of {} rows within 80 and 100 % of what was predicted; {} did not hold\n", runs, near, rows,
             broken);
  return broken == 0 ? 0 : 1;
}
