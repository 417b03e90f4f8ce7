#include <gyrax/motion/profile.hpp>

#include "root.hpp"
#include "speed_change.hpp"

#include <limits>
#include <type_traits>

namespace gyrax {

/// Writes a profile down as it is told.
class ProfileWriter {
 public:
  ProfileWriter(const AxisState& from, Profile& made) noexcept : made_(made), sum_{from.p, from.v, from.a, 0} {
    made_.start_ = from;
    made_.count_ = 0;
  }

  void stretch(double duration, double jerk, double a_after) noexcept {
    if (duration > 0 && made_.count_ < Profile::max_stretches)
      made_.stretches_[made_.count_++] = {duration, jerk, {sum_.p, sum_.v, sum_.a}};
    sum_.stretch(duration, jerk, a_after);
  }
  void arrive(double v) noexcept { sum_.arrive(v); }

  void end(double p) noexcept {
    made_.end_ = {p, sum_.v, 0};
    made_.duration_ = sum_.t;
  }
  void end() noexcept { end(sum_.p); }

 private:
  Profile& made_;
  Sum sum_;
};

namespace {

Sum sum_of_change(const AxisState& from, double to, const MotionLimits& limits) noexcept {
  Sum sum{from.p, from.v, from.a, 0};
  tell_speed_change(from.v, from.a, to, limits, sum);
  return sum;
}

/// How far a stop from v ≥ 0 at no acceleration goes.
double stop_distance(double v, const MotionLimits& limits) noexcept {
  const double ramps = limits.decel / limits.decel_jerk;
  const double time = v >= limits.decel * ramps ? v / limits.decel + ramps : 2 * std::sqrt(v / limits.decel_jerk);
  return time * v / 2;
}

/// How far the fastest stop goes. In closed form where it never turns round, as from nearly every start.
double stop_way(double v, double a, const MotionLimits& limits) noexcept {
  if (v < 0 || (v == 0 && a < 0)) return -stop_way(-v, -a, limits);
  const double jerk = limits.decel_jerk, most = limits.decel;
  if (a >= 0) {
    const double off = a / limits.jerk;
    return off * (v + off * a / 3) + stop_distance(v + a * off / 2, limits);
  }
  const double from = -a, square = from * from / 2 + jerk * v;
  if (settled_speed(v, a, limits) < 0 || from > most) return sum_of_change({0, v, a}, 0, limits).p;
  // The brake comes on to `top`, and goes off again; or it stays on at its most meanwhile.
  const double top = square <= most * most ? std::sqrt(square) : most;
  const double on = (top - from) / jerk, off = top / jerk, after = v - on * (from + top) / 2, last = top * off / 2;
  const double held = square <= most * most ? 0 : (after - last) / most;
  return on * (v - on * (2 * from + top) / 6) + held * (after + last) / 2 + off * last / 3;
}

/// Two positions that differ by rounding alone, for moves of this size.
double rounding(double p, double target, double way) noexcept {
  return 1e-15 * (size(p) + size(target)) + 1e-12 * size(way) + 1e-15;
}

/// How far a move goes that takes the speed to a peak, at no acceleration, and brakes from there: asked for many peaks
/// of one start. In closed form from where the speed is gained without a turn; what comes before that is the same for
/// all.
class WayByPeak {
 public:
  WayByPeak(double v, double a, const MotionLimits& limits) noexcept
      : from_v_(v), from_a_(a), v_(v), a_(a), in_force_(limits), per_jerk_(1 / limits.jerk) {
    Sum before{0, v, a, 0};
    if (v < 0 || (v == 0 && a < 0)) {
      turn(before);
    } else if (a < 0) {
      v_ = settled_speed(v, a, limits);
      a_ = 0;
      settle(a, v_, limits, Facing<Sum>{before});
    }
    before_ = before.p;
    const double most = limits.accel;
    closed_ = v_ >= 0 && a_ <= most;
    const double rise = (most - a_) * per_jerk_;
    rise_way_ = rise * (v_ + rise * (2 * a_ + most) / 6);
    risen_ = v_ + (most * most - a_ * a_) * per_jerk_ / 2;
    fall_ = most * per_jerk_;
  }

  double operator()(double peak) const noexcept { return way_to(peak) + stop_distance(peak, in_force_); }

