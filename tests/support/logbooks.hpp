// Logbooks as text and back, so that a test can change a line and leave everything else right.
#pragma once

#include <gyrax/files/crc32.hpp>
#include <gyrax/logbook/pieces.hpp>

#include <fmt/format.h>

#include <memory>
#include <sstream>
#include <string>
#include <string_view>

namespace gyrax::test {

/// Every line of a logbook's bytes, as `zstd -d` shows them, up to where it ends.
inline std::string unpacked(const std::string& bytes) {
  PieceReader pieces(std::make_unique<std::istringstream>(bytes));
  std::string all;
  for (std::string text; pieces.next(text);) all += text;
  return all;
}

/// The bytes of a logbook with these lines: a piece up to each line that checks, with its check made right, and one for
/// what follows the last. The last piece closes it, unless told otherwise.
inline std::string packed(std::string_view lines, bool closed = true) {
  std::string bytes;
  std::uint32_t number = 0;
  while (!lines.empty()) {
    constexpr std::string_view check = "{\"check\":\"";
    const std::size_t at = lines.starts_with(check) ? 0 : lines.find("\n{\"check\":\"") + 1;
    const bool ends = at > 0 || lines.starts_with(check);
    const std::string_view text = lines.substr(0, ends ? at : lines.size());
    std::string_view rest = ends ? lines.substr(std::min(at + check.size() + 8, lines.size())) : std::string_view();
    const std::string_view tail =
        ends ? rest.substr(0, std::min(rest.find('\n'), rest.size() - 1) + 1) : "\",\"ticks\":0}\n";
    rest.remove_prefix(std::min(rest.size(), ends ? tail.size() : 0));
    bytes += pack_piece(fmt::format("{}{}{:08x}{}", text, check, crc32(text), tail),
                        {number++, false, closed && rest.empty()});
    lines = rest;
  }
  return bytes;
}

}  // namespace gyrax::test
