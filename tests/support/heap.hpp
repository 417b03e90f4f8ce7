// What this whole program asks of the heap.
#pragma once

#include <cstddef>

namespace gyrax::test {

/// How often memory was asked for.
std::size_t allocations() noexcept;
/// The most bytes in use at once since reset_peak(), beyond those in use then.
std::size_t peak() noexcept;
void reset_peak() noexcept;

}  // namespace gyrax::test
