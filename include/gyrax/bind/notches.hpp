/// A list of numbers with a finger on one of them: rates, increments.
///
///     Notches<double> rate({5, 25, 100}, 2);
///     rate.move(-1);                       // 25
#pragma once

#include <cstddef>
#include <vector>

namespace gyrax {

template <class Value>
class Notches {
 public:
  Notches() = default;
  /// `start` < values.size(), unless there are none.
  Notches(std::vector<Value> values, std::size_t start) : values_(std::move(values)), at_(start) {}

  /// Moves the finger up or down the list and stops at its ends. Returns whether it moved.
  bool move(int by) noexcept {
    const std::size_t before = at_;
    for (; by > 0 && at_ + 1 < values_.size(); --by) ++at_;
    for (; by < 0 && at_ > 0; ++by) --at_;
    return at_ != before;
  }
  bool empty() const noexcept { return values_.empty(); }
  const Value& value() const noexcept { return values_[at_]; }
  std::size_t at() const noexcept { return at_; }

 private:
  std::vector<Value> values_;
  std::size_t at_ = 0;
};

}  // namespace gyrax
