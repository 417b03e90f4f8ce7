// Random rigs, asks, limit changes and tick lengths by the million, every limit measured from the outputs.
//
//     bench_motion_campaign [TICKS [SEED]]      20 million and 1 by default; exit code 1 where a limit was passed
#include "random.hpp"

#include <gyrax/motion/motion.hpp>
#include <gyrax/testing/limit_checker.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <random>
#include <vector>

namespace {

using namespace gyrax;

using bench::Random;

struct Totals {
  double speed = 0, accel = 0, jerk = 0, leap = 0, travel = 0, path = 0;
  std::size_t ticks = 0, near_speed = 0, near_accel = 0, near_decel = 0, near_jerk = 0, near_decel_jerk = 0, at_end = 0;
  std::size_t group_ticks = 0, near_path = 0, wrong_rests = 0, rests = 0, late_rests = 0, stops = 0;

  void add(const testing::LimitChecker& c) {
    speed = std::max(speed, c.speed());
    accel = std::max(accel, c.accel());
    jerk = std::max(jerk, c.jerk());
    leap = std::max(leap, c.leap());
    travel = std::max(travel, c.travel());
    ticks += c.ticks();
    near_speed += c.near_speed();
    near_accel += c.near_accel();
    near_decel += c.near_decel();
    near_jerk += c.near_jerk();
    near_decel_jerk += c.near_decel_jerk();
    at_end += c.at_end();
  }
  double worst() const { return std::max({speed, accel, jerk, leap, travel, path}); }
};

/// Ramps that last from a few ticks to some hundred.
AxisLimits random_limits(Random& random) {
  const double low = random.in(-200, 0), high = low + random.scale(1, 2000), speed = random.scale(1, 300);
  const double accel = speed / random.scale(0.05, 2), decel = accel * random.scale(0.2, 3);
  return *AxisLimits::make(low, high,
                           {speed, accel, accel / random.scale(0.02, 1), decel, decel / random.scale(0.01, 0.4)});
}

double random_tick(Random& random) {
  return random.chance(0.02) ? 0 : random.chance(0.8) ? random.scale(0.0002, 0.005) : random.scale(0.005, 0.1);
}

/// One axis, asked for anything at any moment.
class LoneAxis {
 public:
  LoneAxis(Random& random, Totals& totals)
      : random_(random), totals_(totals), limits_(random_limits(random)), axis_(limits_), checker_(limits_) {
    const double span = limits_.high() - limits_.low();
    axis_.restart(random_.chance(0.1) ? limits_.low() - 0.1 * span : random_.in(limits_.low(), limits_.high()));
    checker_.start(axis_.state().p);
  }

  void run(int asks) {
    for (int i = 0; i < asks; ++i) {
      ask();
      for (int k = random_.whole(1, 120); k > 0; --k) tick();
    }
    rest();
    totals_.add(checker_);
  }

 private:
  void ask() {
    if (random_.chance(0.15))
      scale(random_.chance(0.4) ? 1 : random_.scale(0.05, 1), random_.chance(0.5) ? 1 : random_.in(0.2, 1));
    const double low = limits_.low(), high = limits_.high();
    const Nano by = to_nano(random_.scale(1e-3, 1) * (random_.chance(0.5) ? 1 : -1));
    switch (random_.whole(0, 9)) {
      case 0: axis_.stop(); break;
      case 1:
        axis_.go(to_nano(random_.chance(0.2) ? (random_.chance(0.5) ? low : high) : random_.in(low, high)));
        break;
      case 2:
        axis_.settle();
        for (int n = random_.whole(1, 5); n > 0; --n) axis_.step(by);
        axis_.settle();
        break;
      case 3:
        axis_.settle();
        axis_.wheel(random_.whole(-50, 50), by, random_.chance(0.5) ? 0 : to_nano(random_.scale(0.01, 5)));
        axis_.settle();
        break;
      case 4: axis_.follow(random_.in(low, high), limits_.speed() * random_.in(0.05, 0.5)); break;
      default: axis_.jog((random_.chance(0.7) ? (random_.chance(0.5) ? 1 : -1) : random_.in(-1, 1)) * limits_.speed());
    }
    wanders_ = random_.chance(0.2);
  }

