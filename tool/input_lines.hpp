// What a person, or a script, types beside what goes on.
#pragma once

#include <poll.h>
#include <unistd.h>

#include <string>
#include <utility>
#include <vector>

namespace gyrax::tool {

/// Whole lines of standard input, as they come.
class InputLines {
 public:
  /// To wait for; -1 where no more come.
  int descriptor() const { return ended_ ? -1 : STDIN_FILENO; }
  /// Without a wait.
  std::vector<std::string> next() {
    std::vector<std::string> lines;
    pollfd waits{STDIN_FILENO, POLLIN, 0};
    while (!ended_ && ::poll(&waits, 1, 0) > 0) {
      char some[256];
      const ssize_t count = ::read(STDIN_FILENO, some, sizeof some);
      ended_ = count <= 0;
      if (count > 0) text_.append(some, static_cast<std::size_t>(count));
    }
    for (std::size_t end = text_.find('\n'); end != std::string::npos; end = text_.find('\n')) {
      lines.push_back(text_.substr(0, end));
      text_.erase(0, end + 1);
    }
    // A last line may have no end.
    if (ended_ && !text_.empty()) lines.push_back(std::exchange(text_, {}));
    return lines;
  }

 private:
  std::string text_;
  bool ended_ = false;
};

}  // namespace gyrax::tool
