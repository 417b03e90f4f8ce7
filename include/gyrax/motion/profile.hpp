/// Jerk-limited moves of one axis: the fastest within limits, from any state.
///
/// In: position, velocity and acceleration at the start; a velocity, or a position to rest at; the limits. Out: the
/// whole move as a function of time, exact at its end, and how long it takes. Never: a speed, an acceleration or a jerk
/// above the limits, or above what the start makes unavoidable: a start that is too fast or accelerates too hard comes
/// back inside the shortest way.
///
///     MotionLimits limits{.speed = 180, .accel = 900, .jerk = 9000, .decel = 1400, .decel_jerk = 20000};
///     Profile move = move_to({0, 0, 0}, 100, limits);
///     AxisState s = move.at(0.25);                   // mm, mm/s, mm/s²
///     double time_s = move.duration();
#pragma once

#include <gyrax/motion/limits.hpp>

#include <array>
#include <cstddef>
#include <optional>

namespace gyrax {

/// A move as stretches of constant jerk.
class Profile {
 public:
  /// The state `t_s` seconds after the start; t ≤ 0 (and NaN) gives the start, t ≥ duration() the end. After the end of
  /// a move that ends in motion it goes on at that speed.
  AxisState at(double t_s) const noexcept;
  double duration() const noexcept { return duration_; }
  const AxisState& start() const noexcept { return start_; }
  /// Where it ends, exactly: the position asked for, or where the stop ends.
  const AxisState& end() const noexcept { return end_; }

  /// From where to where it will be, before it is told how.
  void begin(const AxisState& from, double target) noexcept {
    start_ = from;
    end_ = {target, 0, 0};
    count_ = 0;
  }

  /// Greatest number of stretches of a profile: what brakes so hard that it turns, and has to turn once more, takes 3
  /// to its standstill, 1 to let go, 3 and 3 to turn round and to its peak, 1 at it, 3 to rest.
  static constexpr std::size_t max_stretches = 14;

 private:
  friend class ProfileWriter;
  struct Stretch {
    double duration = 0, jerk = 0;
    AxisState from;
  };
  std::array<Stretch, max_stretches> stretches_{};
  std::size_t count_ = 0;
  double duration_ = 0;
  AxisState start_{}, end_{};
};

/// The fastest way to rest at `target`. A start that cannot stop there in time stops beyond and comes back.
/// Derivation: in docs/motion.md; the peak speed is found by a bracketed root search, every other number in closed
/// form.
Profile move_to(const AxisState& from, double target, const MotionLimits& limits) noexcept;
/// The same, written over another one.
void move_to(const AxisState& from, double target, const MotionLimits& limits, Profile& made) noexcept;
/// What at(t_s) of that move says, to the last bit, where it can be told without the whole move: from early in it. For
/// a target that is another one by then.
std::optional<AxisState> begin_move(const AxisState& from, double target, const MotionLimits& limits,
                                    double t_s) noexcept;

/// The fastest way to the velocity `v`, at no acceleration; |v| above the speed limit counts as that limit.
Profile change_speed(const AxisState& from, double v, const MotionLimits& limits) noexcept;

/// The fastest way to rest, wherever that is.
Profile stop(const AxisState& from, const MotionLimits& limits) noexcept;

/// The fastest stop in numbers.
struct StopReach {
  double distance = 0;  ///< from the start to where it rests, signed
  double time_s = 0;
};
StopReach stop_reach(const AxisState& from, const MotionLimits& limits) noexcept;

/// The least time, s, of a move to rest at `target`: that of move_to().
double shortest_time(const AxisState& from, double target, const MotionLimits& limits) noexcept;

}  // namespace gyrax
