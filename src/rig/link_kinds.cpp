#include "link_kinds.hpp"

#include <fmt/format.h>

namespace gyrax {
namespace {

struct LinkKey {
  const char* key;
  Allowed allowed;
  double usual;
};
/// A row for each kind; how it is made is a line of src/link/kinds.cpp.
struct KindRow {
  const char* kind;
  std::vector<LinkKey> keys;
};
const std::vector<KindRow> kinds{{"simulated",
                                  {{"lag_ms", {0, 1000, false, "ms"}, 12},   // with which an axis follows
                                   {"delay_ms", {0, 1000, false, "ms"}, 2},  // from measuring to the report's arrival
                                   {"report_ms", {0, 1000, true, "ms"}, 4},  // between two reports
                                   {"speed_percent", {0, 1000, true, "%"}, 130},  // an axis's own limit, of the rig's
                                   {"decel_percent", {0, 1000, true, "%"}, 100}}}};  // with which it stops by itself

const KindRow* kind_named(const std::string& name) {
  for (const KindRow& row : kinds)
    if (name == row.kind) return &row;
  return nullptr;
}

}  // namespace

void read_kind(Table& link, LinkInfo& info) {
  std::vector<std::string> names;
  for (const KindRow& row : kinds) names.emplace_back(row.kind);
  const auto kind = link.choice("kind", names);
  if (!link.has("kind")) link.missing("kind", fmt::format("kind = \"{}\"", names.front()));
  info.kind = kind.value_or(names.front());
  if (auto table = link.table(info.kind.c_str())) {
    for (const LinkKey& key : kind_named(info.kind)->keys)
      info.numbers[key.key] = table->number(key.key, key.allowed, key.usual);
    table->refuse_the_rest();
  }
  const std::string known = info.kind;
  info = with_usual(std::move(info), known);
}

LinkInfo with_usual(LinkInfo link, const std::string& kind) {
  if (const KindRow* row = kind_named(kind))
    for (const LinkKey& key : row->keys) link.numbers.try_emplace(key.key, key.usual);
  return link;
}

std::string link_words(const LinkInfo& link) {
  std::string text = link.kind;
  if (const KindRow* row = kind_named(link.kind))
    for (const LinkKey& key : row->keys) text += fmt::format(", {} {:g}", key.key, link.number(key.key));
  return text;
}

}  // namespace gyrax
