#include <gyrax/motion/profile.hpp>

#include "root.hpp"
#include "speed_change.hpp"

namespace gyrax {

/// Writes a profile down as it is told.
class ProfileWriter {
 public:
  explicit ProfileWriter(const AxisState& from) noexcept : sum_{from.p, from.v, from.a, 0} { made_.start_ = from; }

  void stretch(double duration, double jerk, double a_after) noexcept {
    if (duration > 0 && made_.count_ < Profile::max_stretches)
      made_.stretches_[made_.count_++] = {duration, jerk, {sum_.p, sum_.v, sum_.a}};
    sum_.stretch(duration, jerk, a_after);
  }
  void arrive(double v) noexcept { sum_.arrive(v); }
  AxisState state() const noexcept { return {sum_.p, sum_.v, sum_.a}; }

  Profile at(double p) noexcept {
    made_.end_ = {p, sum_.v, 0};
    made_.duration_ = sum_.t;
    return made_;
  }
  Profile done() noexcept { return at(sum_.p); }

 private:
  Profile made_;
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

/// Two positions that differ by rounding alone, for moves of this size.
double rounding(double p, double target, double way) noexcept {
  return 1e-15 * (size(p) + size(target)) + 1e-12 * size(way) + 1e-15;
}

/// A move to the right of where the fastest stop ends: with the start at 0 and `way` > stop. Everything here is told to
/// the writer facing the way that the real move goes.
class Rightward {
 public:
  Rightward(double v, double a, double way, const MotionLimits& limits, Facing<ProfileWriter> out) noexcept
      : v_(v), a_(a), way_(way), in_force_(limits), out_(out) {}

  void tell() noexcept {
    if (v_ > in_force_.speed || slowest_peak() > in_force_.speed) {
      if (way_by(in_force_.speed) <= way_) {
        tell_to_peak(in_force_.speed);
        return;
      }
      tell_slowing_down();
    }
    const double slowest = slowest_peak();
    if (v_ > 0 && a_ < 0 && slowest > 0 && way_ < way_by(slowest)) {
      tell_less_braking();
    } else {
      tell_by_peak(slowest);
    }
  }

 private:
  /// Where the move ends if it goes to the speed `peak` first, at no acceleration, and brakes from there.
  double way_by(double peak) const noexcept {
    return p_ + sum_of_change({0, v_, a_}, peak, in_force_).p + stop_distance(peak, in_force_);
  }

  /// The least speed to the right at which there is no acceleration on the way to more.
  double slowest_peak() const noexcept {
    if (v_ > 0 || (v_ == 0 && a_ >= 0)) return greater(settled_speed(v_, a_, in_force_), 0);
    const double turned = a_ > 0 ? settled_speed(-v_, -a_, in_force_) : 0;
    return turned < 0 ? settled_speed(0, std::sqrt(-2 * in_force_.decel_jerk * turned), in_force_) : 0;
  }

  void tell_to_peak(double peak) noexcept {
    tell_speed_change(v_, a_, peak, in_force_, out_);
    const double cruise = way_ - way_by(peak);
    if (peak > 0) out_.stretch(cruise / peak, 0, 0);
    tell_speed_change(peak, 0, 0, in_force_, out_);
  }

  void tell_by_peak(double slowest) noexcept {
    const double top = in_force_.speed;
    const double beyond = way_by(top) - way_;
    if (beyond <= 0) {
      tell_to_peak(top);
      return;
    }
    // In the root of the speed above the slowest the way is smooth: a small change of speed takes time as its root.
    const auto peak_at = [&](double x) { return slowest + x * x * (top - slowest); };
    const auto over = [&](double x) { return way_by(peak_at(x)) - way_; };
    // What is still missing at the lower end is made up for by cruising, and costs no more time than this.
    constexpr double lost_s = 1e-9, lost_share = 1e-7;
    const double gap = way_ - way_by(slowest);
    const Bracket found = narrow({0, -gap, 1, beyond}, over, [&](const Bracket& b) {
      const double peak = peak_at(b.low);
      return peak > 0 && -b.f_low <= peak * lost_s + lost_share * gap;
    });
    tell_to_peak(peak_at(found.low));
  }

  /// It brakes already, and would rest too early: brakes less for a while, without letting go of the brake altogether.
  void tell_less_braking() noexcept {
    const auto raised = [&](double a) {
      Sum sum{0, v_, a_, 0};
      sum.stretch((a - a_) / in_force_.decel_jerk, in_force_.decel_jerk, a);
      return sum;
    };
    const auto over = [&](double a) {
      const Sum sum = raised(a);
      return sum_of_change({sum.p, sum.v, sum.a}, 0, in_force_).p - (way_ - p_);
    };
    const double exact = rounding(0, way_, way_);
    const Bracket found = narrow({a_, over(a_), 0, over(0)}, over,
                                 [&](const Bracket& b) { return -b.f_low <= exact || b.f_high <= exact; });
    const double a = -found.f_low <= found.f_high ? found.low : found.high;
    const Sum sum = raised(a);
    out_.stretch((a - a_) / in_force_.decel_jerk, in_force_.decel_jerk, a);
    tell_speed_change(sum.v, a, 0, in_force_, out_);
  }

  /// Above the speed, and even coming down to it as fast as can be would rest too late: brakes as for a stop until the
  /// speed is right. The move goes on from there.
  void tell_slowing_down() noexcept {
    SlowedDown slowed{in_force_.speed, out_, {0, v_, a_, 0}};
    tell_speed_change(v_, a_, 0, in_force_, slowed);
    p_ += slowed.sum.p;
    v_ = slowed.sum.v;
    a_ = slowed.sum.a;
  }

  /// Passes on what it hears until the velocity is down to `speed`.
  struct SlowedDown {
    double speed;
    Facing<ProfileWriter> out;
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

  double p_ = 0;
  double v_, a_;
  const double way_;
  const MotionLimits& in_force_;
  const Facing<ProfileWriter> out_;
};

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

Profile move_to(const AxisState& from, double target, const MotionLimits& limits) noexcept {
  ProfileWriter out(from);
  const double way = target - from.p;
  const double stopping = sum_of_change({0, from.v, from.a}, 0, limits).p;
  const double off = way - stopping, exact = rounding(from.p, target, way);
  if (off > exact) {
    Rightward(from.v, from.a, way, limits, {out}).tell();
  } else if (off < -exact) {
    Rightward(-from.v, -from.a, -way, limits, {out, true}).tell();
  } else {
    tell_speed_change(from.v, from.a, 0, limits, out);
  }
  return out.at(target);
}

Profile change_speed(const AxisState& from, double v, const MotionLimits& limits) noexcept {
  ProfileWriter out(from);
  const double to = v > limits.speed ? limits.speed : v < -limits.speed ? -limits.speed : v == v ? v : 0;
  tell_speed_change(from.v, from.a, to, limits, out);
  return out.done();
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
