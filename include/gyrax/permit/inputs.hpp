/// What a link reports besides its axes, and how far a number of it may go.
///
/// In: what was reported, and when it was measured. Out: whether it is beyond its bounds, and for how long. Never: a
/// value for what nobody reported.
///
///     InputWatch load({.high = 80, .hysteresis = 5, .grace = 200ms});
///     load.see(93, measured);
///     if (load.is_too_long_beyond(now)) …
#pragma once

#include <gyrax/base/ids.hpp>
#include <gyrax/base/time.hpp>

#include <cstdint>
#include <limits>

namespace gyrax {

/// What an input is known to be. What is stale is unknown, and unknown is not good.
enum class InputState : std::uint8_t { unknown, off, on };

/// How far a number may go, in its input's unit.
struct InputBounds {
  double low = -std::numeric_limits<double>::infinity(), high = std::numeric_limits<double>::infinity();
  double hysteresis = 0;  ///< it has come back once it is this far inside them, ≥ 0
  Span grace{};           ///< it may be beyond them for so long before that is a fault
};

struct InputSetup {
  LinkId link{};
  InputBounds bounds{};
};

enum class Beyond : std::uint8_t { no, low, high };

class InputWatch {
 public:
  explicit InputWatch(const InputBounds& bounds) noexcept : bounds_(bounds) {}
  void see(double value, Time measured) noexcept;
  /// From when it went beyond a bound until it has come back by its hysteresis.
  Beyond beyond() const noexcept { return beyond_; }
  bool is_too_long_beyond(Time now) const noexcept { return beyond_ != Beyond::no && now - since_ >= bounds_.grace; }

 private:
  InputBounds bounds_;
  Beyond beyond_ = Beyond::no;
  Time since_{};
};

}  // namespace gyrax
