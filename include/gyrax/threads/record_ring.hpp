/// A fixed ring of records of any size from one thread to one other.
///
/// In: runs of bytes. Out: the same runs, whole and in order, each in one piece of memory. Never: a wait, a lock, a
/// part of a record, an allocation.
///
///     RecordRing ring(4u << 20);
///     if (std::byte* room = ring.begin(size)) { …fill it…; ring.commit(); } else ++lost;
#pragma once

#include <atomic>
#include <cstddef>
#include <span>
#include <vector>

namespace gyrax {

class RecordRing {
 public:
  /// Room for `bytes`, rounded up to a power of two; each record takes 8 more than its own size, and at the ring's end
  /// the rest where it does not fit.
  explicit RecordRing(std::size_t bytes);

  /// From the one thread that writes: where the next record of `size` ≥ 1 bytes goes; nullptr if it does not fit now.
  /// What is larger than half of the ring may never fit.
  std::byte* begin(std::size_t size) noexcept;
  /// It is written.
  void commit() noexcept;

  /// From the one thread that reads: the oldest record; empty if there is none. It stays until pop().
  std::span<const std::byte> front() noexcept;
  void pop() noexcept;

 private:
  std::vector<std::byte> ring_;
  std::size_t mask_;
  alignas(64) std::atomic<std::size_t> written_{0};
  std::size_t seen_read_ = 0, begun_ = 0;  // the writing thread's: what it last saw read, where the next record ends
  alignas(64) std::atomic<std::size_t> read_{0};
  std::size_t next_ = 0;  // the reading thread's: where the record after the oldest begins
};

}  // namespace gyrax