  void scale(double speed, double accel) {
    axis_.scale(speed, accel);
    checker_.in_force(axis_.in_force());
  }

  void tick() {
    // Hands that never hold still.
    if (wanders_) axis_.jog(random_.in(-1, 1) * limits_.speed());
    const double dt = random_tick(random_), before = axis_.state().p;
    axis_.advance(dt);
    const AxisState& s = axis_.state();
    checker_.tick(s.p, s.v, s.a, dt);
    // Inside the travel to the last digit, not only within rounding; from outside, back in only.
    if (s.p > limits_.high()) totals_.travel = std::max(totals_.travel, s.p - std::max(before, limits_.high()));
    if (s.p < limits_.low()) totals_.travel = std::max(totals_.travel, std::min(before, limits_.low()) - s.p);
  }

  /// Rests where, and not later than, the public functions say.
  void rest() {
    axis_.stop();
    const AxisState from = axis_.state();
    const StopReach reach = stop_reach(from, axis_.in_force());
    double t = 0;
    while (!axis_.at_rest() && t < reach.time_s * 2 + 1) {
      const double dt = std::max(random_tick(random_), 0.0002);
      axis_.advance(dt);
      t += dt;
      checker_.tick(axis_.state().p, axis_.state().v, axis_.state().a, dt);
    }
    ++totals_.stops;
    const double off = std::abs(axis_.state().p - from.p - reach.distance);
    totals_.late_rests += off > 1e-9 * (1 + std::abs(from.p)) || t > reach.time_s + 0.1 ? 1 : 0;
  }

  Random& random_;
  Totals& totals_;
  AxisLimits limits_;
  AxisMotion axis_;
  testing::LimitChecker checker_;
  bool wanders_ = false;
};

/// Two or three axes under a cap of their path speed, jogged, stepped and sent to poses.
class Group {
 public:
  Group(Random& random, Totals& totals)
      : random_(random),
        totals_(totals),
        limits_(all(random)),
        setup_(group(random, limits_)),
        motion_(limits_, setup_) {
    for (std::size_t a = 0; a < limits_.size(); ++a) {
      motion_.restart(id(a), to_double(to_nano(random.in(limits_[a].low(), limits_[a].high()))));
      checkers_.emplace_back(limits_[a]);
      checkers_[a].start(motion_.axis(id(a)).state().p);
    }
    requests_.resize(limits_.size());
  }

  void run(int asks) {
    for (int i = 0; i < asks; ++i) {
      ask();
      for (int k = random_.whole(1, 200); k > 0; --k) tick();
    }
    for (const auto& checker : checkers_) totals_.add(checker);
  }

 private:
  static AxisId id(std::size_t a) { return id_at<AxisId>(a); }
  static double to_double(Nano value) { return from_nano(value); }
  static std::vector<AxisLimits> all(Random& random) {
    std::vector<AxisLimits> limits;
    for (int n = random.whole(2, 3); n > 0; --n) limits.push_back(random_limits(random));
    return limits;
  }
  static std::vector<GroupSetup> group(Random& random, const std::vector<AxisLimits>& limits) {
    GroupSetup g;
    double fastest = 0;
    for (std::size_t a = 0; a < limits.size(); ++a) {
      g.axes.push_back(id(a));
      fastest = std::max(fastest, limits[a].speed());
    }
    g.path_speed = fastest * random.scale(0.2, 1);
    return {g};
  }

  void ask() {
    const int kind = random_.whole(0, 9);
    for (std::size_t a = 0; a < limits_.size(); ++a) {
      Request& r = requests_[a];
      r = {};
      if (kind < 6) {
        r.jogging = random_.chance(0.8);
        r.jog = random_.chance(0.5) ? random_.in(-1, 1) : random_.chance(0.5) ? 1 : -1;
      } else if (kind < 8) {
        r.going = r.posing = true;
        r.goal = to_nano(random_.in(limits_[a].low(), limits_[a].high()));
      } else if (kind == 8) {
        motion_.step(id(a), to_nano(random_.in(-3, 3)));
      }
    }
    if (random_.chance(0.15)) override_ = random_.chance(0.5) ? 1 : random_.scale(0.05, 1);
  }

