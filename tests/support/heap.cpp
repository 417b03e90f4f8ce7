#include "heap.hpp"

#include <malloc.h>
#include <atomic>
#include <cstdlib>
#include <new>

namespace {

std::atomic<std::size_t> count{0}, in_use{0}, most{0}, at_reset{0};

void* take(std::size_t size) noexcept {
  void* const memory = std::malloc(size > 0 ? size : 1);
  if (memory == nullptr) return nullptr;
  ++count;
  const std::size_t now = in_use += malloc_usable_size(memory);
  for (std::size_t before = most; now > before && !most.compare_exchange_weak(before, now);) {
  }
  return memory;
}

void* take_or_throw(std::size_t size) {
  if (void* const memory = take(size)) return memory;
  throw std::bad_alloc();
}

void give(void* memory) noexcept {
  in_use -= malloc_usable_size(memory);
  std::free(memory);
}

}  // namespace

std::size_t gyrax::test::allocations() noexcept { return count; }
std::size_t gyrax::test::peak() noexcept { return most - at_reset; }
void gyrax::test::reset_peak() noexcept { most = at_reset = in_use.load(); }

void* operator new(std::size_t size) { return take_or_throw(size); }
void* operator new[](std::size_t size) { return take_or_throw(size); }
void operator delete(void* memory) noexcept { give(memory); }
void operator delete[](void* memory) noexcept { give(memory); }
void operator delete(void* memory, std::size_t) noexcept { give(memory); }
void operator delete[](void* memory, std::size_t) noexcept { give(memory); }
// Some of the library (std::stable_sort) asks without exceptions.
void* operator new(std::size_t size, const std::nothrow_t&) noexcept { return take(size); }
void* operator new[](std::size_t size, const std::nothrow_t&) noexcept { return take(size); }
void operator delete(void* memory, const std::nothrow_t&) noexcept { give(memory); }
void operator delete[](void* memory, const std::nothrow_t&) noexcept { give(memory); }
