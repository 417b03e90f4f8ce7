// Steps from one timer: never one too many, never one too few, and evenly.
#include "../../firmware/gyrax_steps.h"
#include "support/random.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <vector>

using namespace gyrax;

namespace {

constexpr int motors = 16, ticks = 40;  // a timer of 40 kHz, slices of 1 ms

struct Bench {
  explicit Bench(std::uint8_t set_up = 1)
      : all(motors), counted(motors), last_step(motors, -1000), turned(motors, -1000) {
    gyrax_steps_begin(&steps, all.data(), motors, ticks, set_up);
    ways = steps.ways;
  }
  void slice() {
    for (int i = 0; i < ticks; ++i, ++now) {
      const std::uint32_t made = gyrax_steps_tick(&steps);
      for (int m = 0; m < motors; ++m) {
        if (((ways ^ steps.ways) >> m & 1) != 0) turned[static_cast<std::size_t>(m)] = now;
        if ((made >> m & 1) == 0) continue;
        const auto at = static_cast<std::size_t>(m);
        counted[at] += (steps.ways >> m & 1) != 0 ? 1 : -1;
        closest = std::min(closest, now - turned[at]);
        gaps.push_back(now - last_step[at]);
        last_step[at] = now;
      }
      ways = steps.ways;
    }
  }
  gyrax_steps steps{};
  std::vector<gyrax_stepper> all;
  std::vector<std::int64_t> counted;
  std::vector<int> last_step, turned, gaps;
  std::uint32_t ways = 0;
  int now = 0, closest = 1000;
};

}  // namespace

TEST_CASE("After random moves each count is what was asked, to the step") {
  test::Random random;
  const int moves = std::getenv("GYRAX_MORE") != nullptr ? 1'000'000 : 20'000;
  Bench b(2);
  std::vector<std::int64_t> at(motors);
  for (int i = 0; i < moves / motors; ++i) {
    for (int m = 0; m < motors; ++m) {
      std::int64_t& p = at[static_cast<std::size_t>(m)];
      // At most a step in two ticks: 20 in a slice.
      p += random.whole(-19 * 65536, 19 * 65536);
      gyrax_steps_go(&b.steps, static_cast<std::uint8_t>(m), p);
    }
    b.slice();
  }
  b.slice();  // what is owed after a turn
  for (int m = 0; m < motors; ++m) {
    const auto n = static_cast<std::size_t>(m);
    CAPTURE(m);
    CHECK(b.counted[n] == b.all[n].count);
    // Rounded to the nearest; the last slice's division may be short of it by 40 parts in 2^32 of a step.
    CHECK(std::abs(static_cast<double>(b.counted[n]) - static_cast<double>(at[n]) / 65536) <= 0.5 + 1e-6);
  }
  CHECK(b.closest >= 2);  // ticks between a direction and the first step that way
}

TEST_CASE("In a cruise the times between steps differ by one tick at most, at any speed") {
  test::Random random;
  for (int round = 0; round < 200; ++round) {
    Bench b;
    const double steps_a_slice = random.scale(0.01, 19);
    CAPTURE(steps_a_slice);
    for (int i = 1; i < 3000; ++i) {
      gyrax_steps_go(&b.steps, 0, std::llround(i * steps_a_slice * 65536));
      b.slice();
    }
    if (b.gaps.size() < 3) continue;
    const auto [least, most] = std::minmax_element(b.gaps.begin() + 1, b.gaps.end());
    // A position is told in 1/65536 step, so that a slice may be off by as much: below a tick from 1/1600 step a tick
    // on.
    CHECK(*most - *least <= (steps_a_slice > 1 ? 1 : 2));
    CHECK(static_cast<double>(b.gaps.size()) == doctest::Approx(2999 * steps_a_slice).epsilon(0.1));
  }
}

TEST_CASE("A loop that is late stops the motor, and nothing is lost; more than it can is cut off") {
  Bench b;
  gyrax_steps_go(&b.steps, 3, 10 * 65536);
  b.slice();
  b.slice();
  CHECK(b.counted[3] == 10);
  gyrax_steps_go(&b.steps, 3, 15 * 65536);
  gyrax_steps_go(&b.steps, 3, 17 * 65536);  // refused: one slice waits already
  b.slice();
  CHECK(b.counted[3] == 15);
  CHECK(gyrax_steps_go(&b.steps, 3, 1000 * 65536) == 35 * 65536);  // half a step in each of 40 ticks
  b.slice();
  CHECK(b.counted[3] == 35);
}
