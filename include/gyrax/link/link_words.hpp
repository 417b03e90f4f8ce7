/// What a link says to a person, handed from the engine's thread to any other: of its wire, and of what is spoken
/// there.
///
/// In: words; a wire. Out: the next of them. Never: a wait of the engine's thread.
#pragma once

#include <gyrax/wire/port.hpp>

#include <mutex>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace gyrax {

class LinkWords {
 public:
  /// Takes what a talk has to say, unless somebody reads just then: it is there the next time.
  template <class Talk>
  void take_from(Talk& talk) {
    const std::unique_lock lock(mutex_, std::try_to_lock);
    if (!lock) return;
    while (auto words = talk.said()) words_.push_back(std::move(*words));
  }
  /// The wire's first: that it is open, gone, or cannot be opened, once until it is something else.
  std::optional<std::string> next(const wire::Port& port, const std::string& name);

 private:
  std::mutex mutex_;
  std::vector<std::string> words_;
  std::string told_;  // of the wire
};

}  // namespace gyrax
