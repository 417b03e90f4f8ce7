// Names of what a rig describes: each once, and told where one is not there. Private to the rig room.
#pragma once

#include "../files/toml_reader.hpp"

#include <gyrax/base/ids.hpp>

#include <fmt/format.h>

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace gyrax {

/// The rows of names of one kind.
using Names = std::map<std::string, std::size_t>;

/// The row of a name; told where there is none.
std::optional<std::size_t> row_named(Table& table, const char* key, const Names& names, const std::string& word,
                                     const char* kind);

template <class Id>
Id named(Table& table, const char* key, const Names& names, const std::string& word, const char* kind) {
  const auto row = row_named(table, key, names, word, kind);
  return row ? id_at<Id>(*row) : no<Id>;
}

/// What a key names; where there is one alone it need not be said.
template <class Id>
Id pick(Table& table, const char* key, const Names& names, const char* kind) {
  if (const auto word = table.text(key)) return named<Id>(table, key, names, *word, kind);
  if (names.size() == 1) return id_at<Id>(0);
  if (!table.has(key)) table.missing(key, fmt::format("there are {} of them: say which {}", names.size(), kind));
  return no<Id>;
}

}  // namespace gyrax
