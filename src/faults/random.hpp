// Random numbers, the same for the same seed everywhere. Private to the faults room.
#pragma once

#include <cstddef>
#include <cstdint>

namespace gyrax {

/// The 64-bit mixer of G. Steele, D. Lea and C. Flood, "Fast splittable pseudorandom number generators", OOPSLA 2014.
class Random {
 public:
  explicit Random(std::uint64_t seed) : state_(seed) {}
  std::uint64_t next() {
    std::uint64_t z = state_ += 0x9e3779b97f4a7c15u;
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9u;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebu;
    return z ^ (z >> 31);
  }
  /// [0, 1).
  double share() { return static_cast<double>(next() >> 11) / 9007199254740992.0; }
  double between(double low, double high) { return low + (high - low) * share(); }
  bool chance(double of) { return share() < of; }
  /// Below `count`, which is at least 1.
  std::size_t below(std::size_t count) { return static_cast<std::size_t>(next() % count); }

 private:
  std::uint64_t state_;
};

}  // namespace gyrax
