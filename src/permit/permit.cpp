#include <gyrax/permit/permit.hpp>

namespace gyrax {

void Permit::note_stop(Cause cause) noexcept {
  const Category category = categories_[static_cast<std::size_t>(cause)];
  const bool under_way = stopping() || phase_ == Phase::tripped;
  if (!under_way || category < category_) category_ = category;
  // A fault explains more than the key that was let go because of it.
  if (!under_way || (about(cause).fault && !about(cause_).fault)) cause_ = cause;
}

Phase Permit::after(PermitEvent event) const noexcept {
  const bool ends = event == PermitEvent::stow || event == PermitEvent::stop || event == PermitEvent::fault;
  return next(phase_ == Phase::stowed && powered_ && ends ? Phase::ready : phase_, event);
}

bool Permit::apply(PermitEvent event, Cause cause) noexcept {
  const Phase before = phase_, then = after(event);
  const bool counts = then != before || stopping() || before == Phase::tripped;
  if (cause != Cause::none && counts) note_stop(cause);
  phase_ = then;
  if (event == PermitEvent::make_ready && before == Phase::stowed) powered_ = true;
  if (before != Phase::live && then == Phase::live) powered_ = true;
  if (stopping() && category_ == Category::zero) powered_ = false;
  if (phase_ == Phase::tripped && category_ != Category::two) powered_ = false;
  if (event == PermitEvent::rest && state_of(before) == State::stopping && category_ != Category::two) powered_ = false;
  return then != before;
}

}  // namespace gyrax
