#include <gyrax/link/link_words.hpp>

namespace gyrax {

std::optional<std::string> LinkWords::next(const wire::Port& port, const std::string& name) {
  const std::string trouble = port.trouble();
  const std::string now = port.is_open() ? " is open" : !trouble.empty() ? " cannot be opened: " + trouble : " is gone";
  if (now != told_ && !(told_.empty() && now == " is gone")) {
    told_ = now;
    return name + ": " + port.place().words() + now;
  }
  const std::lock_guard lock(mutex_);
  if (words_.empty()) return std::nullopt;
  std::string first = std::move(words_.front());
  words_.erase(words_.begin());
  return first;
}

}  // namespace gyrax
