#include <gyrax/files/crc32.hpp>

#include <array>
#include <cstddef>

namespace gyrax {
namespace {

constexpr std::uint32_t polynomial = 0xEDB88320;  // reflected

/// [0]: what a byte makes of nothing; [n]: the same with n bytes of zeros behind it. Sixteen bytes go in one step (M.
/// Kounavis and F. Berry, A Systematic Approach to Building High Performance Software-based CRC Generators, ISCC 2005).
constexpr auto tables = [] {
  std::array<std::array<std::uint32_t, 256>, 16> t{};
  for (std::uint32_t byte = 0; byte < 256; ++byte) {
    std::uint32_t c = byte;
    for (int bit = 0; bit < 8; ++bit) c = (c & 1) != 0 ? c >> 1 ^ polynomial : c >> 1;
    t[0][byte] = c;
  }
  for (std::size_t n = 1; n < 16; ++n)
    for (std::size_t byte = 0; byte < 256; ++byte) t[n][byte] = t[n - 1][byte] >> 8 ^ t[0][t[n - 1][byte] & 0xff];
  return t;
}();

/// Four bytes as a number, the first the least.
std::uint32_t little_endian(const char* at) noexcept {
  std::uint32_t word = 0;
  for (int byte = 0; byte < 4; ++byte) word |= std::uint32_t{static_cast<unsigned char>(at[byte])} << (8 * byte);
  return word;
}

}  // namespace

std::uint32_t crc32(std::string_view bytes) noexcept {
  std::uint32_t c = 0xffffffff;
  const char* at = bytes.data();
  std::size_t left = bytes.size();
  for (; left >= 16; at += 16, left -= 16) {
    const std::uint32_t words[] = {little_endian(at) ^ c, little_endian(at + 4), little_endian(at + 8),
                                   little_endian(at + 12)};
    c = 0;
    for (std::size_t byte = 0; byte < 16; ++byte) c ^= tables[15 - byte][words[byte / 4] >> (8 * (byte % 4)) & 0xff];
  }
  for (; left >= 4; at += 4, left -= 4) {
    const std::uint32_t word = little_endian(at) ^ c;
    c = 0;
    for (std::size_t byte = 0; byte < 4; ++byte) c ^= tables[3 - byte][word >> (8 * byte) & 0xff];
  }
  for (; left > 0; ++at, --left) c = tables[0][(c ^ static_cast<unsigned char>(*at)) & 0xff] ^ c >> 8;
  return ~c;
}

}  // namespace gyrax
