#include <gyrax/envelope/envelope.hpp>

#include <cmath>

namespace gyrax {
namespace {

bool stands(Mode mode) noexcept { return mode == Mode::stand || mode == Mode::braked; }

constexpr double countable = 4e9;

double magnitude(double value) noexcept { return value < 0 ? -value : value; }

/// False for NaN and for what cannot be counted in nano-units.
bool sound(double value) noexcept { return value >= -countable && value <= countable; }

}  // namespace

Envelope::Checked::Checked(const Bounds& b) noexcept
    : low(b.low),
      high(b.high),
      speed(b.speed * (1 + share)),
      accel(b.accel * (1 + share)),
      decel(b.decel * (1 + share)),
      hardest(accel > decel ? accel : decel),
      jerk(b.jerk * (1 + share)),
      decel_jerk(b.decel_jerk * (1 + share)),
      sharpest(jerk > decel_jerk ? jerk : decel_jerk),
      speed_slack(slack * (1 + b.speed)),
      accel_slack(slack * (1 + hardest)),
      per_jerk(1 / b.jerk),
      per_decel(1 / b.decel),
      decel_ramp_s(b.decel / b.decel_jerk),
      per_decel_jerk(1 / b.decel_jerk) {}

Envelope::Envelope(std::span<const Bounds> bounds, Recompute recompute)
    : recompute_(recompute),
      bounds_(bounds.begin(), bounds.end()),
      checked_(bounds.begin(), bounds.end()),
      states_(bounds.size()) {}

bool Envelope::restart(AxisId axis, double position) noexcept {
  State& state = states_[index(axis)];
  if (state.v != 0 || !sound(position)) return false;
  state = {position, 0, 0, false};
  return true;
}

void Envelope::set_travel(AxisId axis, double low, double high) noexcept {
  Bounds& bounds = bounds_[index(axis)];
  bounds.low = low;
  bounds.high = high;
  checked_[index(axis)] = Checked(bounds);
}

/// Whether a stop from the speed v ≥ 0 with the acceleration a (told towards the speed) fits into `room`.
bool Envelope::room_to_stop(const Checked& b, double v, double a, double room) noexcept {
  // What still gains speed runs out first; the brake comes on, holds, and goes off again.
  const double fall = a > 0 ? a * b.per_jerk : 0, top = v + a * fall / 2;
  const double first = fall * (v + a * fall / 3);
  if (first + top / 2 * (top * b.per_decel + b.decel_ramp_s) <= room) return true;
  const auto way = [&](double speed) {
    const bool holds = speed * b.per_decel >= b.decel_ramp_s;
    return holds ? speed / 2 * (speed * b.per_decel + b.decel_ramp_s) : speed * std::sqrt(speed * b.per_decel_jerk);
  };
  if (a >= 0) return first + way(top) <= room;
  // It brakes: as if the brake had gone on at a higher speed, a while before. Where that is more than a stop needs it
  // turns at once.
  const double on = -a * b.per_decel_jerk, before = v - a * on / 2;
  if (v < -a * on / 2) return true;
  return way(before) - on * (before + a * on / 6) <= room;
}

/// Whether an axis stays where it stands, or goes on at the speed that was accepted already with plenty of room to stop
/// in. Yes only where holds() says so, too.
bool Envelope::goes_on(const Checked& b, const State& last, bool may_move, const AxisCommand& c, double dt) noexcept {
  if (c.v != last.v || c.a != 0 || last.a != 0 || !(dt >= 0)) return false;
  const double moved = c.p - last.p;
  if (c.v == 0) return moved == 0;
  const double units = slack * (1 + magnitude(c.p)), speed = magnitude(c.v);
  const double room = (c.v > 0 ? b.high - c.p : c.p - b.low) + units, slower = speed * (1 - share);
  return may_move && !stands(c.mode) && speed <= b.speed && sound(c.p) && magnitude(moved - c.v * dt) <= units &&
         slower / 2 * (slower * b.per_decel + b.decel_ramp_s) <= room;
}

bool Envelope::holds(const Checked& b, const State& last, bool may_move, const AxisCommand& c,
                     double dt) const noexcept {
  if (!(sound(c.p) && sound(c.v) && sound(c.a) && dt >= 0)) return false;
  const double moved = c.p - last.p;
  if (!may_move || stands(c.mode)) return moved == 0 && c.v == 0 && c.a == 0 && last.v == 0 && last.a == 0;
  if (moved == 0 && c.v == 0 && c.a == 0 && last.v == 0 && last.a == 0) return true;

  if (magnitude(c.v) > b.speed) return false;
  const double units = slack * (1 + magnitude(c.p));
  // At a steady speed, as most ticks are, nothing but that is left to hold. Both ends may be alike with a move between
  // them, too.
  if (c.a == 0 && last.a == 0 && c.v == last.v && magnitude(moved - c.v * dt) <= units)
    return fits_in(b, c, moved, units);

  // Acceleration as told; gaining speed with one limit, losing it with the other.
  const double gains = c.v * c.a, gained = last.v * last.a;
  const bool turned = c.v * last.v <= 0 || magnitude(c.v) + magnitude(last.v) <= b.hardest * dt;
  if (magnitude(c.a) > (gains > 0 ? b.accel : c.v == 0 ? b.hardest : b.decel) + slack) return false;

  // Jerk as the difference of accelerations, and the distances from what those allow: with both ends given, a jerk
  // within ±j strays from the trapezoid's speed by at most j·dt²/4, and from Hermite's distance by at most
  // 0.0321·j·dt³.
  const double jerk = turned || gains * gained < 0 ? b.sharpest : gains + gained > 0 ? b.jerk : b.decel_jerk;
  const double change = c.a - last.a, gain = c.v - last.v, open = b.sharpest * dt * dt;
  if (magnitude(change) > jerk * dt + b.accel_slack) return false;
  if (magnitude(gain - (c.a + last.a) / 2 * dt) > open / 4 + b.speed_slack) return false;
  if (magnitude(moved - (c.v + last.v) / 2 * dt + change * dt * dt * (1.0 / 12)) > 0.0321 * open * dt + units)
    return false;

  return fits_in(b, c, moved, units);
}

/// Travel, and room to stop in: outside only inwards or at rest. What rounding leaves of a stop is no way outwards.
bool Envelope::fits_in(const Checked& b, const AxisCommand& c, double moved, double units) noexcept {
  const bool stands = magnitude(c.v) <= b.speed_slack;
  if (stands && magnitude(moved) <= units) return true;
  const bool up = stands ? moved > 0 : c.v > 0;
  const double room = (up ? b.high - c.p : c.p - b.low) + units;
  if (room < 0) return false;
  // Checked for a speed that is less by rounding, which is a shorter stop by more than rounding.
  return room_to_stop(b, magnitude(c.v) * (1 - share), up ? c.a : -c.a, room);
}

void Envelope::ramp_down(const Bounds& b, State& state, AxisCommand& c, double dt) const noexcept {
  double left = dt > 0 ? dt : 0;
  // Acceleration that still gains speed goes first, then the brake comes on, holds and lets go. A brake that is on too
  // hard for what speed is left turns the axis; then the same from the other side.
  for (int stretch = 0; stretch < 10 && left > 0 && (state.v != 0 || state.a != 0); ++stretch) {
    const double way = state.v < 0 || (state.v == 0 && state.a < 0) ? -1 : 1;
    const double v = way * state.v, a = way * state.a, saved = a * a / (2 * b.decel_jerk);
    double jerk = 0, span = 0, to = 0;
    bool ends = false;
    if (a > 0) {
      jerk = -b.jerk;
      span = a / b.jerk;
    } else if (v <= saved * (1 + share)) {
      const double turn = a * a - 2 * b.decel_jerk * v;
      to = turn > share * a * a ? -std::sqrt(turn) : 0;
      jerk = b.decel_jerk;
      span = (to - a) / jerk;
      ends = true;
    } else {
      const double peak = std::sqrt(a * a / 2 + b.decel_jerk * v);
      to = peak < b.decel ? -peak : -b.decel;
      jerk = a > to ? -b.decel_jerk : 0;
      span = a > to ? (a - to) / b.decel_jerk : (v - saved) / -a;
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
  State& state = states_[index(axis)];
  if (command.mode == Mode::off) {
    if (sound(command.p)) state = {command.p, 0, 0, state.refusing};
    command.p = state.p;
    command.v = command.a = 0;
    return Verdict::accepted;
  }
  if (!state.refusing && recompute_ == Recompute::changed &&
      goes_on(checked_[index(axis)], state, may_move, command, dt_s)) {
    state.p = command.p;
    return Verdict::accepted;
  }
  if (state.refusing || !holds(checked_[index(axis)], state, may_move, command, dt_s)) {
    const bool first = !state.refusing;
    ramp_down(bounds_[index(axis)], state, command, dt_s);
    return first ? Verdict::refused : Verdict::accepted;
  }
  state.p = command.p;
  state.v = command.v;
  state.a = command.a;
  return Verdict::accepted;
}

}  // namespace gyrax
