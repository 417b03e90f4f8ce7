#include <gyrax/permit/phase.hpp>

// The invariants of the table, checked over every phase and every event when this file is compiled. docs/permit.md
// states them by the same numbers.
namespace gyrax {
namespace {

template <class Holds>
constexpr bool everywhere(Holds holds) {
  for (std::size_t p = 0; p < phase_count; ++p)
    for (std::size_t e = 0; e < permit_event_count; ++e)
      if (!holds(static_cast<Phase>(p), static_cast<PermitEvent>(e), permit_table[p][e])) return false;
  return true;
}

constexpr bool stopping(Phase p) { return state_of(p) == State::stopping; }

/// How far a stop leads away from moving again.
constexpr int severity(Phase p) {
  switch (p) {
    case Phase::stopping_to_ready: return 1;
    case Phase::stopping_to_stowed: return 2;
    case Phase::stopping_to_tripped: return 3;
    default: return 0;
  }
}

// 1. Live is entered from ready by enable and in no other way.
static_assert(everywhere([](Phase from, PermitEvent e, Phase to) {
  return to != Phase::live || from == Phase::live || (from == Phase::ready && e == PermitEvent::enable);
}));
// 2. Stowed is left by make_ready, to ready, and in no other way.
static_assert(everywhere([](Phase from, PermitEvent e, Phase to) {
  return from != Phase::stowed || to == Phase::stowed || (to == Phase::ready && e == PermitEvent::make_ready);
}));
// 3. Tripped is left by reset, to stowed, and in no other way.
static_assert(everywhere([](Phase from, PermitEvent e, Phase to) {
  return from != Phase::tripped || to == Phase::tripped || (to == Phase::stowed && e == PermitEvent::reset);
}));
// 4. After release, squeeze, stow, stop or fault nothing is live; after stow, stop or fault nothing is ready either.
static_assert(everywhere([](Phase, PermitEvent e, Phase to) {
  const bool ends = e == PermitEvent::stow || e == PermitEvent::stop || e == PermitEvent::fault;
  const bool lets_go = e == PermitEvent::release || e == PermitEvent::squeeze;
  return !((ends || lets_go) && to == Phase::live) && !(ends && to == Phase::ready);
}));
// 5. A fault in any phase with power or motion leads to tripped.
static_assert(everywhere([](Phase from, PermitEvent e, Phase to) {
  return e != PermitEvent::fault || from == Phase::stowed || to == Phase::stopping_to_tripped || to == Phase::tripped;
}));
// 6. A stop that is under way ends at rest only, where it said it would, and only ever gets more severe.
static_assert(everywhere([](Phase from, PermitEvent e, Phase to) {
  if (!stopping(from)) return true;
  if (e != PermitEvent::rest) return stopping(to) && severity(to) >= severity(from);
  constexpr std::array<Phase, 4> end{Phase::stowed, Phase::ready, Phase::stowed, Phase::tripped};
  return to == end[static_cast<std::size_t>(severity(from))];
}));
// 7. Live is left through stopping only.
static_assert(everywhere([](Phase from, PermitEvent, Phase to) {
  return from != Phase::live || to == Phase::live || stopping(to);
}));
// 8. Rest never starts anything: it leads to live from live alone.
static_assert(everywhere([](Phase from, PermitEvent e, Phase to) {
  return e != PermitEvent::rest || to != Phase::live || from == Phase::live;
}));

}  // namespace

const char* name_of(State state) noexcept {
  constexpr std::array<const char*, 5> names{"stowed", "ready", "live", "stopping", "tripped"};
  return names[static_cast<std::size_t>(state)];
}

}  // namespace gyrax
