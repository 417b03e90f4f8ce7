/// How long an axis may run that nothing measures: an actuator with end switches of its own, a motor. Neither end nor
/// heat is seen, so time has to bound both.
///
/// In: which way the axis moved up to now. Out: whether it has to rest. Never: a stop by itself; that is the engine's.
///
///     duty.pass(now, motion.state().v > 0 ? 1 : 0);
///     if (duty.rests()) …
#pragma once

#include <gyrax/base/time.hpp>

#include <vector>

namespace gyrax {

struct DutyLimits {
  Span max_run{};    ///< longest run in one direction; 0: none. A pause shorter than `rest` does not begin a new run
  Span rest{};       ///< how long it stands after that, and after it has run for its share
  double share = 1;  ///< (0, 1]: of any time of the length `over`, it runs for so much at most; 1: always
  Span over{};       ///< > 0 where `share` is below 1
  bool any() const noexcept { return max_run > Span{} || share < 1; }
};

class Duty {
 public:
  explicit Duty(const DutyLimits& limits);

  /// It has moved this way since the last call: -1, 1, or not at all (0).
  void pass(Time now, int direction) noexcept;
  /// It has run for as long as it may, and has to stand: until `rest` is over and a tenth of its share is free again.
  bool rests() const noexcept { return rests_; }

 private:
  void count(Time now, Span run) noexcept;

  DutyLimits limits_;
  std::vector<Span> runs_;  // of the last `over`, by parts of it; the one that is under way is the last that was begun
  std::size_t part_ = 0;
  Time part_since_{}, last_{}, stands_since_{};
  Span ran_{}, used_{};  // in one direction; of the last `over`
  int direction_ = 0;
  bool started_ = false, rests_ = false;
};

}  // namespace gyrax
