// The memory that each reader says it takes at most (the headers of the readers; docs/formats.md).
#pragma once

#include "heap.hpp"

#include <cstddef>

namespace gyrax::test {

struct StatedMemory {
  std::size_t for_each_byte, besides;
  constexpr std::size_t of(std::size_t bytes) const { return for_each_byte * bytes + besides; }
};
inline constexpr StatedMemory toml_memory{160, 4u << 20};    // a rig, a session's own file, a calibration
inline constexpr StatedMemory track_memory{2, 1u << 20};     // besides the text
inline constexpr StatedMemory logbook_memory{48, 4u << 20};  // of the longest line

/// The most that `read` takes at once, whatever comes of it.
template <class Read>
std::size_t memory_of(Read read) {
  reset_peak();
  read();
  return peak();
}

}  // namespace gyrax::test
