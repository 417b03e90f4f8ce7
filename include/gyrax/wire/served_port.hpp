/// The far side of a wire, for a stand-in: a pseudo-terminal under a serial line's name, a TCP or a UDP port.
///
/// In: bytes to send. Out: bytes that came. Never: a wait in read() or write(); more than one peer at a time (the
/// newest counts).
///
///     wire::ServedPort port({.tcp = "localhost:7325"});
#pragma once

#include <gyrax/wire/port.hpp>

#include <array>
#include <cstdint>
#include <span>
#include <string>

namespace gyrax::wire {

class ServedPort {
 public:
  /// A serial line's path becomes a symbolic link to a pseudo-terminal; one that is there already is replaced, anything
  /// else is not. Errors: std::runtime_error where it cannot be opened.
  explicit ServedPort(Place place);
  ~ServedPort();
  ServedPort(const ServedPort&) = delete;
  ServedPort& operator=(const ServedPort&) = delete;

  std::span<const std::uint8_t> read(std::span<std::uint8_t> room) noexcept;
  void write(std::span<const std::uint8_t> bytes) noexcept;
  /// To wait for; readable while something has come.
  int descriptor() const noexcept { return peer_ >= 0 ? peer_ : listener_; }

 private:
  void open_terminal();
  void open_socket(const std::string& where, int kind);

  Place place_;
  int listener_ = -1, peer_ = -1, other_end_ = -1;
  bool is_datagram_ = false;
  std::array<unsigned char, 128> from_{};  // whoever spoke last; datagrams go there
  unsigned from_size_ = 0;
};

}  // namespace gyrax::wire
