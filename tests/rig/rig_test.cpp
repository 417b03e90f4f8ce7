#include <gyrax/handset/controls.hpp>
#include <gyrax/rig/review.hpp>
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/models.hpp>

#include "support/random.hpp"
#include "support/rigs.hpp"

#include <doctest/doctest.h>

using namespace gyrax;

TEST_CASE("The demo rig is what it says") {
  const Rig rig = load_rig("demo/bench.toml");
  CHECK(rig.axes.size() == 6);
  CHECK(rig.axes[0].name == "x");
  CHECK(rig.axes[4].name == "lamp_tilt");
  CHECK(rig.setup.axes[0].limits.full().decel == 1400);
  CHECK(std::get<ServoMap>(rig.setup.axes[4].drive).pulse_us(0) == 1512);
  CHECK(rig.setup.axes[4].position == PositionKind::assumed);
  CHECK(rig.setup.groups.size() == 5);  // the carriage, and four axes alone
  CHECK(rig.setup.groups[0].path_speed == 200);
  CHECK(rig.setup.notches.overrides.front().values == std::vector<double>{5, 25, 50, 100});
  CHECK(rig.setup.notches.increments[3].values[1] == 1'000'000'000);
  CHECK(rig.setup.links[0].frame_valid_for == std::chrono::milliseconds(40));
  CHECK(rig.setup.zones.size() == 1);
  CHECK(rig.setup.zones[0].links.size() == 1);
  CHECK(rig.setup.switches[0].becomes == default_becomes(Becomes::keep));
  const Origin& origin = rig.origins.at("axis.y.travel");
  CHECK(origin.line > rig.origins.at("axis.x.travel").line);
}

TEST_CASE("A stick's dead zone is round over both halves; one of its own makes it straight") {
  const Rig rig = load_rig("demo/bench.toml");
  const auto control = [&](const char* name) {
    for (const ControlSetup& c : rig.setup.controls)
      if (c.control == find_control(name)->id) return c;
    throw std::invalid_argument(name);
  };
  CHECK(control("stick.left.x").partner != no<SlotId>);
  CHECK(control("stick.left.y").is_second_of_pair);
  CHECK(control("stick.left.y").shape.zone.inner == 0.10);
  CHECK(control("stick.right.x").partner == no<SlotId>);
  CHECK(control("stick.right.y").shape.zone.inner == 0.12);
  CHECK(control("stick.left.y").calibration.reversed());
}

TEST_CASE("A key and a dial that the device lacks are told, as a stick is") {
  Device pad = testing::models::pad().device;
  const std::map<std::string, Device> devices{{"pad", pad}};
  const auto told = [&](const std::string& line) {
    try {
      fit(test::rig(test::jog_and_step + test::bind(line)), devices);
    } catch (const RigError& error) {
      return sentence(error.problems().front());
    }
    return std::string();
  };
  CHECK(told("\"thumb.left\" = { set = \"lamp\" }").empty());
  CHECK(told("\"key.kp4\" = { set = \"lamp\" }") ==
        "rig.toml: handset 'pad' (Bench pad (made up)) has no key.kp4; bind a control that the device has [device]");
  CHECK(told("\"dial.1\" = { handwheel = \"x\" }").find("has no dial.1") != std::string::npos);
}

TEST_CASE("Ends come from the rig, or else from the device itself") {
  Device device;
  device.absolute[0] = {0, 1023, 0, 0, 0};
  device.absolute[1] = {0, 255, 0, 0, 0};
  Rig rig = fit(test::rig(test::jog_and_step), {{"pad", device}});
  CHECK(rig.setup.controls[6].calibration.maximum() == 1023);
  CHECK(rig.setup.controls[6].calibration.centre() == 512);
  const std::string own =
      "[handset.pad.control]\n\"stick.left.x\" = { minimum = -5, centre = 0, maximum = 9 }\n[axis.x]";
  std::string text = test::jog_and_step;
  text.replace(text.find("[axis.x]"), 8, own);
  rig = fit(test::rig(text), {{"pad", device}});
  CHECK(rig.setup.controls[6].calibration.maximum() == 9);
  device.absolute.clear();
  CHECK_THROWS_AS(fit(test::rig(test::jog_and_step), {{"pad", device}}), RigError);
}

TEST_CASE("Interlocks are told with the rig's own names, and what would release them") {
  const Rig rig = test::rig(test::jog_and_step);
  CHECK(say(rig, {.what = Interlock::not_neutral, .slot = SlotId{6}}) == "stick.left.x is not at neutral");
  CHECK(say_release(rig, {.what = Interlock::stowed}) == "press menu.right to make it ready");
  CHECK(say(rig, {.what = Interlock::tripped}, Cause::link_silent) == "the zone has tripped: a link gave no heartbeat");
  CHECK(say(rig, {.what = Interlock::link_silent, .link = LinkId{0}}) == "machine gives no heartbeat");
  CHECK(say_amount(rig, AxisId{0}, -50'000'000) == "-0.05 mm");
  CHECK(say_amount(rig, AxisId{0}, 10'000'000'000) == "+10 mm");
  for (std::size_t i = 0; i < interlock_count; ++i) {
    const Obstacle o{static_cast<Interlock>(i), HandsetId{0}, SlotId{0}, LinkId{0}};
    CHECK(say(rig, o).find('{') == std::string::npos);
    CHECK(say_release(rig, o).find('{') == std::string::npos);
    if (i > 0) CHECK(say_release(rig, o).size() > 10);
  }
}

TEST_CASE("A rig with noise in it is read or refused, never a crash") {
  test::Random random;
  const std::string whole = test::jog_and_step;
  int refused = 0;
  for (int i = 0; i < 2'000; ++i) {
    std::string noisy = whole;
    for (int k = random.whole(1, 3); k > 0; --k) {
      const auto at = static_cast<std::size_t>(random.whole(0, static_cast<int>(noisy.size()) - 2));
      if (random.chance(0.3))
        noisy.erase(at, static_cast<std::size_t>(random.whole(1, 20)));
      else
        noisy[at] = static_cast<char>(random.whole(1, 126));
    }
    try {
      review_text(parse_rig(noisy, "rig.toml"));
    } catch (const RigError& e) {
      ++refused;
      REQUIRE_FALSE(e.problems().empty());
    }
  }
  CHECK(refused > 500);
}
