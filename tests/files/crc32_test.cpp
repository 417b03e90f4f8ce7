// The check of a logbook's bytes, against the definition bit by bit.
#include <gyrax/files/crc32.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>

#include <string>

using namespace gyrax;

namespace {

std::uint32_t bit_by_bit(const std::string& bytes) {
  std::uint32_t c = 0xffffffff;
  for (const char byte : bytes)
    for (unsigned bit = 0; bit < 8; ++bit) {
      const bool one = ((c ^ static_cast<unsigned char>(byte) >> bit) & 1) != 0;
      c = one ? c >> 1 ^ 0xEDB88320 : c >> 1;
    }
  return ~c;
}

}  // namespace

TEST_CASE("CRC-32 is that of zip: its check value, and the definition for any bytes of any length") {
  CHECK(crc32("") == 0);
  CHECK(crc32("123456789") == 0xCBF43926);
  std::mt19937_64 random(test::seed());
  for (std::size_t length = 0; length < 200; ++length) {
    std::string bytes(length, '\0');
    for (char& byte : bytes) byte = static_cast<char>(random());
    CAPTURE(length);
    CHECK(crc32(bytes) == bit_by_bit(bytes));
  }
}
