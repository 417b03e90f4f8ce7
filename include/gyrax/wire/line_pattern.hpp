/// A line of text with named places, as a rig describes it: "ack {number}", "state={state} X{X} Y{Y}".
///
/// In: the pattern; a line, or words for its places. Out: what stands at each place, or the whole line. Never: a
/// guess; a line fits whole or not at all.
///
///     std::string why;
///     const auto pattern = wire::LinePattern::parse("error {code}: {words}", why);
///     if (const auto found = pattern->match(line)) found->at("code") …
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace gyrax::wire {

class LinePattern {
 public:
  /// Fits nothing.
  LinePattern() = default;
  /// `{name}` is a place: letters, digits and underscores; `{{` stands for a brace. nullopt where it is not that, or
  /// where two places touch, so that nothing tells where one ends; then `why` says so.
  static std::optional<LinePattern> parse(std::string_view text, std::string& why);

  bool empty() const noexcept { return parts_.empty(); }
  bool has(std::string_view place) const noexcept;
  using Found = std::map<std::string, std::string_view, std::less<>>;
  /// What stands at each place, in `line`. A place holds at least a character, and ends where what follows it in the
  /// pattern is found first. The same place twice has to hold the same.
  std::optional<Found> match(std::string_view line) const;
  std::string fill(const std::function<std::string(std::string_view place)>& words) const;
  /// As it was written.
  const std::string& text() const noexcept { return text_; }

 private:
  struct Part {
    bool is_place = false;
    std::string text;  // the name of a place
  };
  std::vector<Part> parts_;
  std::string text_;
};

/// The whole of it as a finite decimal number, with a sign before it or none; nullopt otherwise.
std::optional<double> number_of(std::string_view text) noexcept;

}  // namespace gyrax::wire
