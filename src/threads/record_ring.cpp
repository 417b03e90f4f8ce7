#include <gyrax/threads/record_ring.hpp>

#include <bit>
#include <cstdint>
#include <cstring>

namespace gyrax {
namespace {

constexpr std::size_t head = 8, least = 64;
// In place of a size: the rest of the ring is not used.
constexpr std::uint64_t skip = ~std::uint64_t{0};

std::size_t taken_by(std::size_t size) { return head + (size + head - 1) / head * head; }

}  // namespace

RecordRing::RecordRing(std::size_t bytes)
    : ring_(std::bit_ceil(bytes < least ? least : bytes)), mask_(ring_.size() - 1) {}

std::byte* RecordRing::begin(std::size_t size) noexcept {
  const std::size_t at = written_.load(std::memory_order_relaxed), to_end = ring_.size() - (at & mask_);
  const std::size_t skipped = taken_by(size) > to_end ? to_end : 0, taken = skipped + taken_by(size);
  if (taken > ring_.size() - (at - seen_read_)) {
    seen_read_ = read_.load(std::memory_order_acquire);
    if (taken > ring_.size() - (at - seen_read_)) return nullptr;
  }
  if (skipped > 0) std::memcpy(ring_.data() + (at & mask_), &skip, head);
  const std::uint64_t word = size;
  std::byte* const place = ring_.data() + ((at + skipped) & mask_);
  std::memcpy(place, &word, head);
  begun_ = at + taken;
  return place + head;
}

void RecordRing::commit() noexcept { written_.store(begun_, std::memory_order_release); }

std::span<const std::byte> RecordRing::front() noexcept {
  std::size_t at = read_.load(std::memory_order_relaxed);
  if (written_.load(std::memory_order_acquire) == at) return {};
  std::uint64_t size = 0;
  std::memcpy(&size, ring_.data() + (at & mask_), head);
  if (size == skip) {
    at += ring_.size() - (at & mask_);
    std::memcpy(&size, ring_.data(), head);
  }
  next_ = at + taken_by(size);
  return std::span(ring_).subspan((at & mask_) + head, size);
}

void RecordRing::pop() noexcept { read_.store(next_, std::memory_order_release); }

}  // namespace gyrax
