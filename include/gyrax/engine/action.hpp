/// Actions: named commands of the machine. A link carries them out, or they turn switches one after the other.
///
/// In: presses and typed names. Out: an order in a link's frames, switches, and what became of each. Never: two at once
/// on one link; one that goes on after its zone left the states that allow it; a result that nobody reported.
///
///     if (engine.action(id).stage == ActionStage::prepared) …    // one more press begins it
#pragma once

#include <gyrax/base/ids.hpp>
#include <gyrax/base/time.hpp>
#include <gyrax/permit/phase.hpp>

#include <cstdint>
#include <vector>

namespace gyrax {

/// A set of states: bit per State.
using StateBits = std::uint8_t;
constexpr StateBits bit(State state) noexcept { return static_cast<StateBits>(1u << static_cast<unsigned>(state)); }
constexpr bool has(StateBits bits, State state) noexcept { return (bits & bit(state)) != 0; }

/// A switch that an action turns.
struct ActionTurn {
  SwitchId target{};
  bool on = true;
  Span after{};  ///< since the turn before, or since the action began
};

struct ActionSetup {
  ZoneId zone{};
  LinkId link = no<LinkId>;   ///< that carries it out; none: it is `turns` or `homes` alone
  std::vector<AxisId> moves;  ///< that the link moves by itself meanwhile: their groups are blocked, and are taken up
                              ///< afterwards where they stand. All measured, and without a brake
  std::vector<AxisId> homes;  ///< axes that Gyrax homes, one after the other; no link then. Their groups are blocked
  StateBits when = bit(State::ready) | bit(State::live);  ///< its zone's; it ends where the zone leaves them
  bool standing = false;                                  ///< the axes of its zone have to be at rest
  std::vector<SwitchId> needs;
  std::vector<InputId> needs_inputs;
  std::vector<AxisId> needs_homed;
  std::uint16_t group = 0;  ///< actions that belong together
  Span confirm{};           ///< a press prepares it, and another one within this begins it; 0: one press begins it
  SwitchId light = no<SwitchId>;  ///< on while it is prepared
  Span covers{};  ///< once one of its group is confirmed, none of it has to be for so long; 0: each time
  Span limit = std::chrono::seconds(10);  ///< it takes no longer, > 0
  std::vector<ActionTurn> turns;
  InputId until = no<InputId>;  ///< it is not done before this is on
  bool pauses = false;  ///< enable that is let go pauses it; asked for again it goes on. Its link has to know that
};

enum class ActionStage : std::uint8_t { idle, prepared, running, paused };

/// What an event tells of an action.
enum class ActionStep : std::uint8_t {
  prepared,  ///< a second press begins it
  lapsed,    ///< none came in time, or its zone changed
  begun,
  done,
  timed_out,
  stopped,  ///< its zone left the states that allow it
  paused,
  resumed,
};
inline constexpr std::size_t action_steps = static_cast<std::size_t>(ActionStep::resumed) + 1;

/// What an action does now.
struct ActionView {
  ActionStage stage = ActionStage::idle;
  Time since{};
};

}  // namespace gyrax
