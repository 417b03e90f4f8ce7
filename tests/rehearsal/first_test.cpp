// The rig of the README: one screen, everything else a default.
#include <gyrax/files/text_file.hpp>
#include <gyrax/rehearsal/summary.hpp>
#include <gyrax/rig/review.hpp>

#include "support/rehearsed.hpp"

#include <doctest/doctest.h>

#include <algorithm>

using namespace gyrax;

TEST_CASE("A gantry, a servo, a switch and a pad fit in 25 lines, stand in the README, and move") {
  const std::string text = read_text("demo/first.toml", 1 << 16).text;
  CHECK(std::count(text.begin(), text.end(), '\n') <= 25);
  CHECK(read_text("README.md", 1 << 20).text.find(text) != std::string::npos);
  const test::Rehearsed first("demo/first.toml", "demo/first_session.toml");
  CHECK(summarise(first.rig, first.session, first.done).good());
  CHECK(first.at("x", 16.4).position == 420);                 // into the end of travel
  CHECK(first.at("x", 24.4).speed == doctest::Approx(-180));  // at the speed that the rig says
  CHECK(first.at("tilt", 1).position == 0);                   // a servo stands in its middle first
  CHECK(first.at("x", 26).speed == 0);                        // unplugged at 24.5 s
  const std::string told = review_text(first.rig);
  for (const char* usual : {"900 / 9000*", "within 18 mm of the command", "machine: no heartbeat for 100 ms",
                            "pad: reports on change", "one step of 0.1 mm", "assumed, at 0 deg first"})
    CHECK_MESSAGE(told.find(usual) != std::string::npos, usual);
}
