// What is asked for in each tick by everything that is deflected or held.
#include <gyrax/bind/bind.hpp>

#include "effects.hpp"

#include <cassert>

namespace gyrax {

bool Bind::by_key(const Moving& m, const Signal& signal) noexcept {
  return m.by_key || signal.setup(m.slot).calibration.kind() == ControlKind::key;
}

/// Whether it counts now: its control is known, in its layer, and in charge.
bool Bind::may_move(const Moving& m, const Signal& signal) const noexcept {
  return signal.sample(m.slot).known && (!m.layered || counts(m.binding, signal)) &&
         has(parts_.in_charge[index(m.coordinate)], signal.setup(m.slot).handset);
}

/// Of one that counts: whether it is held, or deflected since it was at neutral.
bool Bind::asks(const Moving& m, const Signal& signal) const noexcept {
  const detail::BindingState& state = states_[index(m.binding)];
  return by_key(m, signal) ? state.engaged : state.armed && signal.sample(m.slot).value != 0;
}

bool Bind::requests(const Signal& signal, Time now, std::span<Request> out, bool anew) noexcept {
  assert(out.size() >= parts_.in_charge.size());
  if (!touched_ && !anew) return false;
  touched_ = recompute_ == Recompute::everything;
  for (Request& request : out) request = Request{};
  for (const Moving& m : moving_) {
    detail::BindingState& state = states_[index(m.binding)];
    const Sample& sample = signal.sample(m.slot);
    if (!may_move(m, signal)) {
      state.armed = state.engaged = false;
      continue;
    }
    // What grows grows until it is let go.
    touched_ = touched_ || (m.grows && state.engaged);
    detail::Steady control{.binding = m.binding, .slot = m.slot, .value = sample.value, .held = now - state.since};
    const Effect& effect = bindings_[index(m.binding)].effect;
    if (m.by_place) {
      const bool centred = signal.setup(m.slot).calibration.kind() == ControlKind::centred;
      control.place = centred ? (sample.value + 1) / 2 : sample.value;
      detail::request(effect, control, out);
      continue;
    }
    const bool key = by_key(m, signal);
    if (!key) state.armed = state.armed || sample.neutral();
    if (asks(m, signal))
      detail::request(effect, control, out);
    else if (key ? state.ended : sample.value != 0)
      out[index(m.coordinate)].waiting_for = m.slot;
  }
  return true;
}

}  // namespace gyrax
