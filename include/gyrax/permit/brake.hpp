/// The brake of an axis: it lets go after power and before motion, and holds before power goes.
///
/// In: whether the axis has power, whether it may move, whether it stands. Out: whether the brake is to be open, and
/// whether it is by now. Never: open without power; let go while the axis moves.
///
///     brake.pass(now, {.powered = true, .wanted = true, .stands = true});
///     if (brake.let_go()) …
#pragma once

#include <gyrax/base/time.hpp>

#include <cstdint>

namespace gyrax {

/// How long it takes; an axis with all of them 0 has none.
struct BrakeTimes {
  Span power{};   ///< from power on until the drive holds the axis by itself
  Span opens{};   ///< from being told until it has let go
  Span closes{};  ///< from being told until it holds
  bool any() const noexcept { return power > Span{} || opens > Span{} || closes > Span{}; }
};

class Brake {
 public:
  explicit Brake(const BrakeTimes& times) noexcept : times_(times) {}

  struct Now {
    bool powered = false;
    bool wanted = false;  ///< the axis may be asked to move, or still moves
    bool stands = false;  ///< by its command, and by its report where it has one
  };
  /// Once a tick. Whether anything changed.
  bool pass(Time now, const Now& is) noexcept;

  /// Told to be open: it has let go, or is about to.
  bool told_open() const noexcept { return state_ == State::opening || state_ == State::open; }
  /// Motion may begin.
  bool let_go() const noexcept { return state_ == State::open; }
  /// Power may go.
  bool holds() const noexcept { return state_ == State::closed; }

 private:
  enum class State : std::uint8_t { closed, opening, open, closing };
  State next(Time now, const Now& is) const noexcept;

  BrakeTimes times_;
  State state_ = State::closed;
  bool powered_ = false;
  Time since_{}, powered_since_{};
};

}  // namespace gyrax
