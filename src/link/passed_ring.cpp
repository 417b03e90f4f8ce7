#include <gyrax/link/passed_ring.hpp>

#include <cstring>

namespace gyrax {
namespace {

/// Of what went over the wire and nobody has looked at yet: half a second of a fast one.
constexpr std::size_t passed_bytes = 1u << 18;
/// What goes before the bytes in the ring.
struct PassedHead {
  Time at;
  bool out;
};

}  // namespace

PassedRing::PassedRing() : ring_(passed_bytes) {}

void PassedRing::keep(Time at, bool out, std::span<const std::uint8_t> bytes) noexcept {
  if (bytes.empty()) return;
  std::byte* const room = ring_.begin(sizeof(PassedHead) + bytes.size());
  if (room == nullptr) return;
  const PassedHead head{at, out};
  std::memcpy(room, &head, sizeof head);
  std::memcpy(room + sizeof head, bytes.data(), bytes.size());
  ring_.commit();
}

bool PassedRing::next(Passed& passed) {
  if (looked_at_) ring_.pop();
  const std::span<const std::byte> record = ring_.front();
  looked_at_ = !record.empty();
  if (!looked_at_) return false;
  PassedHead head{};
  std::memcpy(&head, record.data(), sizeof head);
  const std::span<const std::byte> bytes = record.subspan(sizeof head);
  passed = {head.at, head.out, {reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size()}};
  return true;
}

}  // namespace gyrax
