/// CRC-32 as zip, gzip and PNG have it: polynomial 0x04C11DB7, reflected, all ones before and after (ISO/IEC 8802-3,
/// 3.2.9). Finds every flipped bit, every two within 2^32 - 1 bits, and every burst of 32.
///
///     gyrax::crc32("123456789") == 0xCBF43926
#pragma once

#include <cstdint>
#include <string_view>

namespace gyrax {

std::uint32_t crc32(std::string_view bytes) noexcept;

}  // namespace gyrax
