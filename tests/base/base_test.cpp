#include <gyrax/base/nano.hpp>
#include <gyrax/base/time.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>

#include <limits>

using namespace gyrax;

TEST_CASE("A counted position is the nearest whole nano-unit, and comes back as the same double's neighbour") {
  CHECK(to_nano(0.05) == 50'000'000);
  CHECK(to_nano(-0.05) == -50'000'000);
  CHECK(to_nano(0.0000000005) == 1);  // half: away from zero
  CHECK(to_nano(-0.0000000005) == -1);
  CHECK(to_nano(0.00000000049) == 0);
  CHECK(from_nano(500'000'000) == 0.5);
  test::Random random;
  for (int i = 0; i < 10'000; ++i) {
    const Nano n = static_cast<Nano>(random.in(-4e12, 4e12));
    REQUIRE(to_nano(from_nano(n)) == n);
  }
}

TEST_CASE("What cannot be counted is refused") {
  constexpr double inf = std::numeric_limits<double>::infinity();
  for (const double bad : {inf, -inf, std::numeric_limits<double>::quiet_NaN(), 4.0000001e9, -4.0000001e9}) {
    CHECK_FALSE(is_position(bad));
    CHECK(to_nano(bad) == 0);
  }
  CHECK(is_position(max_position));
  CHECK(to_nano(max_position) == 4'000'000'000'000'000'000);
}

TEST_CASE("Seconds and nanoseconds meet") {
  CHECK(from_seconds(0.002) == std::chrono::milliseconds(2));
  CHECK(from_seconds(-0.0015) == std::chrono::microseconds(-1500));
  CHECK(to_seconds(Time{std::chrono::milliseconds(1500)}) == doctest::Approx(1.5).epsilon(1e-15));
  CHECK(from_seconds(std::numeric_limits<double>::quiet_NaN()) == Span{0});
  CHECK(from_seconds(1e300) == Span{0});
}