  void tick() {
    const double dt = std::max(random_tick(random_), 0.0002), cap = setup_[0].path_speed;
    motion_.ask(0, requests_, {.speed = override_, .path_speed = cap});
    motion_.advance(0, dt);
    double squares = 0;
    bool arrived = true;
    for (std::size_t a = 0; a < limits_.size(); ++a) {
      const AxisState& s = motion_.axis(id(a)).state();
      checkers_[a].tick(s.p, s.v, s.a, dt);
      squares += s.v * s.v;
      arrived = arrived && (!requests_[a].posing || s.p == from_nano(requests_[a].goal)) && s.v == 0;
    }
    totals_.path = std::max(totals_.path, std::sqrt(squares) - cap * (1 + 1e-6));
    ++totals_.group_ticks;
    totals_.near_path += std::sqrt(squares) > cap * 0.999 ? 1 : 0;
    // Rest under a pose that is still asked for is its end, exactly.
    const bool rests = requests_[0].posing && squares == 0 && !motion_.on_path(0);
    if (rests && rested_) {
      ++totals_.rests;
      totals_.wrong_rests += arrived ? 0 : 1;
    }
    rested_ = rests;
  }

  Random& random_;
  Totals& totals_;
  std::vector<AxisLimits> limits_;
  std::vector<GroupSetup> setup_;
  Motion motion_;
  std::vector<testing::LimitChecker> checkers_;
  std::vector<Request> requests_;
  double override_ = 1;
  bool rested_ = false;
};

}  // namespace

int main(int count, char** words) {
  const auto wanted = static_cast<std::size_t>(count > 1 ? std::atof(words[1]) : 20e6);
  const std::uint64_t seed = count > 2 ? std::strtoull(words[2], nullptr, 10) : 1;
  Random random(seed);
  Totals t;
  std::size_t rigs = 0;
  while (t.ticks < wanted) {
    if (++rigs % 4 == 0) {
      Group(random, t).run(20);
    } else {
      LoneAxis(random, t).run(40);
    }
  }
  const auto percent = [&](std::size_t n, std::size_t of) {
    return 100.0 * static_cast<double>(n) / static_cast<double>(of);
  };
  fmt::print("{} ticks of {} rigs, seed {}: greatest violation beyond rounding, and ticks within 0.1 % of the limit\n",
             t.ticks, rigs, seed);
  fmt::print(
      "  speed       {:>10.3g}   {:>5.1f} %\n  accel       {:>10.3g}   {:>5.1f} %\n  decel              {:>10.1f} %\n",
      t.speed, percent(t.near_speed, t.ticks), t.accel, percent(t.near_accel, t.ticks), percent(t.near_decel, t.ticks));
  fmt::print("  jerk        {:>10.3g}   {:>5.1f} %\n  decel jerk         {:>10.1f} %\n", t.jerk,
             percent(t.near_jerk, t.ticks), percent(t.near_decel_jerk, t.ticks));
  fmt::print("  leap        {:>10.3g}\n  travel      {:>10.3g}   {:>5.1f} % at rest exactly on an end\n", t.leap,
             t.travel, percent(t.at_end, t.ticks));
  fmt::print("  path speed  {:>10.3g}   {:>5.1f} % of {} ticks of groups\n", t.path,
             percent(t.near_path, t.group_ticks), t.group_ticks);
  fmt::print("  {} stops, {} not where or when foretold; {} ticks at rest under a pose, {} not at its end\n", t.stops,
             t.late_rests, t.rests, t.wrong_rests);
  const bool met = percent(t.near_speed, t.ticks) > 5 && percent(t.near_accel, t.ticks) > 5 &&
                   percent(t.near_decel, t.ticks) > 5 && percent(t.near_jerk, t.ticks) > 5 &&
                   percent(t.near_decel_jerk, t.ticks) > 5;
  if (!met) fmt::print("too few ticks near a limit to mean anything\n");
  return t.worst() == 0 && met && t.late_rests == 0 && t.wrong_rests == 0 && t.rests > 0 ? 0 : 1;
}
