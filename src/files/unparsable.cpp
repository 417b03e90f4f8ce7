#include "unparsable.hpp"

#include <string>

namespace gyrax {
namespace {

static_assert(max_names == 16, "a message below says so");

bool among(char c, std::string_view some) { return some.find(c) != std::string_view::npos; }
bool beyond_ascii(char c) { return static_cast<unsigned char>(c) >= 0x80; }

/// Walks through a text, so far as it takes to know what is inside strings and comments. The package tells blanks by a
/// table that ends in undefined behaviour for some letters beyond ASCII. In valid TOML they stand in strings and
/// comments alone, where it does not ask; so what is refused here is what would make it take the inside of a string for
/// the outside.
class Walk {
 public:
  explicit Walk(std::string_view text) : text_(text) {}

  std::optional<Unparsable> go() {
    if (text_.starts_with("\xef\xbb\xbf")) at_ = begin_ = 3;
    for (; at_ < text_.size() && !found_; ++at_) {
      if (text_[at_] == '\n') {
        line_end();
      } else if (!quote_.empty()) {
        inside(text_[at_]);
      } else if (!comment_) {
        outside(text_[at_]);
      }
    }
    return found_;
  }

 private:
  void refuse(const char* what, const char* allowed) {
    found_ = Unparsable{line_, static_cast<int>(at_ - begin_) + 1, what, allowed};
  }

  void line_end() {
    if (quote_.empty()) before_ = '\n';
    comment_ = false;
    if (quote_.size() == 1) quote_ = {};  // not closed; the package says so
    if (nested_.empty()) in_value_ = false;
    names_ = 1;
    ++line_;
    begin_ = at_ + 1;
  }

  void inside(char c) {
    if (c == '\\' && quote_.front() == '"') {
      // Blanks and lines' ends after it are left out, and the package looks at what comes then as at a blank.
      const std::size_t next = text_.find_first_not_of(" \t\r\n\v\f", at_ + 1);
      if (next != std::string_view::npos && beyond_ascii(text_[next]))
        return refuse("a letter beyond ASCII right after a backslash",
                      "a letter of ASCII between them, or no backslash");
      if (at_ + 1 < text_.size() && text_[at_ + 1] != '\n') ++at_;
    } else if (text_.substr(at_).starts_with(quote_)) {
      at_ += quote_.size() - 1;
      // One or two quotes may stand right before the three that close.
      for (int more = 0; quote_.size() == 3 && more < 2 && at_ + 1 < text_.size() && text_[at_ + 1] == c; ++more) ++at_;
      quote_ = {};
    }
  }

  void outside(char c) {
    if (c == '#') {
      comment_ = true;
      return;
    }
    if (beyond_ascii(c))
      return refuse("a letter that only a text in quotes or a comment may hold",
                    "a to z, 0 to 9, _ and - in keys and names");
    if (c == '"' || c == '\'') {
      if (!among(before_, "\n=,[{") && (before_ != '.' || in_value_))
        return refuse("a quote where no text can begin", "a text in quotes is a whole value or a name of a key");
      const std::string_view three = c == '"' ? "\"\"\"" : "'''";
      quote_ = text_.substr(at_).starts_with(three) ? three : three.substr(0, 1);
      at_ += quote_.size() - 1;
    }
    structure(c);
    if (!among(c, " \t\r")) before_ = c;
  }

  void structure(char c) {
    if (among(c, "[{") && !among(before_, "\n=,["))
      return refuse("a bracket where no value can begin", "a list or a table is a whole value");
    if (c == '=' && in_value_) return refuse("a second '='", "key = value");
    if (c == '{' || (c == '[' && in_value_)) nested_ += c;
    if (among(c, "]}") && !nested_.empty()) nested_.pop_back();
    if (c == '=') in_value_ = true;
    if (c == '{') in_value_ = false;
    if (c == '}') in_value_ = true;
    if (c == ',' && !nested_.empty()) in_value_ = nested_.back() == '[';
    if (among(c, "=,[]{}")) names_ = 1;
    if (c == '.' && ++names_ > max_names) refuse("a key of too many names", "at most 16 of them, with dots between");
  }

  std::string_view text_;
  std::size_t at_ = 0, begin_ = 0;  // begin: of the line
  int line_ = 1;
  std::string_view quote_;  // of the string that we are in; empty outside
  bool comment_ = false;
  char before_ = '\n';     // outside strings and comments, but for blanks
  bool in_value_ = false;  // a value, not a key
  std::string nested_;     // the brackets that are open in a value
  std::size_t names_ = 1;  // in this key
  std::optional<Unparsable> found_;
};

}  // namespace

std::optional<Unparsable> unparsable(std::string_view text) { return Walk(text).go(); }

}  // namespace gyrax
