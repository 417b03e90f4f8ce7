// Two benchmarks side by side in one run, their repetitions interleaved: medians and the ratio. The machines are shared
// and run at different speeds; only what runs side by side can be compared.
#pragma once

#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <string>
#include <vector>

namespace bench {

/// Collects the time an iteration of every repetition, in ns.
class Collector : public benchmark::BenchmarkReporter {
 public:
  bool ReportContext(const Context&) override { return true; }
  void ReportRuns(const std::vector<Run>& runs) override {
    for (const Run& run : runs)
      if (run.run_type == Run::RT_Iteration) times_[run.run_name.function_name].push_back(run.GetAdjustedCPUTime());
  }
  double median(const std::string& name) {
    auto& times = times_.at(name);
    std::sort(times.begin(), times.end());
    return times[times.size() / 2];
  }
  void print(const std::string& name) {
    auto& times = times_.at(name);
    std::sort(times.begin(), times.end());
    fmt::print("{:<34}{:>10.1f} ns   (least {:.1f}, greatest {:.1f}, {} repetitions)\n", name, median(name),
               times.front(), times.back(), times.size());
  }

 private:
  std::map<std::string, std::vector<double>> times_;
};

/// Runs what is registered, each 15 times, in random turns. GYRAX_BENCH_QUICK=1: shortly, to see that it runs.
/// GYRAX_BENCH_ONLY=REGEX: only those names, for a profiler.
inline void run(Collector& collector) {
  const bool quick = std::getenv("GYRAX_BENCH_QUICK") != nullptr;
  std::vector<std::string> words{"bench", "--benchmark_enable_random_interleaving=true",
                                 quick ? "--benchmark_repetitions=3" : "--benchmark_repetitions=15",
                                 quick ? "--benchmark_min_time=0.005" : "--benchmark_min_time=0.1"};
  if (const char* only = std::getenv("GYRAX_BENCH_ONLY"))
    words.push_back(std::string("--benchmark_filter=").append(only));
  std::vector<char*> argv;
  for (std::string& word : words) argv.push_back(word.data());
  int argc = static_cast<int>(argv.size());
  benchmark::Initialize(&argc, argv.data());
  benchmark::RunSpecifiedBenchmarks(&collector);
}

}  // namespace bench
