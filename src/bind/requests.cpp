// What is asked for in each tick by everything that is deflected or held.
#include <gyrax/bind/bind.hpp>

#include "effects.hpp"

#include <cassert>

namespace gyrax {

bool Bind::requests(const Signal& signal, Time now, std::span<Request> out, bool anew) noexcept {
  assert(out.size() >= parts_.in_charge.size());
  if (!touched_ && !anew) return false;
  touched_ = recompute_ == Recompute::everything;
  for (Request& request : out) request = Request{};
  for (const Moving& m : moving_) {
    detail::BindingState& state = states_[index(m.binding)];
    const Sample& sample = signal.sample(m.slot);
    const bool may_move = has(parts_.in_charge[index(m.coordinate)], signal.setup(m.slot).handset);
    if (!sample.known || (m.layered && !counts(m.binding, signal)) || !may_move) {
      state.armed = state.engaged = false;
      continue;
    }
    const ControlKind kind = signal.setup(m.slot).calibration.kind();
    // What grows grows until it is let go.
    touched_ = touched_ || (m.grows && state.engaged);
    detail::Steady control{.binding = m.binding, .slot = m.slot, .value = sample.value, .held = now - state.since};
    const Effect& effect = bindings_[index(m.binding)].effect;
    if (m.by_place) {
      control.place = kind == ControlKind::centred ? (sample.value + 1) / 2 : sample.value;
      detail::request(effect, control, out);
      continue;
    }
    const bool by_key = m.by_key || kind == ControlKind::key;
    if (!by_key) state.armed = state.armed || sample.neutral();
    if (by_key && state.ended) out[index(m.coordinate)].waiting_for = m.slot;
    if (by_key ? !state.engaged : sample.value == 0) continue;
    if (by_key || state.armed) {
      detail::request(effect, control, out);
    } else {
      out[index(m.coordinate)].waiting_for = m.slot;
    }
  }
  return true;
}

}  // namespace gyrax
