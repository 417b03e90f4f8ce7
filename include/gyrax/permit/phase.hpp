/// The table of a zone's permit: every phase against every event.
///
/// In: a phase and an event. Out: the next phase. Never: a condition. Whether an event may be offered at all (the
/// controls at neutral, the links fresh) is decided before, so that this table can be checked over all its entries.
///
///     next(Phase::ready, PermitEvent::enable) == Phase::live
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

namespace gyrax {

/// What a person sees.
enum class State : std::uint8_t { stowed, ready, live, stopping, tripped };

/// `stopping` three times over: it knows where it goes once everything is at rest.
enum class Phase : std::uint8_t {
  stowed,
  ready,
  live,
  stopping_to_ready,
  stopping_to_stowed,
  stopping_to_tripped,
  tripped
};
inline constexpr std::size_t phase_count = 7;

enum class PermitEvent : std::uint8_t {
  make_ready,  ///< the deliberate gesture, with everything as it has to be
  enable,      ///< a fresh press, with everything as it has to be
  release,     ///< enable was let go
  squeeze,     ///< enable was squeezed past its middle position
  stow,
  stop,
  fault,
  rest,   ///< every axis of the zone is at rest (or without power)
  reset,  ///< by a person, the cause gone and the controls at neutral
};
inline constexpr std::size_t permit_event_count = 9;

inline constexpr std::array<std::array<Phase, permit_event_count>, phase_count> permit_table = [] {
  using enum Phase;
  constexpr Phase to_r = stopping_to_ready, to_s = stopping_to_stowed, to_t = stopping_to_tripped;
  return std::array<std::array<Phase, permit_event_count>, phase_count>{{
      // clang-format off
      // make_ready enable   release squeeze stow    stop    fault    rest     reset
      {{ready,      stowed,  stowed, stowed, stowed, stowed, stowed,  stowed,  stowed}},   // stowed
      {{ready,      live,    ready,  ready,  to_s,   to_s,   to_t,    ready,   ready}},    // ready
      {{live,       live,    to_r,   to_r,   to_s,   to_s,   to_t,    live,    live}},     // live
      {{to_r,       to_r,    to_r,   to_r,   to_s,   to_s,   to_t,    ready,   to_r}},     // stopping_to_ready
      {{to_s,       to_s,    to_s,   to_s,   to_s,   to_s,   to_t,    stowed,  to_s}},     // stopping_to_stowed
      {{to_t,       to_t,    to_t,   to_t,   to_t,   to_t,   to_t,    tripped, to_t}},     // stopping_to_tripped
      {{tripped,    tripped, tripped, tripped, tripped, tripped, tripped, tripped, stowed}},  // tripped
      // clang-format on
  }};
}();

constexpr Phase next(Phase phase, PermitEvent event) noexcept {
  return permit_table[static_cast<std::size_t>(phase)][static_cast<std::size_t>(event)];
}

constexpr State state_of(Phase phase) noexcept {
  constexpr std::array<State, phase_count> states{State::stowed,   State::ready,    State::live,   State::stopping,
                                                  State::stopping, State::stopping, State::tripped};
  return states[static_cast<std::size_t>(phase)];
}

/// The state's own word.
const char* name_of(State state) noexcept;

}  // namespace gyrax
