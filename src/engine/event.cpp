#include <gyrax/engine/event.hpp>

namespace gyrax {

void EventRing::write(const Event& event) noexcept {
  if (count_ == events_.size()) {
    first_ = (first_ + 1) % events_.size();
    --count_;
    ++overwritten_;
  }
  events_[(first_ + count_) % events_.size()] = event;
  ++count_;
}

bool EventRing::read(Event& event) noexcept {
  if (count_ == 0) return false;
  event = events_[first_];
  first_ = (first_ + 1) % events_.size();
  --count_;
  return true;
}

}  // namespace gyrax
