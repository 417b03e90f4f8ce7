/// Frames between the near end and a board, as docs/board.md describes them byte by byte.
///
/// In: a frame; or bytes as they come. Out: bytes for the wire; or whole frames whose sum holds. Never: memory after
/// construction, a wait, a frame that was cut off or spoiled. The far end in firmware/ has its own code for the same
/// bytes; firmware/vectors.txt holds both to them.
///
///     std::array<std::uint8_t, wire::max_frame> bytes;
///     const std::size_t size = wire::pack({Kind::ask, 1, 7, session, payload}, bytes);
///     wire::Receiver in;
///     for (auto byte : bytes) if (in.take(byte)) … in.frame() …
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <string_view>

namespace gyrax::wire {

inline constexpr std::uint8_t version = 1;
/// What surrounds a payload: a zero at both ends, a byte of framing, the head, the sum.
inline constexpr std::size_t head_bytes = 8, sum_bytes = 4, around = head_bytes + sum_bytes + 3;
/// Of a whole frame on the wire; a board says in its welcome how much it takes.
inline constexpr std::size_t max_frame = 255, max_payload = max_frame - around;
inline constexpr std::uint8_t all_boards = 0;

/// The near end's first, from `welcome` on the far end's.
enum class Kind : std::uint8_t {
  message,
  greet,
  ask,
  assign,
  set,
  stop,
  store,
  more,
  welcome,
  channel,
  report,
  readings,
  print,
  refused,
  result
};
/// "set"; "kind 15" has none.
const char* name_of(Kind kind) noexcept;

struct Frame {
  Kind kind{};
  std::uint8_t address = 0;
  std::uint16_t sequence = 0;
  std::uint32_t session = 0;
  std::span<const std::uint8_t> payload{};
  std::uint8_t version = wire::version;
};

/// Into `bytes`. Returns how many they are; 0 where the payload is longer than max_payload, or they do not fit.
std::size_t pack(const Frame& frame, std::span<std::uint8_t> bytes) noexcept;

class Receiver {
 public:
  /// Whether a frame is whole with this byte, and its sum holds.
  bool take(std::uint8_t byte) noexcept;
  /// The last one; its payload is valid until the next byte.
  const Frame& frame() const noexcept { return frame_; }
  /// Frames that were begun and did not hold.
  std::uint64_t bad() const noexcept { return bad_; }

 private:
  bool holds() noexcept;
  std::array<std::uint8_t, max_frame> bytes_{};
  std::size_t count_ = 0;
  std::uint8_t until_zero_ = 0;
  bool in_frame_ = false, spoiled_ = false;
  Frame frame_;
  std::uint64_t bad_ = 0;
};

/// Numbers of a payload, the least significant byte first. What runs over the end reads 0, and `whole` says so.
struct Reader {
  std::span<const std::uint8_t> left;
  bool whole = true;
  std::uint32_t number(std::size_t bytes) noexcept;
  std::uint8_t u8() noexcept { return static_cast<std::uint8_t>(number(1)); }
  std::uint16_t u16() noexcept { return static_cast<std::uint16_t>(number(2)); }
  std::uint32_t u32() noexcept { return number(4); }
  std::int32_t i32() noexcept { return static_cast<std::int32_t>(number(4)); }
  /// The rest of the payload.
  std::string_view text() noexcept;
};

/// A payload under way. What does not fit is left out, and `whole` says so.
struct Writer {
  std::array<std::uint8_t, max_payload> bytes;  // as far as `size`
  std::size_t size = 0;
  bool whole = true;
  // In the header: a set is made of dozens of these.
  void number(std::uint32_t value, std::size_t bytes_of_it) noexcept {
    if (size + bytes_of_it > bytes.size()) {
      whole = false;
      return;
    }
    for (std::size_t i = 0; i < bytes_of_it; ++i) bytes[size + i] = static_cast<std::uint8_t>(value >> (8 * i));
    size += bytes_of_it;
  }
  void u8(std::uint8_t value) noexcept { number(value, 1); }
  void u16(std::uint16_t value) noexcept { number(value, 2); }
  void u32(std::uint32_t value) noexcept { number(value, 4); }
  void i32(std::int32_t value) noexcept { number(static_cast<std::uint32_t>(value), 4); }
  void text(std::string_view text) noexcept;
  std::span<const std::uint8_t> payload() const noexcept { return std::span(bytes).first(size); }
};

}  // namespace gyrax::wire
