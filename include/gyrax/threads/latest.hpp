/// The latest of something, from one thread that makes it to one that looks at it.
///
/// In: a draft, published whole. Out: the newest published one. Never: a wait for either side, a torn value.
///
///     Latest<State> state(State{});
///     state.draft().speed = 3;         // the maker's side
///     state.publish();
///     const State& seen = state.look();   // the viewer's side; valid until its next look
#pragma once

#include <array>
#include <atomic>

namespace gyrax {

/// Three copies: one is drafted, one is looked at, one is on the way. Source: the well-known triple buffer.
template <class Value>
class Latest {
 public:
  /// All three start as `first`, so that containers in it have their size.
  explicit Latest(const Value& first) : copies_{first, first, first} {}

  /// The maker's copy. It holds an older state: write every part of it.
  Value& draft() noexcept { return copies_[draft_]; }
  void publish() noexcept { draft_ = on_the_way_.exchange(draft_ | fresh, std::memory_order_acq_rel) & index; }

  /// The viewer's copy: the newest.
  const Value& look() noexcept {
    if ((on_the_way_.load(std::memory_order_relaxed) & fresh) != 0)
      looked_at_ = on_the_way_.exchange(looked_at_, std::memory_order_acq_rel) & index;
    return copies_[looked_at_];
  }

 private:
  static constexpr unsigned fresh = 4, index = 3;
  std::array<Value, 3> copies_;
  unsigned draft_ = 0, looked_at_ = 1;
  std::atomic<unsigned> on_the_way_{2};
};

}  // namespace gyrax
