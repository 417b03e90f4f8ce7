#include "motion/reference.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace reference {
namespace {

struct State {
  double p = 0, v = 0, a = 0;
};

State mirrored(const State& s) { return {-s.p, -s.v, -s.a}; }

State after(const State& s, double jerk, double t) {
  return {s.p + t * (s.v + t * (s.a / 2 + t * jerk / 6)), s.v + t * (s.a + t * jerk / 2), s.a + t * jerk};
}

/// The first time in [0, end] at which `is` holds, for what does not hold at first and stays once it holds; end if
/// never.
template <class Is>
double first_time(double end, Is is) {
  if (!is(end)) return end;
  double low = 0, high = end;
  for (int i = 0; i < 52; ++i) {
    const double middle = (low + high) / 2;
    (is(middle) ? high : low) = middle;
  }
  return high;
}

bool forwards(const State& s) { return s.v > 0 || (s.v == 0 && s.a >= 0); }

/// The jerk that raises the acceleration: a > 0 gains forwards and brakes backwards.
double raising(const State& s, const Limits& l) { return (s.a >= 0) == forwards(s) ? l.jerk : l.decel_jerk; }

/// Time until a standstill is passed under this jerk; `end` if none is in that time.
double until_standstill(const State& s, double jerk, double end) {
  if (s.v == 0) return end;
  const bool forward = s.v > 0;
  // Where the speed has a turning point in between, it is looked for on both sides of it.
  const double turn = jerk != 0 ? -s.a / jerk : -1;
  const auto passed = [&](double t) { return forward ? after(s, jerk, t).v <= 0 : after(s, jerk, t).v >= 0; };
  if (turn > 0 && turn < end && passed(turn)) return first_time(turn, passed);
  return first_time(end, passed);
}

/// Raises the acceleration for `t` as hard as is legal but for the speed. Returns the state then.
State push(State s, double t, const Limits& l) {
  for (int events = 0; t > 0 && events < 100; ++events) {
    const bool forward = forwards(s);
    const double cap = forward ? l.accel : l.decel;
    // A standstill is to be passed with no more than accel, and with no more than the speed bears.
    const double through = std::min(l.accel, std::sqrt(2 * l.jerk * l.speed));
    const auto must_lower = [&](const State& x) {
      return x.a > through && x.a * x.a - through * through >= -2 * l.decel_jerk * x.v;
    };
    double jerk = raising(s, l), span = t;
    if (!forward && must_lower(s)) {
      jerk = -l.decel_jerk;
    } else if (s.a < 0) {
      span = std::min(t, -s.a / jerk);
    } else if (s.a < cap) {
      span = std::min(t, (cap - s.a) / jerk);
    } else {
      jerk = 0;
    }
    const double stand = until_standstill(s, jerk, span);
    double curve = span;
    if (!forward && jerk >= 0) curve = first_time(stand, [&](double x) { return must_lower(after(s, jerk, x)); });
    const double passed = std::min(stand, curve);
    const State next = after(s, jerk, passed);
    const bool stands = stand < span && passed == stand, to_zero = s.a < 0 && passed == span && span < t;
    s = {next.p, stands ? 0 : next.v, to_zero ? 0 : next.a};
    // From a standstill the sign of the acceleration tells the side.
    t -= std::max(passed, 1e-15);
  }
  return s;
}

/// Takes the acceleration to 0 at once, and the time that takes.
State settle(State s, const Limits& l, double* time) {
  *time = 0;
  if (s.a > 0) {
    s = mirrored(s);
    s = settle(s, l, time);
    return mirrored(s);
  }
  for (int events = 0; s.a < 0 && events < 10; ++events) {
    const double jerk = raising(s, l), span = -s.a / jerk, stand = until_standstill(s, jerk, span);
    const bool stands = stand < span;
    s = after(s, jerk, stand);
    *time += stand;
    if (stands) {
      s.v = 0;
    } else {
      s.a = 0;
    }
  }
  return s;
}

double settled_speed(const State& s, const Limits& l) {
  double ignored = 0;
  return settle(s, l, &ignored).v;
}

/// The least while of pushing after which the speed settles at `v` or more.
double push_until(const State& s, double v, const Limits& l) {
  double high = 1e-6;
  while (settled_speed(push(s, high, l), l) < v && high < 1e6) high *= 2;
  return first_time(high, [&](double t) { return settled_speed(push(s, t, l), l) >= v; });
}

/// The fastest stop: the time it takes; leaves the rest point in s.
double stop(State& s, const Limits& l) {
  const double settles_at = settled_speed(s, l);
  if (settles_at > 0) {
    s = mirrored(s);
    const double t = stop(s, l);
    s = mirrored(s);
    return t;
  }
  const double pushed = settles_at < 0 ? push_until(s, 0, l) : 0;
  double settling = 0;
  s = settle(push(s, pushed, l), l, &settling);
  return pushed + settling;
}

}  // namespace

