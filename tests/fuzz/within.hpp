// Holds a reader to the memory that it states.
#pragma once

#include "support/stated_memory.hpp"

namespace gyrax::test {

/// Calls `read` and ends the program if it takes more than `most` bytes at once, also where it throws.
template <class Read>
auto within(std::size_t most, Read read) {
  struct Held {
    std::size_t most;
    ~Held() {
      if (peak() > most) __builtin_trap();
    }
  } const held{most};
  reset_peak();
  return read();
}

}  // namespace gyrax::test
