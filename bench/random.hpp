// Seeded random numbers for campaigns.
#pragma once

#include <cmath>
#include <cstdint>
#include <random>
#include <vector>

namespace gyrax::bench {

class Random {
 public:
  explicit Random(std::uint64_t seed) : engine_(seed) {}
  double in(double low, double high) { return low + (high - low) * (static_cast<double>(engine_() >> 11) * 0x1p-53); }
  /// As likely between 1 and 10 as between 10 and 100.
  double scale(double low, double high) { return std::exp(in(std::log(low), std::log(high))); }
  int whole(int low, int high) {
    return low + static_cast<int>(engine_() % static_cast<std::uint64_t>(high - low + 1));
  }
  bool chance(double p) { return in(0, 1) < p; }
  template <class Item>
  const Item& one_of(const std::vector<Item>& items) {
    return items[static_cast<std::size_t>(whole(0, static_cast<int>(items.size()) - 1))];
  }

 private:
  std::mt19937_64 engine_;
};

}  // namespace gyrax::bench
