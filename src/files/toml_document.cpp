#include "toml_parser.hpp"
#include "unparsable.hpp"

#include <fmt/format.h>

#include <sstream>

namespace gyrax {
namespace {

/// What a text describes twice, as it stands there: the parser only says that it may not.
std::optional<std::string> described_twice(const std::string& text, const toml::parse_error& error) {
  if (error.description().find("redefine") == std::string_view::npos) return std::nullopt;
  std::istringstream lines(text);
  std::string line;
  for (toml::source_index i = 0; i < error.source().begin.line && std::getline(lines, line); ++i) continue;
  const bool header = line.starts_with('[');
  std::size_t end = header ? line.find(']') + 1 : line.find(" =");
  if (end == std::string::npos || end == 0) return std::nullopt;
  std::string name = line.substr(0, end);
  // Of a control with a gesture the control.
  if (const std::size_t dot = name.rfind("\"."); !header && dot != std::string::npos) name.resize(dot + 1);
  return name;
}

}  // namespace

std::optional<Document> Document::parse(const std::string& text, const std::string& file, Problems& problems) {
  if (const auto found = unparsable(text)) {
    problems.add(Code::syntax, {file, found->line, found->column}, "", found->what, found->allowed);
    return std::nullopt;
  }
  try {
    Document made;
    made.root_ = std::make_shared<const toml::table>(toml::parse(text, file));
    made.file_ = file;
    return made;
  } catch (const toml::parse_error& e) {
    const Place at = place(file, e.source());
    if (const auto twice = described_twice(text, e)) {
      problems.add(Code::duplicate_name, at, "", fmt::format("{} is described twice in this file", *twice),
                   twice->starts_with('[') ? "one table of that name, with all its lines"
                   : twice->starts_with('"')
                       ? fmt::format("one line; for several gestures {0}.press, {0}.hold and so on; for two things "
                                     "at once a list: {0} = [{{ … }}, {{ … }}]",
                                     *twice)
                       : std::string("one line"));
      return std::nullopt;
    }
    problems.add(Code::syntax, at, "", std::string(e.description()), "valid TOML 1.0 is wanted");
    return std::nullopt;
  }
}

}  // namespace gyrax