 private:
  /// Goes the other way at first: to the standstill, passed with as much acceleration as a peak that is not too low
  /// leaves room for.
  void turn(Sum& before) noexcept {
    double v = -v_, a = -a_;
    const Facing<Sum> out{before, true};
    const double settled = settled_speed(v, a, in_force_);
    if (a > 0) {
      settle(a, settled, in_force_, out);
      v = settled;
      a = 0;
    }
    const double unavoidable = settled < 0 ? std::sqrt(-2 * in_force_.decel_jerk * settled) : 0;
    constexpr double any = std::numeric_limits<double>::infinity();
    const double through = greater(best_through(v, a, any, in_force_), unavoidable);
    away_ = -before.p;
    away_v_ = v;
    away_a_ = a;
    decel_through(v, a, through, in_force_, out);
    v_ = 0;
    a_ = through;
    least_ = through * through * per_jerk_ / 2;
  }

  double way_to(double peak) const noexcept {
    if (!closed_) return sum_of_change({0, from_v_, from_a_}, peak, in_force_).p;
    if (peak < least_) {
      // It turns, with no more acceleration than it takes to reach the peak.
      Sum sum{away_, away_v_, away_a_, 0};
      const double through = std::sqrt(2 * in_force_.jerk * peak), off = through * per_jerk_;
      decel_through(away_v_, away_a_, through, in_force_, Facing<Sum>{sum});
      return off * off * through / 3 - sum.p;
    }
    const double square = a_ * a_ / 2 + in_force_.jerk * (peak - v_), most = in_force_.accel;
    if (square <= most * most) {
      // The acceleration rises to `top` and goes off again.
      const double top = std::sqrt(greater(square, 0)), rise = (top - a_) * per_jerk_, fall = top * per_jerk_;
      const double between = v_ + (square - a_ * a_) * per_jerk_ / 2;
      return before_ + rise * (v_ + rise * (2 * a_ + top) / 6) + fall * (between + fall * top / 3);
    }
    const double steady = (peak - risen_ - most * fall_ / 2) / most, after = risen_ + most * steady;
    return before_ + rise_way_ + steady * (risen_ + after) / 2 + fall_ * (after + fall_ * most / 3);
  }

  const double from_v_, from_a_;
  double v_, a_;  // from where it gains speed
  const MotionLimits& in_force_;
  const double per_jerk_;
  bool closed_ = false;
  double before_ = 0, rise_way_ = 0, risen_ = 0, fall_ = 0;
  // Of a turn: the least peak that all of this is for, and from where it brakes.
  double least_ = 0, away_ = 0, away_v_ = 0, away_a_ = 0;
};

/// A move to the right of where the fastest stop ends: with the start at 0 and `way` > stop. First it is found, then
/// told to a listener that faces the way that the real move goes.
class Rightward {
 public:
  Rightward(double v, double a, double way, const MotionLimits& limits) noexcept
      : from_v_(v), from_a_(a), v_(v), a_(a), way_(way), in_force_(limits) {
    find();
  }

  /// All of it; or, of a listener that hears one span only, as much as it takes.
  template <class Listener>
  void tell(Facing<Listener> out) const noexcept {
    if (slows_down_) {
      // Rare, and the whole of it once more for each listener: who hears one span only asks for the whole move.
      if constexpr (std::is_same_v<Listener, OneSpan>) {
        return;
      } else {
        SlowedDown<Listener> slowed{in_force_.speed, out, {0, from_v_, from_a_, 0}};
        tell_speed_change(from_v_, from_a_, 0, in_force_, slowed);
      }
    }
    if (brakes_less_) {
      const Sum sum = raised(found_);
      out.stretch((found_ - a_) / in_force_.decel_jerk, in_force_.decel_jerk, found_);
      tell_speed_change(sum.v, found_, 0, in_force_, out);
      return;
    }
    const double peak = found_;
    tell_speed_change(v_, a_, peak, in_force_, out);
    if (peak > 0) {
      if constexpr (std::is_same_v<Listener, OneSpan>)
        if (out.listener.inside) {
          out.listener.followed = true;
          return;
        }
      out.stretch(cruise_ / peak, 0, 0);
    }
    tell_speed_change(peak, 0, 0, in_force_, out);
  }

