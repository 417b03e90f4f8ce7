// The fastest change of velocity, told stretch by stretch to whoever listens: a profile that is written down, a sum of
// distances, or one tick of it.
//
// A listener takes
//   stretch(duration, jerk, a)   for `duration` ≥ 0 at `jerk`, after which the acceleration is `a`
//   arrive(v)                    the velocity at this point, exactly: rounding ends here
#pragma once

#include <gyrax/motion/limits.hpp>

#include "../base/size.hpp"

#include <cmath>

namespace gyrax {

inline double lesser(double a, double b) noexcept { return a < b ? a : b; }
inline double greater(double a, double b) noexcept { return a > b ? a : b; }

/// Adds stretches up: where, how fast, how long.
struct Sum {
  double p = 0, v = 0, a = 0, t = 0;
  void stretch(double duration, double jerk, double a_after) noexcept {
    if (duration > 0) {
      p += duration * (v + duration * (a / 2 + duration * jerk / 6));
      v += duration * (a + duration * jerk / 2);
      t += duration;
    }
    a = a_after;
  }
  void arrive(double velocity) noexcept { v = velocity; }
};

/// Hears of a move no more than one span of it.
struct OneSpan {
  AxisState state;
  double left;
  bool inside = false;    // it ends well within a stretch …
  bool followed = false;  // … that is not the last one
  void stretch(double duration, double jerk, double a_after) noexcept {
    if (!(left > 0)) {
      followed = followed || duration > 0;
      return;
    }
    if (!(duration > 0)) {
      state.a = a_after;
      return;
    }
    const bool whole = duration <= left;
    const double t = whole ? duration : left;
    state.p += t * (state.v + t * (state.a / 2 + t * jerk / 6));
    state.v += t * (state.a + t * jerk / 2);
    state.a = whole ? a_after : state.a + t * jerk;
    inside = !whole && t * (1 + margin) + margin < duration;
    left -= t;
  }
  void arrive(double v) noexcept {
    if (left > 0) state.v = v;
  }
  /// More than sums of durations can round by.
  static constexpr double margin = 1e-12;
};

/// Tells a listener of a move in the one direction or the other. The direction is data, not a type: each type would be
/// the whole of what follows once more.
template <class Listener>
struct Facing {
  Listener& listener;
  bool backward = false;
  void stretch(double duration, double jerk, double a_after) const noexcept {
    listener.stretch(duration, backward ? -jerk : jerk, backward ? -a_after : a_after);
  }
  void arrive(double velocity) const noexcept { listener.arrive(backward ? -velocity : velocity); }
  Facing turned() const noexcept { return {listener, !backward}; }
};

/// The velocity that is left when the acceleration has gone to 0 the shortest way, for v ≥ 0; below 0: it turns first.
inline double settled_speed(double v, double a, const MotionLimits& limits) noexcept {
  return a < 0 ? v - a * a / (2 * limits.decel_jerk) : v + a * a / (2 * limits.jerk);
}

/// Takes the acceleration to 0 at once.
template <class Listener>
void settle(double a, double settled, const MotionLimits& limits, Facing<Listener> out) noexcept {
  const double jerk = a < 0 ? limits.decel_jerk : limits.jerk;
  out.stretch(size(a) / jerk, a < 0 ? jerk : -jerk, 0);
  out.arrive(settled);
}

/// Both speeds ≥ 0 and no turn between them.
template <class Listener>
void change_speed_forward(double v, double a, double to, const MotionLimits& limits, Facing<Listener> out) noexcept {
  const double settled = settled_speed(v, a, limits);
  const bool faster = to >= settled;
  if (faster ? a < 0 : a > 0) {
    settle(a, settled, limits, out);
    v = settled;
    a = 0;
  }
  const double jerk = faster ? limits.jerk : limits.decel_jerk, most = faster ? limits.accel : limits.decel;
  const double sign = faster ? 1 : -1, from = size(a), change = size(to - v);
  // (2·peak² − from²)/(2·jerk) = change, where the peak is not cut off by the limit.
  const double sum = from * from / 2 + jerk * change;
  if (sum <= most * most) {
    const double peak = std::sqrt(sum);
    out.stretch((peak - from) / jerk, sign * jerk, sign * peak);
    out.stretch(peak / jerk, -sign * jerk, 0);
  } else {
    const double hold = (change + (from * from - 2 * most * most) / (2 * jerk)) / most;
    if (from > most) {
      out.stretch((from - most) / jerk, -sign * jerk, sign * most);
      out.stretch((change - from * from / (2 * jerk)) / most, 0, sign * most);
    } else {
      out.stretch((most - from) / jerk, sign * jerk, sign * most);
      out.stretch(hold, 0, sign * most);
    }
    out.stretch(most / jerk, -sign * jerk, 0);
  }
  out.arrive(to);
}

/// From v ≥ 0 to a standstill that is passed with the acceleration −through. a ≤ 0.
template <class Listener>
void decel_through(double v, double a, double through, const MotionLimits& limits, Facing<Listener> out) noexcept {
  const double jerk = limits.decel_jerk, from = -a;
  const double sum = jerk * v + (from * from + through * through) / 2;
  const double peak = greater(greater(lesser(std::sqrt(sum), limits.decel), through), lesser(from, limits.decel));
  out.stretch(size(from - peak) / jerk, from > peak ? jerk : -jerk, -peak);
  const double lost = (from > peak ? (from * from - peak * peak) : (peak * peak - from * from)) / (2 * jerk) +
                      (peak * peak - through * through) / (2 * jerk);
  if (peak > 0) out.stretch((v - lost) / peak, 0, -peak);
  out.stretch((peak - through) / jerk, jerk, -through);
  out.arrive(0);
}

/// The acceleration with which a standstill is passed best on the way to a speed `back` ≥ 0 the other way: as much as
/// both sides allow and as can be reached. a ≤ 0.
inline double best_through(double v, double a, double back, const MotionLimits& limits) noexcept {
  const double reachable = std::sqrt(lesser(2 * limits.jerk * back, 2 * limits.decel_jerk * v + a * a));
  return lesser(lesser(limits.accel, limits.decel), reachable);
}

/// From v ≥ 0 through a standstill to a speed `back` ≥ 0 the other way.
template <class Listener>
void turn_round(double v, double a, double through, double back, const MotionLimits& limits,
                Facing<Listener> out) noexcept {
  decel_through(v, a, through, limits, out);
  change_speed_forward(0, through, back, limits, out.turned());
}

/// From v ≥ 0 (and a ≥ 0 where v = 0) to any velocity.
template <class Listener>
void change_speed_from_forward(double v, double a, double to, const MotionLimits& limits,
                               Facing<Listener> out) noexcept {
  const double settled = settled_speed(v, a, limits);
  if (settled >= 0 && to >= 0) {
    change_speed_forward(v, a, to, limits, out);
    return;
  }
  if (settled >= 0 && a > 0) {
    settle(a, settled, limits, out);
    turn_round(settled, 0, best_through(settled, 0, -to, limits), -to, limits, out);
    return;
  }
  // Where it brakes so hard that it turns whatever one does, no less acceleration than this can be had there.
  const double unavoidable = settled < 0 ? std::sqrt(-2 * limits.decel_jerk * settled) : 0;
  if (to < 0) {
    turn_round(v, a, greater(best_through(v, a, -to, limits), unavoidable), -to, limits, out);
    return;
  }
  // It turns, and has to turn once more.
  decel_through(v, a, unavoidable, limits, out);
  const double turned = settled_speed(0, unavoidable, limits);
  settle(unavoidable, turned, limits, out.turned());
  turn_round(turned, 0, best_through(turned, 0, to, limits), to, limits, out.turned());
}

/// From any state to the velocity `to`, at no acceleration.
template <class Listener>
void tell_speed_change(double v, double a, double to, const MotionLimits& limits, Facing<Listener> out) noexcept {
  if (v < 0 || (v == 0 && a < 0)) {
    change_speed_from_forward(-v, -a, -to, limits, out.turned());
  } else {
    change_speed_from_forward(v, a, to, limits, out);
  }
}
template <class Listener>
void tell_speed_change(double v, double a, double to, const MotionLimits& limits, Listener& out) noexcept {
  tell_speed_change(v, a, to, limits, Facing<Listener>{out});
}

}  // namespace gyrax
