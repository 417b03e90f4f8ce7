// An axis that does what it was not told: each sign by itself, and none where a machine only lags.
#include <gyrax/permit/runaway.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>

#include <cmath>
#include <functional>

using namespace gyrax;

namespace {

constexpr double full = 180, in_position = 0.2;
constexpr Span every = std::chrono::milliseconds(4);

struct Found {
  Cause cause = Cause::none;
  double at_s = 1e9;
};

/// What is found first of a machine at `position(t)` that is told `speed(t)`, from its reports of `every`.
Found watch(const std::function<double(double)>& speed, const std::function<double(double)>& position, double length_s,
            const RunawayTimes& times = {}, double resolution = 0.01) {
  Runaway runaway(times, full, in_position);
  Runaway::Told told;
  for (Time now{}; to_seconds(now) < length_s; now += every) {
    const double t = to_seconds(now);
    told.speed = speed(t);
    told.at_rest = told.speed == 0;
    told.position += told.speed * to_seconds(every);
    const double measured = std::round(position(t) / resolution) * resolution;
    if (const Cause wrong = runaway.judge(now, measured, told); wrong != Cause::none) return {wrong, t};
  }
  return {};
}

double nothing(double) { return 0; }

}  // namespace

TEST_CASE("Each sign is found after its time, and not before: an interval of 20 ms and a report later at most") {
  const RunawayTimes times;
  struct Case {
    const char* name;
    Cause cause;
    Span time;
    std::function<double(double)> speed, position;
  };
  const Case cases[] = {
      {"creeps at a tenth of its speed", Cause::moves_at_rest, times.moves_at_rest, nothing,
       [](double t) { return 0.1 * full * t; }},
      {"runs away at its full speed, and more", Cause::moves_at_rest, times.moves_at_rest, nothing,
       [](double t) { return 1.2 * full * t; }},
      {"the wrong way", Cause::wrong_way, times.wrong_way, [](double) { return 40.0; },
       [](double t) { return -40 * t; }},
      {"twice as fast", Cause::overspeed, times.overspeed, [](double) { return 60.0; },
       [](double t) { return 120 * t; }},
      {"one position", Cause::position_frozen, times.position_frozen, [](double) { return -40.0; }, nothing}};
  for (const Case& one : cases) {
    CAPTURE(std::string(one.name));
    const Found found = watch(one.speed, one.position, 2);
    CHECK(found.cause == one.cause);
    CHECK(found.at_s >= to_seconds(one.time));
    CHECK(found.at_s <= to_seconds(one.time) + 0.03);
    // Not watched: something else is found, or nothing.
    RunawayTimes off;
    (one.cause == Cause::moves_at_rest ? off.moves_at_rest
     : one.cause == Cause::wrong_way   ? off.wrong_way
     : one.cause == Cause::overspeed   ? off.overspeed
                                       : off.position_frozen) = Span{};
    CHECK(watch(one.speed, one.position, 2, off).cause != one.cause);
  }
}

TEST_CASE("Property: what follows with a lag, whatever it is told, shows no sign") {
  test::Random random;
  for (int round = 0; round < 300; ++round) {
    const double lag_s = 0.001 + 0.04 * random.in(0, 1);
    // Speeds that change at once now and then, and in between not at all: harder than any motion of ours.
    std::vector<std::pair<double, double>> steps;
    for (double t = 0; t < 4; t += 0.05 + 0.6 * random.in(0, 1))
      steps.emplace_back(t, random.in(0, 1) < 0.3 ? 0 : full * (2 * random.in(0, 1) - 1));
    const auto speed = [&](double t) {
      double v = 0;
      for (const auto& [from, to] : steps)
        if (t >= from) v = to;
      return v;
    };
    double p = 0, target = 0, at = 0;
    const auto position = [&](double t) {
      for (; at < t; at += 0.001) {
        target += 0.001 * speed(at);
        p += (target - p) * 0.001 / lag_s;
      }
      return p;
    };
    CHECK(watch(speed, position, 4).cause == Cause::none);
  }
}

TEST_CASE("A count that flickers, a slow creep inside its tolerance and reports that stay away are no signs") {
  CHECK(watch(
            nothing, [](double t) { return std::fmod(t, 0.008) < 0.004 ? 0.0 : 0.1; }, 5)
            .cause == Cause::none);
  CHECK(watch(
            nothing, [](double t) { return 0.04 * t; }, 4)
            .cause == Cause::none);
  // A count that is coarser than its tolerance and flickers in each interval, at rest and beside a slow motion.
  for (const double told : {0.0, 10.0})
    CHECK(watch([told](double) { return told; },
                [told](double t) { return told * t + (std::fmod(t + 1e-9, 0.04) < 0.02 ? 0 : 2); }, 5)
              .cause == Cause::none);
  // Two reports half a second apart say nothing of what came between.
  Runaway runaway({}, full, in_position);
  for (int i = 0; i < 20; ++i)
    CHECK(runaway.judge(Time{} + i * std::chrono::milliseconds(500), 50.0 * i, {}) == Cause::none);
}

TEST_CASE("Without power nothing is told, and the time begins anew") {
  Runaway runaway({}, full, in_position);
  for (int i = 0; i < 500; ++i) {
    if (i % 50 == 0) runaway.forget();  // each 200 ms
    CHECK(runaway.judge(Time{} + i * every, 0.07 * i, {}) == Cause::none);
  }
}
