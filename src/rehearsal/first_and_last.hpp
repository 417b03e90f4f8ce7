// A list that keeps its beginning and its end. Private.
#pragma once

#include <gyrax/rehearsal/summary.hpp>

#include <algorithm>
#include <deque>
#include <iterator>
#include <utility>
#include <vector>

namespace gyrax {

/// Of anything with an at_s.
template <class T>
class FirstAndLast {
 public:
  void add(T one) {
    if (first_.size() < most_told) {
      first_.push_back(std::move(one));
      return;
    }
    last_.push_back(std::move(one));
    if (last_.size() <= most_told) return;
    const double at_s = last_.front().at_s;
    if (left_out_.count++ == 0) left_out_.from_s = at_s;
    left_out_.to_s = at_s;
    last_.pop_front();
  }
  /// Once: all that is kept, by time.
  std::vector<T> take() {
    std::move(last_.begin(), last_.end(), std::back_inserter(first_));
    std::ranges::stable_sort(first_, {}, &T::at_s);
    return std::move(first_);
  }
  const LeftOut& left_out() const { return left_out_; }

 private:
  std::vector<T> first_;
  std::deque<T> last_;
  LeftOut left_out_;
};

}  // namespace gyrax
