/// Where a handset of one's own parts hangs: a microcontroller that speaks the frames of docs/board.md, on a wire of
/// its own. Its inputs are named as controls are.
#pragma once

#include <gyrax/wire/port.hpp>

#include <cstdint>
#include <optional>
#include <string>

namespace gyrax {

struct WiredPlace {
  wire::Place wire;
  std::uint8_t address = 1;
  /// "serial line /dev/ttyACM0".
  std::string words() const { return wire.words(); }
};

/// "serial:/dev/ttyACM0", "serial:/dev/ttyACM0@57600", "tcp:host:port", "udp:host:port"; nullopt where it is none of
/// them.
std::optional<WiredPlace> wired_place(const std::string& text);

}  // namespace gyrax
