// Names of what a rig describes: each once, and told where one is not there.
#include "builder.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

std::vector<std::string> words(const Names& names) {
  std::vector<std::string> all;
  all.reserve(names.size());
  for (const auto& [name, row] : names) all.push_back(name);
  return all;
}

bool is_name(const std::string& name) {
  const auto good = [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '_' || c == '-'; };
  return !name.empty() && name.size() <= 40 && std::all_of(name.begin(), name.end(), good);
}

}  // namespace

bool RigBuilder::add_name(Table& table, Names& names, const std::string& name, const char* kind) {
  if (!is_name(name)) {
    table.problem(Code::bad_name, "", fmt::format("'{}' cannot be a name", name),
                  "a to z, 0 to 9, _ and -, at most 40");
    return false;
  }
  const auto [at, fresh] =
      described_.try_emplace(std::string(kind) + "." + name, Origin{table.file(), table.line(), 1});
  if (!fresh) {
    table.problem(Code::duplicate_name, "", fmt::format("{} '{}' is described twice", kind, name),
                  fmt::format("it stands at {}:{} already", at->second.file, at->second.line));
    return false;
  }
  const std::size_t row = names.size();
  names[name] = row;
  return true;
}

std::optional<std::size_t> row_named(Table& table, const char* key, const Names& names, const std::string& word,
                                     const char* kind) {
  const auto at = names.find(word);
  if (at != names.end()) return at->second;
  const std::string known = listed(words(names));
  table.problem(Code::unknown_name, key, fmt::format("there is no {} '{}'", kind, word),
                known.empty() ? fmt::format("describe one as [{}.{}]", kind, word) : "there are: " + known,
                nearest(word, words(names)));
  return std::nullopt;
}

}  // namespace gyrax
