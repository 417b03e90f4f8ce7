#include <gyrax/files/json_text.hpp>

#include <fmt/format.h>

#include <cstddef>

namespace gyrax::detail {
namespace {

constexpr std::string_view mark = "\xF4\x8F";  // begins U+10F000 to U+10FFFF

/// How many bytes the character at the start takes; 0: it is none (RFC 3629, 4).
std::size_t size_of_first(std::string_view text) noexcept {
  const auto byte = [&](std::size_t i) { return i < text.size() ? static_cast<unsigned char>(text[i]) : 0u; };
  const auto follows = [&](std::size_t i, unsigned low = 0x80, unsigned high = 0xbf) {
    return byte(i) >= low && byte(i) <= high;
  };
  const unsigned first = byte(0);
  if (first < 0x80) return 1;
  if (first >= 0xc2 && first <= 0xdf) return follows(1) ? 2 : 0;
  if (first >= 0xe0 && first <= 0xef) {
    const unsigned low = first == 0xe0 ? 0xa0 : 0x80, high = first == 0xed ? 0x9f : 0xbf;
    return follows(1, low, high) && follows(2) ? 3 : 0;
  }
  if (first >= 0xf0 && first <= 0xf4) {
    const unsigned low = first == 0xf0 ? 0x90 : 0x80, high = first == 0xf4 ? 0x8f : 0xbf;
    return follows(1, low, high) && follows(2) && follows(3) ? 4 : 0;
  }
  return 0;
}

/// U+10FF80 to U+10FFFF.
bool is_mark(std::string_view text) noexcept {
  return text.starts_with(mark) && text.size() >= 4 && static_cast<unsigned char>(text[2]) >= 0xbe;
}

}  // namespace

bool is_plain_utf8(std::string_view text) noexcept {
  while (!text.empty()) {
    const std::size_t size = size_of_first(text);
    if (size == 0 || is_mark(text)) return false;
    text.remove_prefix(size);
  }
  return true;
}

std::string with_bytes_marked(std::string_view text) {
  std::string all;
  while (!text.empty()) {
    const std::size_t size = size_of_first(text);
    const std::size_t take = size == 0 || is_mark(text) ? 1 : size;
    if (take == size) {
      all += text.substr(0, size);
    } else {
      const auto byte = static_cast<unsigned char>(text[0]);
      all += mark;
      all += static_cast<char>(0xbc | byte >> 6);
      all += static_cast<char>(0x80 | (byte & 0x3f));
    }
    text.remove_prefix(take);
  }
  return all;
}

std::string with_marks_escaped(std::string json) {
  for (std::size_t at = json.find(mark); at != std::string::npos; at = json.find(mark, at)) {
    if (!is_mark(std::string_view(json).substr(at))) {
      at += mark.size();
      continue;
    }
    const unsigned byte =
        (static_cast<unsigned char>(json[at + 2]) & 3u) << 6 | (static_cast<unsigned char>(json[at + 3]) & 0x3fu);
    json.replace(at, 4, fmt::format("\\udc{:02x}", byte));
  }
  return json;
}

}  // namespace gyrax::detail
