#include <gyrax/files/crc32.hpp>
#include <gyrax/wire/frames.hpp>

#include <algorithm>
#include <bit>
#include <cstring>

namespace gyrax::wire {
namespace {

std::uint32_t sum_of(std::span<const std::uint8_t> bytes) noexcept {
  return crc32({reinterpret_cast<const char*>(bytes.data()), bytes.size()});
}

void put(std::uint8_t* at, std::uint32_t value, std::size_t bytes) noexcept {
  for (std::size_t i = 0; i < bytes; ++i) at[i] = static_cast<std::uint8_t>(value >> (8 * i));
}

/// The first is the least significant one.
std::uint64_t eight(const std::uint8_t* at) noexcept {
  std::uint64_t word = 0;
  for (int i = 0; i < 8; ++i) word |= std::uint64_t{at[i]} << (8 * i);
  return word;
}

constexpr const char* names[] = {"message", "greet",   "ask",    "assign",   "set",   "stop",    "store",  "more",
                                 "welcome", "channel", "report", "readings", "print", "refused", "result", "kind 15"};

}  // namespace

const char* name_of(Kind kind) noexcept { return names[static_cast<std::size_t>(kind) & 15]; }

std::size_t pack(const Frame& frame, std::span<std::uint8_t> bytes) noexcept {
  const std::size_t size = head_bytes + frame.payload.size() + sum_bytes;
  if (frame.payload.size() > max_payload || size + 3 > bytes.size()) return 0;
  // The frame stands where it will be on the wire; then each zero becomes the distance to the next.
  std::uint8_t* plain = bytes.data() + 2;
  plain[0] = static_cast<std::uint8_t>(frame.version << 4 | (static_cast<std::uint8_t>(frame.kind) & 15));
  plain[1] = frame.address;
  put(plain + 2, frame.sequence, 2);
  put(plain + 4, frame.session, 4);
  if (!frame.payload.empty()) std::memcpy(plain + head_bytes, frame.payload.data(), frame.payload.size());
  put(plain + size - sum_bytes, sum_of({plain, size - sum_bytes}), sum_bytes);
  // Eight bytes at a time: the high bit of each byte of `zeros` says that it is one.
  std::size_t zero = 0;
  const auto found = [&](std::size_t at) {
    bytes[1 + zero] = static_cast<std::uint8_t>(at - zero);
    zero = at;
  };
  std::size_t at = 1;
  for (; at + 8 <= size + 1; at += 8) {
    constexpr std::uint64_t low = 0x7f7f7f7f7f7f7f7f;
    const std::uint64_t word = eight(bytes.data() + 1 + at);
    for (std::uint64_t zeros = ~(((word & low) + low) | word | low); zeros != 0; zeros &= zeros - 1)
      found(at + static_cast<std::size_t>(std::countr_zero(zeros)) / 8);
  }
  for (; at < size + 1; ++at)
    if (bytes[1 + at] == 0) found(at);
  found(size + 1);
  bytes[0] = 0;
  plain[size] = 0;
  return size + 3;
}

bool Receiver::take(std::uint8_t byte) noexcept {
  if (byte == 0) {
    const bool whole = in_frame_ && holds();
    if (in_frame_ && !whole) ++bad_;
    in_frame_ = spoiled_ = false;
    count_ = 0;
    return whole;
  }
  if (!in_frame_) {
    in_frame_ = true;
    until_zero_ = static_cast<std::uint8_t>(byte - 1);
  } else if (spoiled_ || count_ == bytes_.size()) {
    spoiled_ = true;
  } else if (until_zero_ == 0) {
    bytes_[count_++] = 0;
    until_zero_ = static_cast<std::uint8_t>(byte - 1);
  } else {
    bytes_[count_++] = byte;
    --until_zero_;
  }
  return false;
}

bool Receiver::holds() noexcept {
  if (spoiled_ || until_zero_ != 0 || count_ < head_bytes + sum_bytes) return false;
  const std::span<const std::uint8_t> all = std::span(bytes_).first(count_), body = all.first(count_ - sum_bytes);
  if (Reader{all.last(sum_bytes)}.u32() != sum_of(body)) return false;
  Reader head{body};
  const std::uint8_t first = head.u8();
  frame_.version = first >> 4;
  frame_.kind = static_cast<Kind>(first & 15);
  frame_.address = head.u8();
  frame_.sequence = head.u16();
  frame_.session = head.u32();
  frame_.payload = head.left;
  return true;
}

std::uint32_t Reader::number(std::size_t bytes) noexcept {
  if (left.size() < bytes) {
    whole = false;
    left = {};
    return 0;
  }
  std::uint32_t value = 0;
  for (std::size_t i = 0; i < bytes; ++i) value |= std::uint32_t{left[i]} << (8 * i);
  left = left.subspan(bytes);
  return value;
}

std::string_view Reader::text() noexcept {
  const std::string_view all(reinterpret_cast<const char*>(left.data()), left.size());
  left = {};
  return all;
}

void Writer::text(std::string_view text) noexcept {
  const std::size_t fits = std::min(text.size(), bytes.size() - size);
  if (fits != 0) std::memcpy(bytes.data() + size, text.data(), fits);
  size += fits;
  whole = whole && fits == text.size();
}

}  // namespace gyrax::wire
