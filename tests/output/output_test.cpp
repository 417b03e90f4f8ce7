#include <gyrax/output/output.hpp>

#include <doctest/doctest.h>

#include <cmath>

using namespace gyrax;
using namespace std::chrono_literals;

TEST_CASE("A servo's pulse: the line through its ends, in whole microseconds, with direction and trim") {
  const auto map = *ServoMap::make(-60, 60, 900, 2100, false, 0);
  CHECK(map.pulse_us(-60) == 900);
  CHECK(map.pulse_us(60) == 2100);
  CHECK(map.pulse_us(0) == 1500);
  CHECK(map.pulse_us(0.04) == 1500);   // 0.1 µs a 0.01 deg: 1500.4
  CHECK(map.pulse_us(0.05) == 1501);   // 1500.5: halves up
  CHECK(map.pulse_us(-0.05) == 1500);  // 1499.5: halves up here too
  const auto turned = *ServoMap::make(-60, 60, 900, 2100, true, 12);
  CHECK(turned.pulse_us(0) == 1512);
  CHECK(turned.pulse_us(-60) == 2100);  // never beyond the end, whatever the trim
  CHECK_FALSE(turned.reaches(-60));
  CHECK(turned.reaches(-58));
  CHECK(turned.pulse_us(60) == 912);
  CHECK(turned.position(912) == doctest::Approx(60));
  CHECK(map.pulse_us(1e30) == 2100);
  CHECK(map.pulse_us(-1e30) == 900);
  CHECK(map.pulse_us(std::nan("")) == 1500);
}

TEST_CASE("Every pulse goes to its position and back") {
  for (const bool reversed : {false, true}) {
    const auto map = *ServoMap::make(-2, 32, 1000, 2000, reversed, 7);
    for (int us = 1007; us <= 1993; ++us) CHECK(map.pulse_us(map.position(us)) == us);
  }
}

TEST_CASE("Servo maps that cannot be are refused") {
  CHECK_FALSE(ServoMap::make(1, 1, 900, 2100, false, 0));
  CHECK_FALSE(ServoMap::make(std::nan(""), 1, 900, 2100, false, 0));
  CHECK_FALSE(ServoMap::make(0, 1, 2100, 900, false, 0));
  CHECK_FALSE(ServoMap::make(0, 1, 199, 900, false, 0));
  CHECK_FALSE(ServoMap::make(0, 1, 900, 5001, false, 0));
  CHECK_FALSE(ServoMap::make(0, 1, 900, 2100, false, 1200));
}

TEST_CASE("One frame a link, each word in its device's unit, with how long it is valid") {
  const LinkSetup links[] = {{}, {.frame_valid_for = 30ms}};
  const Wiring axes[] = {{LinkId{1}, 0}, {LinkId{0}, 0}, {LinkId{1}, 1}};
  const Drive drives[] = {CountedMap{}, *ServoMap::make(-60, 60, 900, 2100, false, 0), CountedMap{}};
  const Wiring switches[] = {{LinkId{1}, 0}};
  Output output(links, axes, drives, switches);
  const AxisCommand commands[] = {
      {Mode::follow, 0.05, 1, 0, {}}, {Mode::stand, 30, 0, 0, {}}, {Mode::off, -1.5, 0, 0, {}}};
  const std::uint8_t states[] = {1};
  const auto frames = output.frames(commands, states, Time{2s});
  REQUIRE(frames.size() == 2);
  CHECK(frames[0].axes.size() == 1);
  CHECK(frames[0].axes[0] == AxisWord{Mode::stand, 1800});
  CHECK(frames[1].axes[0] == AxisWord{Mode::follow, 50'000'000, 1'000'000'000});
  CHECK(frames[1].axes[1] == AxisWord{Mode::off, -1'500'000'000});
  CHECK(frames[1].switches[0] == 1);
  CHECK(frames[1].valid_for == 30ms);
  CHECK(frames[1].sent == Time{2s});
  CHECK(frames[1].due == Time{2s});
  const std::uint32_t first = frames[1].sequence;
  CHECK(output.frames(commands, states, Time{3s})[1].sequence == first + 1);
}

TEST_CASE("A motor's word: its dead band skipped, both ways, nothing at rest and no more than full") {
  const MotorMap motor{.dead_band = 0.08};
  struct Case {
    double share;
    std::int32_t power;
  };
  for (const Case& c : {Case{0, 0},
                        {1e-9, 0},
                        {1e-6, 80'001},
                        {0.5, 540'000},
                        {1, 1'000'000},
                        {-0.25, -310'000},
                        {7, 1'000'000},
                        {std::nan(""), 0}}) {
    CAPTURE(c.share);
    CHECK(motor.power(c.share) == c.power);
    CHECK(MotorMap{.dead_band = 0.08, .reversed = true}.power(c.share) == -c.power);
  }
  CHECK(word_of(motor, {Mode::follow, 77, 50, 0, {}}).position == 540'000);
  CHECK(word_of(motor, {Mode::off, 77, 50, 0, {}}).position == 0);
}

TEST_CASE("A far end that knows what a word means gets back what was commanded, to the drive's own unit") {
  struct Case {
    Drive drive;
    double unit;  // of the axis's, for one of the word's
  };
  for (const Case& c : {Case{CountedMap{}, 1e-9},
                        {*ServoMap::make(-60, 60, 900, 2100, false, 12), 0.1},
                        {*ServoMap::make(-2, 32, 1000, 2000, true, 7), 0.034}}) {
    const WordMeaning meaning = meaning_of(c.drive);
    for (double p = -1.5; p < 30; p += 0.37) {
      const AxisWord word = word_of(c.drive, {Mode::follow, p, 0, 0, {}});
      CHECK(std::abs(meaning.offset + meaning.scale * static_cast<double>(word.position) - p) <= c.unit * 0.51);
    }
    CHECK(is_place(c.drive));
  }
  CHECK_FALSE(is_place(MotorMap{}));
  CHECK(meaning_of(MotorMap{.dead_band = 0.1, .reversed = true}).scale == -100.0 / MotorMap::full);
}
