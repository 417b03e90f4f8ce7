// What came out, as sums: a logbook keeps these in its place, since a replay makes it anew. Private.
#pragma once

#include <gyrax/base/command.hpp>

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace gyrax {

/// In: each tick's commands and switches. Out: 16 bits for the tick, and 64 for each axis since the last check. The
/// mixing is one step of a multiplication by 2^64 / golden ratio (D. Knuth, The Art of Computer Programming 3, 6.4): it
/// finds what a program does otherwise, not what a person forges.
class OutputSums {
 public:
  explicit OutputSums(std::size_t axes) : axes_(axes) {}

  /// Of this tick alone.
  std::uint16_t tick(std::span<const AxisCommand> commands, std::span<const std::uint8_t> switches) noexcept;
  /// By axis, of all ticks since restart().
  std::span<const std::uint64_t> axes() const noexcept { return axes_; }
  void restart() noexcept;

 private:
  std::vector<std::uint64_t> axes_;
};

}  // namespace gyrax
