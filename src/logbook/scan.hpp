// A tick's line read from left to right, in the very form in which it is written. Private.
#pragma once

#include <charconv>
#include <cmath>
#include <cstdint>
#include <limits>
#include <string>
#include <string_view>
#include <system_error>

#include <fmt/format.h>

namespace gyrax {

/// What a line lacks; thrown inside this room alone.
struct Wrong {
  std::string what;
};

class Scan {
 public:
  explicit Scan(std::string_view line) : at_(line.data()), end_(line.data() + line.size()) {}

  bool take(char c) {
    if (at_ == end_ || *at_ != c) return false;
    ++at_;
    return true;
  }
  bool take(std::string_view words) {
    if (static_cast<std::size_t>(end_ - at_) < words.size() || std::string_view(at_, words.size()) != words)
      return false;
    at_ += words.size();
    return true;
  }
  void want(char c) {
    if (!take(c)) throw Wrong{fmt::format("'{}' is wanted, not '{}'", c, rest(12))};
  }
  bool at_end() const { return at_ == end_; }

  std::int64_t whole(std::int64_t least, std::int64_t most) {
    std::int64_t value = 0;
    const auto [stop, error] = std::from_chars(at_, end_, value);
    if (error == std::errc::result_out_of_range) throw Wrong{"a number is too great"};
    if (error != std::errc{}) throw Wrong{fmt::format("a whole number is wanted, not '{}'", rest(12))};
    at_ = stop;
    if (value < least || value > most) throw Wrong{fmt::format("{} is outside {} to {}", value, least, most)};
    return value;
  }

  /// The bits that were written, minus zero and what is not finite included.
  double number() {
    if (take("\"inf\"")) return HUGE_VAL;
    if (take("\"-inf\"")) return -HUGE_VAL;
    if (take("\"nan\"")) return std::numeric_limits<double>::quiet_NaN();
    if (take("\"-nan\"")) return -std::numeric_limits<double>::quiet_NaN();
    double value = 0;
    const auto [stop, error] = std::from_chars(at_, end_, value);
    if (error != std::errc{} || !std::isfinite(value))
      throw Wrong{fmt::format("a number is wanted, not '{}'", rest(12))};
    at_ = stop;
    return value;
  }

  /// Four figures of a sum.
  std::uint16_t sum() {
    std::uint16_t value = 0;
    want('"');
    const char* const from = at_;
    const auto [stop, error] = std::from_chars(at_, end_, value, 16);
    if (error != std::errc{} || stop != from + 4) throw Wrong{fmt::format("a sum is wanted, not '{}'", rest(12))};
    at_ = stop;
    want('"');
    return value;
  }

  /// A word between quotes; there is nothing to be escaped in one.
  std::string_view word() {
    want('"');
    const char* const from = at_;
    while (at_ != end_ && *at_ != '"') ++at_;
    const std::string_view text(from, static_cast<std::size_t>(at_ - from));
    want('"');
    return text;
  }

  /// Everything up to the end of this list, which was opened already. No word in it has a bracket.
  std::string_view list() {
    const char* const from = at_;
    for (int depth = 1; depth > 0; ++at_) {
      if (at_ == end_) throw Wrong{"a list is not closed"};
      depth += *at_ == '[' ? 1 : *at_ == ']' ? -1 : 0;
    }
    return {from, static_cast<std::size_t>(at_ - from) - 1};
  }

  /// Each element of a list that was opened already.
  template <class Read>
  void each(Read read) {
    if (take(']')) return;
    do {
      read();
    } while (take(','));
    want(']');
  }

  std::string rest(std::size_t most) const {
    const std::string_view all(at_, static_cast<std::size_t>(end_ - at_));
    return at_ == end_ ? "the end" : std::string(all.substr(0, most));
  }

 private:
  const char *at_, *end_;
};

}  // namespace gyrax
