// Two slow ways to find out how fast a jerk-limited move can be, written apart from the motion room and sharing nothing
// with it. Limits as there: gaining speed with accel and jerk, losing it with decel and decel_jerk.
#pragma once

#include <cstdint>
#include <vector>

namespace reference {

struct Limits {
  double speed, accel, jerk, decel, decel_jerk;
};

/// Searches over switching times: pushes as hard as is legal towards one side for a while, then stops as fast as is
/// legal, each stretch followed from event to event, and narrows the while until the rest point is `way` from the
/// start. Returns the time, s.
double switching_time(double v, double a, double way, const Limits& limits);

/// All that can be done on a lattice of time, acceleration and velocity, by dynamic programming: the furthest positions
/// to either side at which the axis can be at rest after k steps. Every one of them is reached by a legal motion, so
/// nothing that claims to be the fastest may take longer than k steps to get there.
struct Lattice {
  double step_s = 0, accel_unit = 0;  ///< time step; accelerations are multiples of the unit
  int accel = 0, decel = 0;           ///< limits in units
  int jerk = 1, decel_jerk = 1;       ///< most units a step
  std::int64_t speed = 0;             ///< limit in units of accel_unit·step/2
  std::int64_t v0 = 0;
  int a0 = 0;  ///< start in the same units, at position 0
  struct Reach {
    bool possible = false;
    double low = 0, high = 0;
  };
  std::vector<Reach> reach(int steps) const;
  Limits limits() const;
  double start_speed() const { return static_cast<double>(v0) * accel_unit * step_s / 2; }
  double start_accel() const { return a0 * accel_unit; }
};

}  // namespace reference
