/// One zone's permit: the phase, the power, and the stop under way.
///
/// In: events, each with its cause. Out: whether the zone may move, whether its drives have power, and which category
/// of stop is being carried out. Never: a decision on whether an event may be offered; that is the guard's (guard.hpp).
///
///     Permit permit(default_categories());
///     permit.apply(PermitEvent::make_ready, Cause::none);
#pragma once

#include <gyrax/permit/cause.hpp>
#include <gyrax/permit/phase.hpp>

namespace gyrax {

class Permit {
 public:
  explicit Permit(const std::array<Category, cause_count>& categories) noexcept : categories_(categories) {}

  /// The phase that an event leads to.
  Phase after(PermitEvent event) const noexcept;
  /// Applies one event. `cause` names what ends motion, for release, squeeze, stow, stop and fault; otherwise none.
  /// Returns whether the phase changed.
  bool apply(PermitEvent event, Cause cause) noexcept;

  Phase phase() const noexcept { return phase_; }
  State state() const noexcept { return state_of(phase_); }
  bool live() const noexcept { return phase_ == Phase::live; }
  bool stopping() const noexcept { return state() == State::stopping; }
  /// Whether the drives are to have power. Off until made ready, and after a stop of category 0 or 1. Where category 2
  /// leaves it on, stowed or tripped, whatever has a harder category takes it; stowed, a stop or a fault is carried out
  /// as from ready.
  bool powered() const noexcept { return powered_; }
  /// Of the stop under way or the last one; two events with different categories take the harder one.
  Category category() const noexcept { return category_; }
  /// What started that stop, or what made it harder.
  Cause cause() const noexcept { return cause_; }

 private:
  void note_stop(Cause cause) noexcept;

  std::array<Category, cause_count> categories_;
  Phase phase_ = Phase::stowed;
  bool powered_ = false;
  Category category_ = Category::two;
  Cause cause_ = Cause::none;
};

}  // namespace gyrax
