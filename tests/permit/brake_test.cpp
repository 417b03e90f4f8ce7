#include <gyrax/permit/brake.hpp>

#include <doctest/doctest.h>

#include "support/random.hpp"

using namespace gyrax;
using namespace std::chrono_literals;

TEST_CASE("A brake lets go after power, once its axis stands, and takes its time both ways") {
  Brake brake({50ms, 80ms, 60ms});
  Time now{};
  const auto pass = [&](Span span, Brake::Now is) {
    for (const Time end = now + span; now < end;) brake.pass(now += 1ms, is);
  };
  pass(1s, {.powered = false, .wanted = true, .stands = true});
  CHECK(brake.holds());
  pass(1s, {.powered = true, .wanted = true, .stands = false});
  CHECK(brake.holds());  // never on an axis that moves
  pass(1ms, {.powered = true, .wanted = true, .stands = true});
  CHECK(brake.told_open());
  CHECK_FALSE(brake.let_go());
  pass(80ms, {.powered = true, .wanted = true, .stands = false});
  CHECK(brake.let_go());
  pass(59ms, {.powered = true, .wanted = false, .stands = true});
  CHECK_FALSE(brake.told_open());
  CHECK_FALSE(brake.holds());
  pass(2ms, {.powered = true, .wanted = false, .stands = true});
  CHECK(brake.holds());
  // Not before the drive holds the axis by itself.
  pass(1ms, {.powered = false});
  pass(50ms, {.powered = true, .wanted = true, .stands = true});
  CHECK(brake.holds());
  pass(2ms, {.powered = true, .wanted = true, .stands = true});
  CHECK(brake.told_open());
}

TEST_CASE("Whatever happens: closed without power, and let go only while the axis stands") {
  test::Random random;
  for (int life = 0; life < 200; ++life) {
    const auto some = [&](int most) { return std::chrono::milliseconds(random.whole(0, most)); };
    const BrakeTimes times{some(100), some(200), some(200)};
    Brake brake(times);
    Time now{};
    Brake::Now is;
    Time told_at{}, powered_at{};
    for (int t = 0; t < 2000; ++t) {
      now += std::chrono::milliseconds(random.whole(0, 20));
      const bool was_powered = is.powered, was_told = brake.told_open();
      if (random.chance(0.05)) is.powered = !is.powered;
      if (random.chance(0.05)) is.wanted = !is.wanted;
      if (random.chance(0.1)) is.stands = !is.stands;
      if (is.powered && !was_powered) powered_at = now;
      brake.pass(now, is);
      if (brake.told_open() && !was_told) told_at = now;
      if (!is.powered) CHECK(brake.holds());
      if (brake.told_open() && !was_told) CHECK((is.stands && is.wanted && now - powered_at >= times.power));
      if (brake.let_go()) CHECK(now - told_at >= times.opens);
    }
  }
}
