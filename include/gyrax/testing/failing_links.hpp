/// Links that fail at the Nth call, for N = 0, 1, 2 …: what a wire does that is about to break.
///
/// In: frames, and the calls that are to fail. Out: reports, or none.
///
///     testing::FailingLinks links(rig, 40, 10);      // calls 40 to 49: frames are lost, and so are reports
#pragma once

#include <gyrax/link/simulated.hpp>

#include <cstddef>
#include <limits>

namespace gyrax::testing {

class FailingLinks {
 public:
  /// One call is one send() with the reports() before it. `count` calls from the `first` on (from 0) fail.
  FailingLinks(const Rig& rig, std::size_t first, std::size_t count = std::numeric_limits<std::size_t>::max())
      : links_(rig), first_(first), count_(count) {}

  std::span<const LinkReport> reports(Time now) {
    const auto all = links_.reports(now);
    return fails() ? std::span<const LinkReport>{} : all;
  }
  void send(std::span<const Frame> frames) {
    if (!fails()) links_.send(frames);
    ++calls_;
  }
  bool fails() const { return calls_ >= first_ && calls_ - first_ < count_; }
  SimulatedLinks& machine() { return links_; }

 private:
  SimulatedLinks links_;
  std::size_t first_, count_, calls_ = 0;
};

}  // namespace gyrax::testing
