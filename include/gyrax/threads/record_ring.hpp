/// A fixed ring of records of any size from one thread to one other.
///
/// In: runs of bytes. Out: the same runs, whole and in order. Never: a wait, a lock, a part of a record, an allocation
/// by the thread that writes.
///
///     RecordRing ring(4u << 20);
///     if (!ring.write(bytes)) ++lost;
#pragma once

#include <atomic>
#include <cstddef>
#include <span>
#include <vector>

namespace gyrax {

class RecordRing {
 public:
  /// Room for `bytes`, rounded up to a power of two; each record takes 8 more than its own size.
  explicit RecordRing(std::size_t bytes);

  /// From the one thread that writes. False: it does not fit now, and nothing was taken.
  bool write(std::span<const std::byte> record) noexcept;
  /// From the one thread that reads: the oldest record, into `record`. False: there is none.
  bool read(std::vector<std::byte>& record);

 private:
  void put(std::size_t at, std::span<const std::byte> bytes) noexcept;
  void get(std::size_t at, std::span<std::byte> bytes) const noexcept;

  std::vector<std::byte> ring_;
  std::size_t mask_;
  alignas(64) std::atomic<std::size_t> written_{0};
  alignas(64) std::atomic<std::size_t> read_{0};
};

}  // namespace gyrax
