/// Acceleration-limited moves of one axis in closed form.
///
/// In: where the axis is and how fast, where it shall come to rest, and its limits. Out: the whole move as a function of
/// time, exact at its end. Never: a speed or an acceleration above what it was given (a start above it is brought down
/// at the brake limit).
///
/// An axis gains speed with `accel` and loses it with `brake`, always.
///
///     Ramp ramp = ramp_to({0, 0}, 100, {180, 900, 1400});
///     AxisState s = ramp.at(0.25);                   // mm, mm/s, mm/s²
#pragma once

#include <array>
#include <cstddef>

namespace gyrax {

/// Position, velocity and acceleration in the axis's unit (mm or deg), per s and s².
struct AxisState {
  double p = 0, v = 0, a = 0;
};

/// What a move may use; each greater than 0. cruise: speed; accel: gaining speed; brake: losing it.
struct Pace {
  double cruise = 0, accel = 0, brake = 0;
};

class Ramp {
 public:
  /// The state `t_s` seconds after the start; t ≤ 0 (and NaN) gives the start, t ≥ duration() gives the end: exactly at
  /// the target, at rest.
  AxisState at(double t_s) const noexcept;
  double duration() const noexcept { return duration_; }
  double target() const noexcept { return target_; }

 private:
  friend Ramp ramp_to(AxisState from, double target, const Pace& pace) noexcept;
  friend Ramp ramp_to_rest(AxisState from, double brake) noexcept;

  struct Piece {
    double duration = 0, accel = 0, p = 0, v = 0;  // p, v at its start
  };
  void add(double duration, double accel) noexcept;
  void finish(double target) noexcept;

  AxisState from_{};
  std::array<Piece, 4> pieces_{};
  std::size_t count_ = 0;
  double duration_ = 0, target_ = 0, p_ = 0, v_ = 0;
};

/// The fastest move to rest at `target`. Where the axis is too fast to stop there it stops beyond and comes back.
/// Derivation: with v the speed towards the target and d the distance left, the peak speed satisfies
/// (vp² − v²)/(2·accel) + vp²/(2·brake) = d, limited to `cruise`.
Ramp ramp_to(AxisState from, double target, const Pace& pace) noexcept;

/// The fastest stop.
Ramp ramp_to_rest(AxisState from, double brake) noexcept;

/// How far (≥ 0) and how long a stop from speed `v` takes: v²/(2·brake) and |v|/brake.
double stop_distance(double v, double brake) noexcept;
double stop_time(double v, double brake) noexcept;

}  // namespace gyrax
