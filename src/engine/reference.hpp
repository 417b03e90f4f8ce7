// An engine that works out everything anew, beside one that works out what has changed: do they say the same?
//
// Debug builds, and those with GYRAX_COMPARE, have it in every engine, and end where the two differ.
#pragma once

#include <gyrax/engine/engine.hpp>

namespace gyrax::detail {

class Reference {
 public:
  explicit Reference(const Setup& setup);
  EngineParts& parts() noexcept { return parts_; }
  /// Where the engine beside it writes its events, until they are held against each other.
  EventRing& told() noexcept { return told_; }
  /// Does the same tick once more. Whether it came to the same to the last bit: requests, commands, reasons, switches,
  /// frames, events. Hands on the events.
  bool agrees(const TickInput& in, const EngineParts& parts, const TickOutput& out) noexcept;

 private:
  static constexpr std::size_t events = 256;  // as TickBuffers has them
  EngineParts parts_;
  TickBuffers out_;
  EventRing told_;
};

/// A whole tick.
bool calibrate(EngineParts& e, SlotId slot, const Calibration& calibration) noexcept;
void run_tick(EngineParts& e, const TickInput& in, TickOutput& out) noexcept;

}  // namespace gyrax::detail
