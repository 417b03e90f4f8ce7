#include <gyrax/envelope/envelope.hpp>

#include <cmath>

namespace gyrax {
namespace {

constexpr double countable = 4e9;

double size(double value) noexcept { return value < 0 ? -value : value; }

/// False for NaN and for what cannot be counted in nano-units.
bool sound(double value) noexcept { return value >= -countable && value <= countable; }

}  // namespace

/// How far a stop goes from the speed v ≥ 0 at no acceleration: brake on, hold, off; or on and off, where it is short.
double stop_way(const Bounds& b, double v) noexcept {
  const double ramp = b.brake_accel / b.brake_jerk;
  return v >= b.brake_accel * ramp ? v / 2 * (v / b.brake_accel + ramp) : v * std::sqrt(v / b.brake_jerk);
}

/// Whether a stop from the speed v ≥ 0 with the acceleration a (told towards the speed) fits into `room`.
bool room_to_stop(const Bounds& b, double v, double a, double room) noexcept {
  const double fall = a > 0 ? a / b.jerk : 0, top = v + a * fall / 2;
  const double first = fall * (v + a * fall / 3);
  if (first + top / 2 * (top / b.brake_accel + b.brake_accel / b.brake_jerk) <= room) return true;
  if (a >= 0) return first + stop_way(b, top) <= room;
  // It brakes: as if the brake had gone on at a higher speed, a while before. Where that is more than a stop needs it turns at once.
  const double on = -a / b.brake_jerk, before = v - a * on / 2;
  if (v < -a * on / 2) return true;
  return stop_way(b, before) - on * (before + a * on / 6) <= room;
}

Envelope::Envelope(std::span<const Bounds> bounds) : bounds_(bounds.begin(), bounds.end()), states_(bounds.size()) {}

bool Envelope::restart(AxisId axis, double position) noexcept {
  State& state = states_[index(axis)];
  if (state.v != 0 || !sound(position)) return false;
  state = {position, 0, 0, false};
  return true;
}

bool Envelope::holds(const Bounds& b, const State& last, bool may_move, const AxisCommand& c, double dt) const noexcept {
  if (!(sound(c.p) && sound(c.v) && sound(c.a) && dt >= 0)) return false;
  const double moved = c.p - last.p;
  if (!may_move || c.mode == Mode::hold) return moved == 0 && c.v == 0 && c.a == 0 && last.v == 0 && last.a == 0;

  // Speed and acceleration as told; gaining speed with one limit, losing it with the other.
  if (size(c.v) > b.speed * (1 + share)) return false;
  const double hardest = b.accel > b.brake_accel ? b.accel : b.brake_accel;
  const double gains = c.v * c.a, gained = last.v * last.a;
  const bool turned = c.v * last.v <= 0 || size(c.v) + size(last.v) <= hardest * dt;
  if (size(c.a) > (gains > 0 ? b.accel : c.v == 0 ? hardest : b.brake_accel) * (1 + share) + slack) return false;

  // Jerk as the difference of accelerations, and the distances from what those allow: with both ends given, a jerk
  // within ±j strays from the trapezoid's speed by at most j·dt²/4, and from Hermite's distance by at most 0.0321·j·dt³.
  const double most = b.jerk > b.brake_jerk ? b.jerk : b.brake_jerk;
  const double jerk = turned || gains * gained < 0 ? most : gains + gained > 0 ? b.jerk : b.brake_jerk;
  const double change = c.a - last.a, gain = c.v - last.v, units = slack * (1 + size(c.p));
  if (size(change) > jerk * dt * (1 + share) + slack * (1 + hardest)) return false;
  if (size(gain - (c.a + last.a) / 2 * dt) > most * dt * dt / 4 * (1 + share) + slack * (1 + b.speed)) return false;
  if (size(moved - (c.v + last.v) / 2 * dt + change * dt * dt / 12) > 0.0321 * most * dt * dt * dt * (1 + share) + units) return false;

  // Travel, and room to stop in: outside only inwards or at rest.
  if (moved == 0 && c.v == 0) return true;
  const bool up = c.v > 0 || (c.v == 0 && moved > 0);
  const double room = up ? b.high - c.p : c.p - b.low;
  if (room + units < 0) return false;
  // Checked for a speed that is less by rounding, which is a shorter stop by more than rounding.
  if (!room_to_stop(b, size(c.v) * (1 - share), up ? c.a : -c.a, room + units)) return false;
  return true;
}

void Envelope::ramp_down(const Bounds& b, State& state, AxisCommand& c, double dt) const noexcept {
  double left = dt > 0 ? dt : 0;
  // Acceleration that still gains speed goes first, then the brake comes on, holds and lets go. A brake that is on too hard for what speed
  // is left turns the axis; then the same from the other side.
  for (int stretch = 0; stretch < 10 && left > 0 && (state.v != 0 || state.a != 0); ++stretch) {
    const double way = state.v < 0 || (state.v == 0 && state.a < 0) ? -1 : 1;
    const double v = way * state.v, a = way * state.a, saved = a * a / (2 * b.brake_jerk);
    double jerk = 0, span = 0, to = 0;
    bool ends = false;
    if (a > 0) {
      jerk = -b.jerk;
      span = a / b.jerk;
    } else if (v <= saved * (1 + share)) {
      const double turn = a * a - 2 * b.brake_jerk * v;
      to = turn > share * a * a ? -std::sqrt(turn) : 0;
      jerk = b.brake_jerk;
      span = (to - a) / jerk;
      ends = true;
    } else {
      const double peak = std::sqrt(a * a / 2 + b.brake_jerk * v);
      to = peak < b.brake_accel ? -peak : -b.brake_accel;
      jerk = a > to ? -b.brake_jerk : 0;
      span = a > to ? (a - to) / b.brake_jerk : (v - saved) / -a;
      if (!(a > to)) to = a;
    }
    const bool whole = span <= left;
    const double t = whole ? span : left;
    state.p += way * t * (v + t * (a / 2 + t * jerk / 6));
    state.v = whole && ends ? 0 : way * (v + t * (a + t * jerk / 2));
    state.a = way * (whole ? to : a + t * jerk);
    left -= t;
  }
  state.refusing = true;
  c.p = state.p;
  c.v = state.v;
  c.a = state.a;
}

Verdict Envelope::check(AxisId axis, bool may_move, AxisCommand& command, double dt_s) noexcept {
  const Bounds& bounds = bounds_[index(axis)];
  State& state = states_[index(axis)];
  if (command.mode == Mode::off) {
    if (sound(command.p)) state = {command.p, 0, 0, state.refusing};
    command.p = state.p;
    command.v = command.a = 0;
    return Verdict::accepted;
  }
  if (state.refusing || !holds(bounds, state, may_move, command, dt_s)) {
    const bool first = !state.refusing;
    ramp_down(bounds, state, command, dt_s);
    return first ? Verdict::refused : Verdict::accepted;
  }
  state.p = command.p;
  state.v = command.v;
  state.a = command.a;
  return Verdict::accepted;
}

}  // namespace gyrax
