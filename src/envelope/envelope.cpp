#include <gyrax/envelope/envelope.hpp>

namespace gyrax {
namespace {

constexpr double countable = 4e9;

double size(double value) noexcept { return value < 0 ? -value : value; }

/// False for NaN and for what cannot be counted in nano-units.
bool sound(double value) noexcept { return value >= -countable && value <= countable; }

}  // namespace

Envelope::Envelope(std::span<const Bounds> bounds) : bounds_(bounds.begin(), bounds.end()), states_(bounds.size()) {}

bool Envelope::restart(AxisId axis, double position) noexcept {
  State& state = states_[index(axis)];
  if (state.v != 0 || !sound(position)) return false;
  state = {position, 0, false};
  return true;
}

bool Envelope::holds(const Bounds& b, const State& last, bool may_move, const AxisCommand& c, double dt) const noexcept {
  if (!(sound(c.p) && sound(c.v) && sound(c.a) && dt >= 0)) return false;
  const double moved = c.p - last.p;
  if (!may_move || c.mode == Mode::hold) return moved == 0 && c.v == 0 && last.v == 0;

  // Speed, and acceleration as the difference of speeds: gaining with accel, losing with brake.
  if (size(c.v) > b.speed * (1 + share)) return false;
  const double hardest = b.accel > b.brake ? b.accel : b.brake;
  const double gain = size(c.v) - size(last.v);
  const bool turned = c.v * last.v < 0;
  const double allowed = (!turned && gain > 0 ? b.accel : turned ? hardest : b.brake) * dt * (1 + share) + slack;
  if (size(c.v - last.v) > allowed) return false;

  // Distance: with both speeds given, an acceleration within ±hardest strays from the mean at most hardest·dt²/4.
  const double stray = size(moved - (c.v + last.v) / 2 * dt);
  if (stray > hardest * dt * dt / 4 * (1 + share) + slack) return false;

  // Travel, and room to stop in: outside only inwards or at rest.
  const double stop = c.v * c.v / (2 * b.brake) * (1 - share);
  if ((c.v > 0 || moved > 0) && c.p + (c.v > 0 ? stop : 0) > b.high + slack) return false;
  if ((c.v < 0 || moved < 0) && c.p - (c.v < 0 ? stop : 0) < b.low - slack) return false;
  return true;
}

void Envelope::ramp_down(const Bounds& b, State& state, AxisCommand& c, double dt) const noexcept {
  const double sign = state.v < 0 ? -1 : 1;
  const double speed = size(state.v);
  const double needed = speed / b.brake;
  const double span = !(dt > 0) ? 0 : dt < needed ? dt : needed;
  state.p += sign * (speed * span - b.brake * span * span / 2);
  state.v = span >= needed ? 0 : sign * (speed - b.brake * span);
  state.refusing = true;
  c.p = state.p;
  c.v = state.v;
  c.a = state.v == 0 ? 0 : -sign * b.brake;
}

Verdict Envelope::check(AxisId axis, bool may_move, AxisCommand& command, double dt_s) noexcept {
  const Bounds& bounds = bounds_[index(axis)];
  State& state = states_[index(axis)];
  if (command.mode == Mode::off) {
    if (sound(command.p)) state = {command.p, 0, state.refusing};
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
  return Verdict::accepted;
}

}  // namespace gyrax
