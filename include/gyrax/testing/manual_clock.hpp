/// A clock that stands still until you turn it.
///
///     testing::ManualClock clock;
///     clock.turn(std::chrono::milliseconds(2));
#pragma once

#include <gyrax/base/time.hpp>

namespace gyrax::testing {

class ManualClock {
 public:
  Time now() const { return now_; }
  /// Forward, or back with a negative span.
  Time turn(Span by) { return now_ += by; }

 private:
  Time now_{};
};

}  // namespace gyrax::testing