double switching_time(double v, double a, double way, const Limits& l) {
  State rest{0, v, a};
  const double straight = stop(rest, l);
  if (way == rest.p) return straight;
  const double sign = way < rest.p ? -1 : 1;
  const State from{0, sign * v, sign * a};
  const double at_speed = settled_speed(from, l) >= l.speed ? 0 : push_until(from, l.speed, l);
  double time = 0;
  const auto goes_by = [&](double while_pushed) {
    State s = push(from, std::min(while_pushed, at_speed), l);
    time = while_pushed;
    if (while_pushed > at_speed) {
      double settling = 0;
      s = settle(s, l, &settling);
      s.p += l.speed * (while_pushed - at_speed);
      time += settling;
    }
    time += stop(s, l);
    return s.p;
  };
  double end = 1e-6;
  while (goes_by(end) < sign * way && end < 1e6) end *= 2;
  goes_by(first_time(end, [&](double t) { return goes_by(t) >= sign * way; }));
  return time;
}

Limits Lattice::limits() const {
  const double jerk_unit = accel_unit / step_s;
  return {static_cast<double>(speed) * accel_unit * step_s / 2, accel * accel_unit, jerk * jerk_unit,
          decel * accel_unit, decel_jerk * jerk_unit};
}

std::vector<Lattice::Reach> Lattice::reach(int steps) const {
  const int most = std::max(accel, decel);
  const std::int64_t row = 2 * most + 1, columns = 2 * speed + 1;
  constexpr std::int64_t never = std::numeric_limits<std::int64_t>::min() / 4;
  // In units of accel_unit·step²/6; the furthest to the right, and with the sign turned, the furthest to the left.
  std::vector<std::int64_t> now[2], next[2];
  for (auto& side : now) side.assign(static_cast<std::size_t>(row * columns), never);
  const auto at = [&](std::int64_t v, std::int64_t a) {
    return static_cast<std::size_t>((v + speed) * row + a + most);
  };
  now[0][at(v0, a0)] = now[1][at(v0, a0)] = 0;
  std::vector<Reach> found;
  const double unit = accel_unit * step_s * step_s / 6;
  for (int k = 0; k <= steps; ++k) {
    const std::int64_t high = now[0][at(0, 0)], low = now[1][at(0, 0)];
    found.push_back({high != never, -static_cast<double>(low) * unit, static_cast<double>(high) * unit});
    for (auto& side : next) side.assign(static_cast<std::size_t>(row * columns), never);
    for (std::int64_t v = -speed; v <= speed; ++v)
      for (int a = -most; a <= most; ++a) {
        if (now[0][at(v, a)] == never) continue;
        for (int change = -std::max(jerk, decel_jerk); change <= std::max(jerk, decel_jerk); ++change) {
          const int b = a + change;
          const std::int64_t w = v + a + b;
          if (w < -speed || w > speed || a * b < 0) continue;
          // The side that counts for the whole step; where it crosses a standstill, both.
          const std::int64_t way = v + w, acting = a + b;
          const bool crosses = v * w < 0;
          const bool gains = way * acting > 0, loses = way * acting < 0;
          const int top = std::max(std::abs(a), std::abs(b)), by = std::abs(change);
          if ((gains || crosses) && (top > accel || by > jerk)) continue;
          if ((loses || crosses) && (top > decel || by > decel_jerk)) continue;
          if (!gains && !loses && !crosses && (a != 0 || b != 0)) continue;
          const std::int64_t moved = 3 * v + 2 * a + b;
          auto& right = next[0][at(w, b)];
          right = std::max(right, now[0][at(v, a)] + moved);
          auto& leftward = next[1][at(w, b)];
          leftward = std::max(leftward, now[1][at(v, a)] - moved);
        }
      }
    std::swap(now[0], next[0]);
    std::swap(now[1], next[1]);
  }
  return found;
}

}  // namespace reference
