/// Whether reduced speed is on: latched, or held by a control.
///
/// In: what is pressed, let go, lost, seen. Out: on or off. Never: off because nobody knows. A control that could hold
/// it and that nobody knows holds it; one that was lost while it held it goes on to, until it is pressed and let go
/// once more, or it is latched off.
#pragma once

#include <gyrax/base/ids.hpp>

#include <vector>

namespace gyrax {

class ReducedSpeed {
 public:
  explicit ReducedSpeed(bool starts_on) : latched_(starts_on) {}
  /// A binding that can hold it. Before the first tick.
  void add(BindingId binding) { holders_.push_back({.binding = binding}); }

  bool on() const noexcept { return latched_ || held(); }
  bool latched() const noexcept { return latched_; }
  bool any_lost() const noexcept;
  void latch(bool on) noexcept;
  void press(BindingId binding) noexcept;
  void release(BindingId binding) noexcept;
  void lose(BindingId binding) noexcept;
  /// What is known of a holder's controls: nothing, or whether they are down, pressed just now or not.
  void see(BindingId binding, bool known, bool down) noexcept;

 private:
  struct Holder {
    BindingId binding{};
    bool engaged = false;  // pressed, and not let go
    bool lost = false;     // was lost while it held
    bool unknown = true, down = false;
  };
  bool held() const noexcept;
  Holder& holder(BindingId binding) noexcept;

  std::vector<Holder> holders_;
  bool latched_ = false;
};

}  // namespace gyrax
