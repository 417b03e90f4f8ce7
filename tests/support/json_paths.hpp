// What fields JSON documents have, and what docs/json.md says that they have.
#pragma once

#include <nlohmann/json.hpp>

#include <map>
#include <set>
#include <sstream>
#include <string>

namespace gyrax::test {

/// "axes[].axis" → the types that were seen there.
using JsonPaths = std::map<std::string, std::set<std::string>>;

inline void add_paths(const nlohmann::json& value, const std::string& path, JsonPaths& all) {
  if (value.is_object()) {
    for (const auto& [key, inner] : value.items()) add_paths(inner, path.empty() ? key : path + "." + key, all);
  } else if (value.is_array()) {
    for (const auto& inner : value) add_paths(inner, path + "[]", all);
  } else {
    all[path].insert(value.type_name());
  }
}

/// The fields of one section, "## check" up to the next "## ".
inline JsonPaths documented(const std::string& text, const std::string& section) {
  JsonPaths all;
  std::istringstream lines(text.substr(text.find("\n## " + section + "\n") + 1));
  std::string line;
  std::getline(lines, line);
  while (std::getline(lines, line) && !line.starts_with("## ") && !line.starts_with("### ")) {
    if (!line.starts_with("| `")) continue;
    const std::size_t first = line.find(" | "), second = line.find(" | ", first + 3);
    std::set<std::string> types;
    std::istringstream words(line.substr(first + 3, second - first - 3));
    for (std::string word; words >> word;) types.insert(word.substr(0, word.find(',')));
    for (std::size_t at = line.find('`'); at < first; at = line.find('`', at + 1)) {
      const std::size_t end = line.find('`', at + 1);
      all[line.substr(at + 1, end - at - 1)] = types;
      at = end;
    }
  }
  return all;
}

/// The row that a field belongs to: its own, or one that ends in ".*".
inline std::string row_of(const JsonPaths& rows, const std::string& path) {
  if (rows.contains(path)) return path;
  for (std::size_t dot = path.rfind('.'); dot != std::string::npos && dot > 0; dot = path.rfind('.', dot - 1))
    if (rows.contains(path.substr(0, dot) + ".*")) return path.substr(0, dot) + ".*";
  return {};
}

}  // namespace gyrax::test
