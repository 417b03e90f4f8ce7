/// A fixed queue from one thread to one other.
///
/// In: values pushed by one thread. Out: the same, in order, in another. Never: a wait, a lock, an allocation after the
/// constructor. What does not fit is refused, and whoever pushes counts it.
///
///     Queue<Reading> queue(1024);
///     if (!queue.push(reading)) ++lost;
#pragma once

#include <atomic>
#include <bit>
#include <cstddef>
#include <vector>

namespace gyrax {

template <class Value>
class Queue {
 public:
  /// Room for `capacity` values, rounded up to a power of two; at least 2.
  explicit Queue(std::size_t capacity)
      : values_(std::bit_ceil(capacity < 2 ? std::size_t{2} : capacity)), mask_(values_.size() - 1) {}

  /// From the one thread that pushes. False: it is full, and nothing was taken.
  bool push(const Value& value) noexcept {
    const std::size_t at = pushed_.load(std::memory_order_relaxed);
    if (at - popped_.load(std::memory_order_acquire) == values_.size()) return false;
    values_[at & mask_] = value;
    pushed_.store(at + 1, std::memory_order_release);
    return true;
  }
  /// From the one thread that pops. False: there is nothing.
  bool pop(Value& value) noexcept {
    const std::size_t at = popped_.load(std::memory_order_relaxed);
    if (pushed_.load(std::memory_order_acquire) == at) return false;
    value = values_[at & mask_];
    popped_.store(at + 1, std::memory_order_release);
    return true;
  }
  std::size_t capacity() const noexcept { return values_.size(); }

 private:
  static constexpr std::size_t apart = 64;  // of two threads' counters, so that they do not share a line of cache
  std::vector<Value> values_;
  std::size_t mask_;
  alignas(apart) std::atomic<std::size_t> pushed_{0};
  alignas(apart) std::atomic<std::size_t> popped_{0};
};

}  // namespace gyrax
