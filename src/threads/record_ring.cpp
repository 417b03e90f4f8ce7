#include <gyrax/threads/record_ring.hpp>

#include <algorithm>
#include <bit>
#include <cstdint>
#include <cstring>

namespace gyrax {
namespace {

constexpr std::size_t head = 8, least = 64;

std::size_t taken_by(std::size_t size) { return head + (size + head - 1) / head * head; }

}  // namespace

RecordRing::RecordRing(std::size_t bytes)
    : ring_(std::bit_ceil(bytes < least ? least : bytes)), mask_(ring_.size() - 1) {}

void RecordRing::put(std::size_t at, std::span<const std::byte> bytes) noexcept {
  const std::size_t from = at & mask_, first = std::min(bytes.size(), ring_.size() - from);
  std::memcpy(ring_.data() + from, bytes.data(), first);
  if (first < bytes.size()) std::memcpy(ring_.data(), bytes.data() + first, bytes.size() - first);
}

void RecordRing::get(std::size_t at, std::span<std::byte> bytes) const noexcept {
  const std::size_t from = at & mask_, first = std::min(bytes.size(), ring_.size() - from);
  std::memcpy(bytes.data(), ring_.data() + from, first);
  if (first < bytes.size()) std::memcpy(bytes.data() + first, ring_.data(), bytes.size() - first);
}

bool RecordRing::write(std::span<const std::byte> record) noexcept {
  const std::size_t at = written_.load(std::memory_order_relaxed), used = at - read_.load(std::memory_order_acquire);
  if (record.empty() || taken_by(record.size()) > ring_.size() - used) return false;
  const std::uint64_t size = record.size();
  put(at, std::as_bytes(std::span(&size, 1)));
  put(at + head, record);
  written_.store(at + taken_by(record.size()), std::memory_order_release);
  return true;
}

bool RecordRing::read(std::vector<std::byte>& record) {
  const std::size_t at = read_.load(std::memory_order_relaxed);
  if (written_.load(std::memory_order_acquire) == at) return false;
  std::uint64_t size = 0;
  get(at, std::as_writable_bytes(std::span(&size, 1)));
  record.resize(size);
  get(at + head, record);
  read_.store(at + taken_by(size), std::memory_order_release);
  return true;
}

}  // namespace gyrax
