// Looks for the handsets that hang on wires, each in a thread of its own: opens the wire, greets, asks. In: where they
// hang. Out: nodes that have settled. Never: a reading. Private.
#pragma once

#include "descriptor.hpp"
#include "wire_node.hpp"

#include <condition_variable>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <thread>
#include <vector>

namespace gyrax {

class WireSeeker {
 public:
  /// `told` is set when one is found, and when there is something new to say of one.
  WireSeeker(const std::vector<WiredPlace>& places, const BootClock& clock, EventDescriptor& told);
  ~WireSeeker();
  WireSeeker(const WireSeeker&) = delete;
  WireSeeker& operator=(const WireSeeker&) = delete;

  struct Found {
    std::size_t which = 0;
    std::shared_ptr<WireNode> node;
  };
  std::optional<Found> take();
  /// Its node is gone: it is looked for again, after a while.
  void again(std::size_t which);
  /// What is wrong with those that were not found, a sentence each.
  std::vector<std::string> notes();

 private:
  struct Wire {
    WiredPlace place;
    std::shared_ptr<WireNode> found;
    std::string trouble;
    bool wanted = true, soon = true;
  };
  void seek(std::size_t which);

  const BootClock clock_;
  EventDescriptor& told_;
  std::mutex lock_;
  std::condition_variable news_;
  std::vector<Wire> wires_;
  bool ending_ = false;
  std::vector<std::thread> threads_;  // last: what they use is there before they start
};

}  // namespace gyrax
