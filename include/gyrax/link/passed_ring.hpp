/// What went over a link's wire, handed from the engine's thread to one that looks on.
///
/// In: bytes with their time and direction. Out: the same, oldest first. Never: a wait; what nobody asks for in time is
/// left out.
#pragma once

#include <gyrax/link/link.hpp>
#include <gyrax/threads/record_ring.hpp>

#include <cstdint>
#include <span>

namespace gyrax {

class PassedRing {
 public:
  PassedRing();
  void keep(Time at, bool out, std::span<const std::uint8_t> bytes) noexcept;
  /// Valid until the next call. From the thread that looks on.
  bool next(Passed& passed);

 private:
  RecordRing ring_;
  bool looked_at_ = false;
};

}  // namespace gyrax
