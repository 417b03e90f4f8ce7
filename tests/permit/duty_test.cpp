// How long an axis may run that nothing measures.
#include <gyrax/permit/duty.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>

#include <deque>

using namespace gyrax;
using namespace std::chrono_literals;

TEST_CASE("Whoever runs whenever it may never runs longer than it may, in one direction or of any such time") {
  test::Random random(17);
  for (int machine = 0; machine < 200; ++machine) {
    CAPTURE(machine);
    DutyLimits limits;
    if (machine % 3 != 1) limits.max_run = from_seconds(random.in(0.2, 5));
    limits.rest = from_seconds(random.in(0, 2));
    if (machine % 3 != 0) {
      limits.share = random.in(0.05, 0.9);
      limits.over = from_seconds(random.in(5, 30));
    }
    Duty duty(limits);
    const double patience = random.in(0, 1);
    const Span tick = std::chrono::milliseconds(random.whole(1, 20));
    struct Run {
      Time at;
      Span span;
    };
    std::deque<Run> runs;
    Span in_window{}, in_one{}, most_in_one{}, most{}, stood{};
    int direction = 0, last = 0;
    bool ever = false;
    for (Time now; now < Time{100s}; now += tick) {
      // A hand that lets go now and then, and turns round; an axis that stops at once.
      if (random.in(0, 1) < 0.002) direction = random.in(0, 1) < patience ? direction : random.whole(-1, 1);
      const int moves = duty.rests() ? 0 : direction;
      ever = ever || duty.rests();
      duty.pass(now, moves);
      if (moves != 0) {
        in_one = moves == last ? in_one + tick : tick;
        last = moves;
        stood = Span{};
        runs.push_back({now, tick});
        in_window += tick;
      } else if ((stood += tick) > limits.rest) {
        in_one = Span{};
      }
      while (!runs.empty() && runs.front().at <= now - limits.over) {
        in_window -= runs.front().span;
        runs.pop_front();
      }
      most_in_one = in_one > most_in_one ? in_one : most_in_one;
      most = in_window > most ? in_window : most;
    }
    if (limits.max_run > Span{}) CHECK(most_in_one <= limits.max_run + 2 * tick);
    if (limits.share < 1) CHECK(to_seconds(most) <= to_seconds(limits.over) * limits.share + to_seconds(2 * tick));
  }
}

TEST_CASE("It runs again after its rest, and a pause that is shorter does not begin a new run") {
  Duty duty({.max_run = 2s, .rest = 1s});
  auto pass_for = [&, now = Time{}](Span span, int direction) mutable {
    for (const Time end = now + span; now < end; now += 10ms) duty.pass(now, direction);
  };
  pass_for(1500ms, 1);
  pass_for(900ms, 0);
  pass_for(600ms, 1);
  CHECK(duty.rests());
  pass_for(900ms, 0);
  CHECK(duty.rests());
  pass_for(200ms, 0);
  CHECK_FALSE(duty.rests());
  // The other way is a run of its own.
  pass_for(1900ms, 1);
  pass_for(1900ms, -1);
  CHECK_FALSE(duty.rests());
  pass_for(200ms, -1);
  CHECK(duty.rests());
}
