/// The last check before output, written apart from motion: its own arithmetic, its own copy of the limits.
///
/// In: the command that an axis is about to get, whether the axis may move, and the time since the last one. Out: the
/// same command if it holds; otherwise its own ramp to rest from the last accepted state at the deceleration limits,
/// and the verdict "refused". Never: trust in what anybody else computed.
///
///     Verdict v = envelope.check(axis, may_move, command, dt_s);
///     if (v == Verdict::refused) …trip the permit
#pragma once

#include <gyrax/base/command.hpp>
#include <gyrax/base/recompute.hpp>

#include <span>
#include <vector>

namespace gyrax {

/// The envelope's own copy of an axis's limits: travel in the axis's unit, speed per s, accelerations per s², jerks per
/// s³.
struct Bounds {
  double low = 0, high = 0, speed = 0, accel = 0, jerk = 0, decel = 0, decel_jerk = 0;
};

enum class Verdict : std::uint8_t { accepted, refused };

class Envelope {
 public:
  explicit Envelope(std::span<const Bounds> bounds, Recompute recompute = Recompute::changed);

  /// Sets where an axis stands, at rest. For entering a powered phase; refused (false) while the axis moves.
  bool restart(AxisId axis, double position) noexcept;

  /// Another travel: where the axis is has become known, or is not known any more.
  void set_travel(AxisId axis, double low, double high) noexcept;

  /// Checks one axis's command for this tick and mends it in place where it does not hold. `dt_s` is what has passed
  /// since the last check (0 allowed). Once refused, an axis ramps to rest and stays there until restart().
  /// With mode off nothing is checked but that the numbers are countable, and the axis counts as at rest where it is.
  Verdict check(AxisId axis, bool may_move, AxisCommand& command, double dt_s) noexcept;

  /// Whether the axis is on, or at the end of, the envelope's own ramp.
  bool refusing(AxisId axis) const noexcept { return states_[index(axis)].refusing; }

  /// Bounds hold to this share of themselves; positions to this many units. Stated rounding of doubles, with room.
  static constexpr double share = 1e-6, slack = 1e-9;

 private:
  struct State {
    double p = 0, v = 0, a = 0;
    bool refusing = false;
  };
  /// Bounds as they are compared with: rounding allowed for, and nothing left to divide by.
  struct Checked {
    explicit Checked(const Bounds& bounds) noexcept;
    double low, high, speed, accel, decel, hardest, jerk, decel_jerk, sharpest;
    double speed_slack, accel_slack;  // units that a difference of speeds, of accelerations, may round by
    double per_jerk, per_decel, decel_ramp_s, per_decel_jerk;
  };
  static bool goes_on(const Checked& bounds, const State& last, bool may_move, const AxisCommand& command,
                      double dt_s) noexcept;
  bool holds(const Checked& bounds, const State& last, bool may_move, const AxisCommand& command,
             double dt_s) const noexcept;
  static bool fits_in(const Checked& bounds, const AxisCommand& command, double moved, double units) noexcept;
  static bool room_to_stop(const Checked& bounds, double v, double a, double room) noexcept;
  void ramp_down(const Bounds& bounds, State& state, AxisCommand& command, double dt_s) const noexcept;

  Recompute recompute_;
  std::vector<Bounds> bounds_;
  std::vector<Checked> checked_;
  std::vector<State> states_;
};

}  // namespace gyrax
