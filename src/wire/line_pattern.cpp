#include <gyrax/wire/line_pattern.hpp>

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>

namespace gyrax::wire {
namespace {

bool is_name(std::string_view text) {
  return !text.empty() && std::ranges::all_of(text, [](unsigned char c) { return std::isalnum(c) != 0 || c == '_'; });
}

}  // namespace

std::optional<LinePattern> LinePattern::parse(std::string_view text, std::string& why) {
  LinePattern made;
  made.text_ = text;
  std::string literal;
  const auto end_literal = [&] {
    if (!literal.empty()) made.parts_.push_back({false, literal});
    literal.clear();
  };
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] != '{' || text.substr(i, 2) == "{{") {
      if (text[i] == '{') ++i;
      literal += text[i];
      continue;
    }
    const std::size_t end = text.find('}', i);
    if (end == std::string_view::npos) {
      why = "a '{' is never closed";
      return std::nullopt;
    }
    const std::string_view name = text.substr(i + 1, end - i - 1);
    if (!is_name(name)) {
      why = "'{" + std::string(name) + "}' is no place: letters, digits and underscores";
      return std::nullopt;
    }
    end_literal();
    if (!made.parts_.empty() && made.parts_.back().is_place) {
      why = "between {" + made.parts_.back().text + "} and {" + std::string(name) + "} nothing tells them apart";
      return std::nullopt;
    }
    made.parts_.push_back({true, std::string(name)});
    i = end;
  }
  end_literal();
  return made;
}

bool LinePattern::has(std::string_view place) const noexcept {
  return std::ranges::any_of(parts_, [&](const Part& part) { return part.is_place && part.text == place; });
}

std::optional<LinePattern::Found> LinePattern::match(std::string_view line) const {
  if (parts_.empty()) return std::nullopt;
  Found found;
  for (std::size_t i = 0; i < parts_.size(); ++i) {
    const Part& part = parts_[i];
    if (!part.is_place) {
      if (!line.starts_with(part.text)) return std::nullopt;
      line.remove_prefix(part.text.size());
      continue;
    }
    // At least a character, so that what follows is looked for behind the first.
    std::size_t end = line.size();
    if (i + 1 < parts_.size()) end = line.empty() ? std::string_view::npos : line.find(parts_[i + 1].text, 1);
    if (end == 0 || end == std::string_view::npos) return std::nullopt;
    const auto [there, fresh] = found.emplace(part.text, line.substr(0, end));
    if (!fresh && there->second != line.substr(0, end)) return std::nullopt;
    line.remove_prefix(end);
  }
  return line.empty() ? std::optional(std::move(found)) : std::nullopt;
}

std::string LinePattern::fill(const std::function<std::string(std::string_view place)>& words) const {
  std::string line;
  for (const Part& part : parts_) line += part.is_place ? words(part.text) : part.text;
  return line;
}

std::optional<double> number_of(std::string_view text) noexcept {
  if (text.starts_with('+')) text.remove_prefix(1);
  double value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value, std::chars_format::fixed);
  if (error != std::errc() || end != text.data() + text.size() || !std::isfinite(value)) return std::nullopt;
  return value;
}

}  // namespace gyrax::wire
