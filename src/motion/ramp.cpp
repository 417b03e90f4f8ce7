#include <gyrax/motion/ramp.hpp>

#include <cmath>

namespace gyrax {

double stop_distance(double v, double brake) noexcept { return v * v / (2 * brake); }

double stop_time(double v, double brake) noexcept { return (v < 0 ? -v : v) / brake; }

void Ramp::add(double duration, double accel) noexcept {
  if (!(duration > 0)) return;
  pieces_[count_++] = {duration, accel, p_, v_};
  p_ += v_ * duration + accel * duration * duration / 2;
  v_ += accel * duration;
  duration_ += duration;
}

void Ramp::finish(double target) noexcept { target_ = target; }

AxisState Ramp::at(double t_s) const noexcept {
  if (t_s >= duration_) return {target_, 0, 0};
  if (!(t_s > 0)) return from_;
  for (std::size_t i = 0; i < count_; ++i) {
    const Piece& piece = pieces_[i];
    if (t_s < piece.duration || i + 1 == count_) {
      if (i + 1 == count_) {
        // The last piece brakes to the target: told from its end, rounding cannot carry it past.
        const double left = piece.duration - t_s;
        return {target_ + piece.accel * left * left / 2, -piece.accel * left, piece.accel};
      }
      return {piece.p + piece.v * t_s + piece.accel * t_s * t_s / 2, piece.v + piece.accel * t_s, piece.accel};
    }
    t_s -= piece.duration;
  }
  return {target_, 0, 0};
}

Ramp ramp_to_rest(AxisState from, double brake) noexcept {
  Ramp ramp;
  ramp.from_ = from;
  ramp.p_ = from.p;
  ramp.v_ = from.v;
  const double sign = from.v < 0 ? -1 : 1;
  ramp.add(stop_time(from.v, brake), -sign * brake);
  ramp.finish(from.p + sign * stop_distance(from.v, brake));
  return ramp;
}

Ramp ramp_to(AxisState from, double target, const Pace& pace) noexcept {
  Ramp ramp;
  ramp.from_ = from;
  ramp.p_ = from.p;
  ramp.v_ = from.v;
  ramp.finish(target);

  // Moving away from the target, or too fast to stop at it: first come to rest. What is within rounding of stopping
  // exactly there does stop there, at a brake that differs in its last digits.
  const double first_sign = target < from.p ? -1 : 1;
  const double stop = stop_distance(from.v, pace.brake);
  const double distance = first_sign * (target - from.p);
  const double rounding = 1e-9 * (stop + 1e-3);
  if (from.v * first_sign < 0 || stop > distance + rounding) {
    const double along = from.v < 0 ? -1 : 1;
    ramp.add(stop_time(from.v, pace.brake), -along * pace.brake);
    ramp.p_ = from.p + along * stop;
    ramp.v_ = 0;
  }
  const double sign = target < ramp.p_ ? -1 : 1;
  const double d = sign * (target - ramp.p_);
  const double v = sign * ramp.v_;
  if (!(d > 0)) return ramp;
  const double still = stop_distance(v, pace.brake);
  if (still >= d) {
    ramp.add(2 * d / v, -sign * v * v / (2 * d));
    return ramp;
  }
  const double reach = std::sqrt((2 * pace.accel * pace.brake * d + pace.brake * v * v) / (pace.accel + pace.brake));
  const double peak = reach < pace.cruise ? reach : pace.cruise;
  ramp.add((v - peak) / pace.brake, -sign * pace.brake);  // too fast for this pace: one of these two
  ramp.add((peak - v) / pace.accel, sign * pace.accel);   // has no duration
  ramp.v_ = sign * peak;
  const double stopping = stop_distance(peak, pace.brake);
  const double cruising = sign * (target - ramp.p_) - stopping;
  if (cruising > 0) ramp.add(cruising / peak, 0);
  ramp.v_ = sign * peak;
  ramp.add(peak / pace.brake, -sign * pace.brake);
  return ramp;
}

}  // namespace gyrax
