// How often memory was asked for, in this whole program.
#pragma once

#include <cstddef>

namespace gyrax::test {

std::size_t allocations() noexcept;

}  // namespace gyrax::test
