// What the TOML package must not be given, found before it parses.
//
// In: a text. Out: the first place in it that would take the package into undefined behaviour or use up its stack, with
// what is wrong there; none for any text that is valid TOML 1.0, but for keys of very many names and a letter beyond
// ASCII right after a backslash.
#pragma once

#include <cstddef>
#include <optional>
#include <string_view>

namespace gyrax {

/// The most names that a key may have, with dots between them.
inline constexpr std::size_t max_names = 16;

struct Unparsable {
  int line = 1, column = 1;
  const char *what = "", *allowed = "";
};

std::optional<Unparsable> unparsable(std::string_view text);

}  // namespace gyrax
