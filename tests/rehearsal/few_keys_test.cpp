// Handsets with few keys, hold to run: six keys for two servos; a stick and a key for one hand.
#include <gyrax/rehearsal/summary.hpp>

#include "support/golden.hpp"
#include "support/rehearsed.hpp"

#include <doctest/doctest.h>

#include <cmath>

using namespace gyrax;

TEST_CASE("The sessions with few keys are told as they always were") {
  for (const std::string name : {"six_keys", "one_hand"}) {
    CAPTURE(name);
    const test::Rehearsed r("demo/" + name + ".toml", "demo/" + name + "_session.toml");
    const Summary summary = summarise(r.rig, r.session, r.done);
    CHECK(summary.good());
    test::check_golden("tests/golden/" + name + "_summary.txt", text(r.rig, summary));
    const auto given_up = [&](const char* what) {
      for (const std::string& remark : r.rig.remarks)
        if (remark.find(what) != std::string::npos) return true;
      return false;
    };
    CHECK(given_up("hold to run, without an enabling device"));
    CHECK(given_up("makes ready and stows"));
    CHECK(given_up("no key that only stops") == (name == "one_hand"));
  }
}

TEST_CASE("Six keys: a key held over a stop moves nothing more, and the other way comes after the rest") {
  const test::Rehearsed r("demo/six_keys.toml", "demo/six_keys_session.toml");
  // Stopped at 9.7 s, the key is held on for 0.6 s.
  CHECK(r.at("scale_bar", 9.6).speed == -10);
  CHECK(r.at("scale_bar", 10.1).speed == 0);
  CHECK(r.at("scale_bar", 10.1).position == r.at("scale_bar", 11.4).position);
  // Let go at 7.97 s in full swing, the other key 0.03 s later: at rest, then back.
  CHECK(r.at("lamp_tilt", 7.95).speed > 20);
  CHECK(std::abs(r.at("lamp_tilt", 8.28).speed) < 0.1);
  CHECK(r.at("lamp_tilt", 8.6).speed < -10);
}
