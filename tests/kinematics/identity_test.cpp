#include <gyrax/kinematics/identity.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>

#include <array>
#include <cmath>
#include <limits>

using namespace gyrax;

TEST_CASE("What fits is left alone; what does not is slowed down, direction kept") {
  std::array<double, 2> joint{};
  const std::array<double, 2> limit{100, 50};
  constexpr double inf = std::numeric_limits<double>::infinity();
  CHECK(identity_share(std::array{60.0, -20.0}, limit, inf, joint) == 1);
  CHECK(joint[0] == 60);
  CHECK(identity_share(std::array{100.0, 100.0}, limit, inf, joint) == 0.5);
  CHECK(joint == std::array{50.0, 50.0});
  CHECK(identity_share(std::array{30.0, 40.0}, limit, 25, joint) == 0.5);  // |(30, 40)| = 50
  CHECK(joint == std::array{15.0, 20.0});
  CHECK(identity_share(std::array{std::nan(""), 1.0}, limit, inf, joint) == 0);
  CHECK(joint == std::array{0.0, 0.0});
}

TEST_CASE("Random directions: no joint and no path above its limit, one of them met, direction kept") {
  test::Random random;
  for (int i = 0; i < 5'000; ++i) {
    std::array<double, 3> asked{}, limit{}, joint{};
    for (std::size_t k = 0; k < 3; ++k) {
      asked[k] = random.in(-300, 300);
      limit[k] = random.scale(1, 500);
    }
    const double cap = random.scale(1, 500);
    const double share = identity_share(asked, limit, cap, joint);
    double closest = 1 - share;
    const double path = std::hypot(joint[0], joint[1], joint[2]);
    REQUIRE(path <= cap * (1 + 1e-12));
    closest = std::min(closest, 1 - path / cap);
    for (std::size_t k = 0; k < 3; ++k) {
      REQUIRE(std::abs(joint[k]) <= limit[k] * (1 + 1e-12));
      closest = std::min(closest, 1 - std::abs(joint[k]) / limit[k]);
      REQUIRE(joint[k] * asked[0] == doctest::Approx(asked[k] * joint[0]));
    }
    REQUIRE(closest < 1e-9);  // the greatest share: something is at its limit
  }
}
