#include <gyrax/permit/brake.hpp>

namespace gyrax {

Brake::State Brake::next(Time now, const Now& is) const noexcept {
  // Without power it holds by itself, whatever it was told.
  if (!is.powered) return State::closed;
  switch (state_) {
    case State::closed:
      return is.wanted && is.stands && now - powered_since_ >= times_.power ? State::opening : State::closed;
    case State::opening:
      if (!is.wanted) return State::closing;
      return now - since_ >= times_.opens ? State::open : State::opening;
    case State::open: return is.wanted ? State::open : State::closing;
    case State::closing: return now - since_ >= times_.closes ? State::closed : State::closing;
  }
  return State::closed;
}

bool Brake::pass(Time now, const Now& is) noexcept {
  if (is.powered && !powered_) powered_since_ = now;
  powered_ = is.powered;
  const State then = next(now, is);
  if (then == state_) return false;
  state_ = then;
  since_ = now;
  return true;
}

}  // namespace gyrax