 private:
  void find() noexcept {
    double slowest = slowest_peak();
    if (v_ > in_force_.speed || slowest > in_force_.speed) {
      // The only peak that may be below what the start leads to.
      const double top = in_force_.speed;
      const double beyond = sum_of_change({0, v_, a_}, top, in_force_).p + stop_distance(top, in_force_) - way_;
      if (beyond <= 0) return take_peak(top, -beyond);
      slow_down();
      slowest = slowest_peak();
    }
    const WayByPeak way_by(v_, a_, in_force_);
    const double way = way_ - p_, top = in_force_.speed, beyond = way_by(top) - way;
    if (beyond <= 0) return take_peak(top, -beyond);
    const double gap = way - (slowest > 0 ? way_by(slowest) : stop_way(v_, a_, in_force_));
    if (v_ > 0 && a_ < 0 && slowest > 0 && gap < 0) return find_less_braking();
    find_peak(way_by, slowest, gap, beyond);
  }

  /// The least speed to the right at which there is no acceleration on the way to more.
  double slowest_peak() const noexcept {
    if (v_ > 0 || (v_ == 0 && a_ >= 0)) return greater(settled_speed(v_, a_, in_force_), 0);
    const double turned = a_ > 0 ? settled_speed(-v_, -a_, in_force_) : 0;
    return turned < 0 ? settled_speed(0, std::sqrt(-2 * in_force_.decel_jerk * turned), in_force_) : 0;
  }

  void take_peak(double peak, double cruise) noexcept {
    found_ = peak;
    cruise_ = cruise;
  }

  /// `gap`: what is left to cruise with the slowest peak; `beyond`: how much too far the fastest goes.
  void find_peak(const WayByPeak& way_by, double slowest, double gap, double beyond) noexcept {
    const double top = in_force_.speed, way = way_ - p_;
    // In the root of the speed above the slowest the way is smooth: a small change of speed takes time as its root.
    const auto peak_at = [&](double x) { return slowest + x * x * (top - slowest); };
    // What is still missing is made up for by cruising, and costs no more time than this. Aiming at the middle of that,
    // either end of the bracket may be near enough.
    constexpr double lost_s = 1e-9, lost_share = 1e-7;
    const double aside = lost_share / 2 * gap;
    const auto over = [&](double x) { return way_by(peak_at(x)) - way + aside; };
    const auto high_holds = [&](const Bracket& b) { return b.f_high <= aside; };
    const Bracket found = narrow({0, aside - gap, 1, beyond + aside}, over, [&](const Bracket& b) {
      const double peak = peak_at(b.low);
      return high_holds(b) || (peak > 0 && aside - b.f_low <= peak * lost_s + lost_share * gap);
    });
    const bool high = high_holds(found);
    take_peak(peak_at(high ? found.high : found.low), aside - (high ? found.f_high : found.f_low));
  }

  Sum raised(double a) const noexcept {
    Sum sum{0, v_, a_, 0};
    sum.stretch((a - a_) / in_force_.decel_jerk, in_force_.decel_jerk, a);
    return sum;
  }

  /// It brakes already, and would rest too early: brakes less for a while, without letting go of the brake altogether.
  void find_less_braking() noexcept {
    const auto over = [&](double a) {
      const Sum sum = raised(a);
      return sum.p + stop_way(sum.v, sum.a, in_force_) - (way_ - p_);
    };
    const double exact = rounding(0, way_, way_);
    const Bracket found = narrow({a_, over(a_), 0, over(0)}, over,
                                 [&](const Bracket& b) { return -b.f_low <= exact || b.f_high <= exact; });
    brakes_less_ = true;
    found_ = -found.f_low <= found.f_high ? found.low : found.high;
  }

  /// Above the speed, and even coming down to it as fast as can be would rest too late: brakes as for a stop until the
  /// speed is right. The move goes on from there.
  void slow_down() noexcept {
    Sum nobody;
    SlowedDown<Sum> slowed{in_force_.speed, {nobody}, {0, v_, a_, 0}};
    tell_speed_change(v_, a_, 0, in_force_, slowed);
    slows_down_ = true;
    p_ += slowed.sum.p;
    v_ = slowed.sum.v;
    a_ = slowed.sum.a;
  }

