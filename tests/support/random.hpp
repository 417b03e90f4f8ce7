// Seeded random numbers for properties. The seed is printed by every test program; GYRAX_SEED sets another.
#pragma once

#include <cmath>
#include <cstdint>
#include <random>

namespace gyrax::test {

std::uint64_t seed();

class Random {
 public:
  explicit Random(std::uint64_t salt = 0) : engine_(seed() + salt * 0x9e3779b97f4a7c15ull) {}
  double in(double low, double high) { return std::uniform_real_distribution<double>(low, high)(engine_); }
  /// As likely between 1 and 10 as between 10 and 100.
  double scale(double low, double high) { return std::exp(in(std::log(low), std::log(high))); }
  int whole(int low, int high) { return std::uniform_int_distribution<int>(low, high)(engine_); }
  bool chance(double p) { return in(0, 1) < p; }

 private:
  std::mt19937_64 engine_;
};

}  // namespace gyrax::test