  /// Passes on what it hears until the velocity is down to `speed`.
  template <class Listener>
  struct SlowedDown {
    double speed;
    Facing<Listener> out;
    Sum sum;
    bool below = false;
    void stretch(double duration, double jerk, double a_after) noexcept {
      if (below || !(duration > 0)) return;
      Sum next = sum;
      next.stretch(duration, jerk, a_after);
      if (next.v < speed && a_after <= 0 && sum.a <= 0) {
        // v + a·t + j·t²/2 = speed, the first time: a ≤ 0.
        const double above = sum.v - speed;
        const double root = std::sqrt(greater(sum.a * sum.a - 2 * jerk * above, 0));
        const double t = above > 0 ? lesser(2 * above / (root - sum.a), duration) : 0;
        const double a = sum.a + jerk * t;
        out.stretch(t, jerk, a);
        sum.stretch(t, jerk, a);
        below = true;
      } else {
        out.stretch(duration, jerk, a_after);
        sum = next;
      }
    }
    void arrive(double v) noexcept {
      if (below) return;
      out.arrive(v);
      sum.v = v;
    }
  };

  const double from_v_, from_a_;
  double p_ = 0, v_, a_;  // where it is once it has slowed down
  const double way_;
  const MotionLimits& in_force_;
  bool slows_down_ = false, brakes_less_ = false;
  double found_ = 0, cruise_ = 0;  // the peak, and the way at it; or, braking less, the acceleration
};

template <class Listener>
void tell_move(const AxisState& from, double target, const MotionLimits& limits, Listener& out) noexcept {
  const double way = target - from.p;
  const double stopping = stop_way(from.v, from.a, limits);
  const double off = way - stopping, exact = rounding(from.p, target, way);
  if (off > exact) {
    Rightward(from.v, from.a, way, limits).tell(Facing<Listener>{out});
  } else if (off < -exact) {
    Rightward(-from.v, -from.a, -way, limits).tell(Facing<Listener>{out, true});
  } else {
    tell_speed_change(from.v, from.a, 0, limits, out);
  }
}

}  // namespace

AxisState Profile::at(double t_s) const noexcept {
  if (!(t_s > 0)) return start_;
  if (t_s >= duration_) return end_.v == 0 ? end_ : AxisState{end_.p + end_.v * (t_s - duration_), end_.v, 0};
  // What ends at rest is told from its end, so that rounding cannot carry it past.
  std::size_t i = 0;
  double t = t_s;
  while (i + 1 < count_ && t >= stretches_[i].duration) t -= stretches_[i++].duration;
  const Stretch& s = stretches_[i];
  if (i + 1 == count_ && end_.v == 0) {
    const double left = greater(duration_ - t_s, 0);
    return {end_.p - s.jerk * left * left * left / 6, s.jerk * left * left / 2, -s.jerk * left};
  }
  return {s.from.p + t * (s.from.v + t * (s.from.a / 2 + t * s.jerk / 6)), s.from.v + t * (s.from.a + t * s.jerk / 2),
          s.from.a + t * s.jerk};
}

void move_to(const AxisState& from, double target, const MotionLimits& limits, Profile& made) noexcept {
  ProfileWriter out(from, made);
  tell_move(from, target, limits, out);
  out.end(target);
}

Profile move_to(const AxisState& from, double target, const MotionLimits& limits) noexcept {
  Profile made;
  move_to(from, target, limits, made);
  return made;
}

std::optional<AxisState> begin_move(const AxisState& from, double target, const MotionLimits& limits,
                                    double t_s) noexcept {
  OneSpan span{from, t_s};
  tell_move(from, target, limits, span);
  return span.inside && span.followed ? std::optional(span.state) : std::nullopt;
}

Profile change_speed(const AxisState& from, double v, const MotionLimits& limits) noexcept {
  Profile made;
  ProfileWriter out(from, made);
  const double to = v > limits.speed ? limits.speed : v < -limits.speed ? -limits.speed : v == v ? v : 0;
  tell_speed_change(from.v, from.a, to, limits, out);
  out.end();
  return made;
}

Profile stop(const AxisState& from, const MotionLimits& limits) noexcept { return change_speed(from, 0, limits); }

StopReach stop_reach(const AxisState& from, const MotionLimits& limits) noexcept {
  const Sum sum = sum_of_change({0, from.v, from.a}, 0, limits);
  return {sum.p, sum.t};
}

double shortest_time(const AxisState& from, double target, const MotionLimits& limits) noexcept {
  return move_to(from, target, limits).duration();
}

}  // namespace gyrax
