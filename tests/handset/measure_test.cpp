// Measuring: whatever a control is like, what is proposed from its own recording holds it still and lets it reach its
// ends.
#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/measure.hpp>
#include <gyrax/handset/seats.hpp>
#include <gyrax/signal/calibration.hpp>
#include <gyrax/signal/shape.hpp>
#include <gyrax/testing/hands.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>
#include <linux/input-event-codes.h>

#include <algorithm>
#include <cmath>

using namespace gyrax;

namespace {

bool says(const MeasuredControl& m, const char* what) {
  return std::any_of(m.wrong.begin(), m.wrong.end(),
                     [&](const std::string& one) { return one.find(what) != std::string::npos; });
}

/// A pad with one stick's axis of its own kind.
testing::HandsetModel pad_with(const testing::ModelAxis& axis) {
  testing::HandsetModel model = testing::models::pad();
  model.axes.clear();
  model.device.absolute.clear();
  model.device.keys = {BTN_SOUTH};
  model.axes[ABS_X] = axis;
  model.device.absolute[ABS_X] = {axis.minimum, axis.maximum, axis.fuzz, 0, 0};
  return model;
}

const MeasuredControl& first(const DeviceCalibration& c) { return c.controls.at(0); }

std::string code_list(const std::string& text) {
  try {
    parse_calibration(text, "c.toml");
  } catch (const CalibrationError& error) {
    std::string codes;
    for (const Problem& p : error.problems()) codes += std::string(codes.empty() ? "" : " ") + code_name(p.code);
    return codes;
  }
  return "none";
}

}  // namespace

TEST_CASE("Property: at rest nothing moves for any noise inside the measured band; both ends are reached") {
  test::Random random;
  for (int i = 0; i < 60; ++i) {
    testing::ModelAxis axis;
    axis.minimum = random.in(0, 1) < 0.5 ? -2048 : 0;
    axis.maximum = axis.minimum + 4095;
    const std::int32_t middle = (axis.minimum + axis.maximum + 1) / 2;
    axis.rest = middle + static_cast<std::int32_t>(random.in(-600, 600));
    axis.slack = static_cast<std::int32_t>(random.in(0, 150));
    axis.noise = static_cast<std::int32_t>(random.in(0, 40));
    axis.tremble = axis.noise + 10;
    const auto seed = static_cast<std::uint32_t>(random.in(1, 1e6));
    const Track track = testing::Hands(seed, pad_with(axis)).show_everything().track();
    const MeasuredControl m = first(measure(track, 0));
    CAPTURE(axis.rest);
    CAPTURE(axis.slack);
    CAPTURE(axis.noise);
    REQUIRE(m.has_ends);
    CHECK(std::abs(m.centre - axis.rest) <= axis.noise + 20);
    const Calibration calibration =
        *Calibration::make(ControlKind::centred, m.minimum, m.centre, m.maximum, m.reversed);
    const Shape shape{.zone = {m.dead_zone, m.hysteresis, 0}};
    // Anywhere that it was seen to rest, with all its noise, however it came there: 0, and 1 % beyond the zone moves.
    for (const std::int32_t rest : {m.rests_from_below.value_or(m.centre), m.rests_from_above.value_or(m.centre)}) {
      ShapeState state;
      shaped(rest < m.centre ? -1 : 1, shape, state);
      for (int n = -m.noise / 2; n <= m.noise / 2; ++n)
        REQUIRE(shaped(calibration.normalise(rest + n), shape, state) == 0);
    }
    ShapeState fresh;
    CHECK(shaped(m.dead_zone + 0.01, shape, fresh) > 0);
    // Pushed home once more, with hands that tremble: full, both ways.
    testing::Hands again(seed, pad_with(axis));
    again.wait(0.5).push("stick.left.x", 1, 0.2, 0.4).push("stick.left.x", -1, 0.3, 0.4);
    double most = 0, least = 0;
    for (const InputEvent& e : again.track().events)
      if (e.type == EV_ABS) {
        ShapeState state;
        const double value = shaped(calibration.normalise(e.value), shape, state);
        most = std::max(most, value);
        least = std::min(least, value);
      }
    CHECK(most == 1);
    CHECK(least == -1);
  }
}

TEST_CASE("What is wrong with a control is told") {
  struct Case {
    const char* what;
    testing::ModelAxis axis;
    const char* told;
  };
  const Case cases[] = {
      {"reaches little", {.noise = 20, .firmness = 0.3}, "it reached only 30 %"},
      {"jumps", {.noise = 20, .jumps_every = 40}, "it jumped away and back"},
      {"is a lever on a stick's code",
       {.minimum = 0, .maximum = 255, .one_sided = true, .firmness = 1},
       "--name ABS_X=knob.1"},
      {"is very worn", {.slack = 9000, .noise = 100}, "it is worn: it comes to rest anywhere within"},
  };
  for (const Case& c : cases) {
    CAPTURE(c.what);
    const DeviceCalibration made = measure(testing::Hands(7, pad_with(c.axis)).show_everything().track(), 0);
    CHECK(says(first(made), c.told));
    if (!says(first(made), c.told))
      for (const std::string& wrong : first(made).wrong) MESSAGE(wrong);
  }
  // Never moved; a key that was never pressed; one that is stuck; a stick that is left at its end.
  testing::Hands still(7);
  still.wait(2)
      .push("stick.left.x", 1, 0.3, 0.6)
      .push("stick.left.x", 0, 0.3, 2)
      .push("stick.left.x", 1, 0.3, 0.9)
      .down("face.south")
      .wait(0.3);
  const DeviceCalibration left = measure(still.track(), 0);
  const auto control = [&](const char* name) {
    return *std::find_if(left.controls.begin(), left.controls.end(),
                         [&](const MeasuredControl& m) { return m.name == name; });
  };
  CHECK(says(control("stick.left.x"), "it did not come back"));
  CHECK(says(control("stick.left.x"), "it was moved to one side only"));
  CHECK(says(control("trigger.left"), "it never moved: what the kernel holds for it is a placeholder"));
  CHECK(says(control("face.south"), "it never came up again"));
  CHECK(says(control("face.east"), "it was never pressed"));
}

TEST_CASE("A calibration that cannot be is refused, with everything that is wrong with it") {
  const std::string head = "gyrax_calibration = 1\n[device]\nid = \"1209:0001\"\nname = \"Pad\"\n";
  CHECK(code_list(head) == "none");
  CHECK(code_list("[device]\nid = \"1\"\nname = \"Pad\"\n") == "version_missing");
  CHECK(code_list("gyrax_calibration = 2\n[device]\nid = \"1\"\nname = \"Pad\"\n") == "version_newer");
  CHECK(code_list("gyrax_calibration = 1\n") == "missing_key");
  CHECK(code_list(head + "[control.\"stick.left.z\"]\ncode = \"ABS_X\"\n") == "unknown_control");
  CHECK(code_list(head + "[control.\"stick.left.x\"]\ncode = \"ABS_EX\"\n") == "bad_choice");
  CHECK(code_list(head + "[control.\"stick.left.x\"]\nminimum = 3\n") == "missing_key calibration");
  CHECK(code_list(head + "[control.\"stick.left.x\"]\ncode = \"ABS_X\"\nminimum = 0\ncentre = 9\nmaximum = 9\n") ==
        "calibration");
  CHECK(code_list(head + "[control.\"face.south\"]\ncode = \"BTN_SOUTH\"\nminimum = 0\nmaximum = 9\n") ==
        "calibration");
  CHECK(code_list(head + "[control.\"trigger.left\"]\ncode = \"ABS_Z\"\nminimum = 0\nmaximum = 9\ndead_zone = "
                         "2\nhysteresis = 3\nwide = 1\n") == "out_of_range unknown_key");
  CHECK(code_list("gyrax_calibration = 1\n[device\n") == "syntax");
}

TEST_CASE("A device may say of itself what it likes: its calibration is written and read back the same") {
  DeviceCalibration c;
  c.id = "1209:0001";
  c.name = "Pad \"of\\ a\nkind\x01";
  c.unique = "ümläut";
  c.controls.push_back({.name = "stick.left.x",
                        .code = {EV_ABS, ABS_X},
                        .has_ends = true,
                        .minimum = -5,
                        .centre = 1,
                        .maximum = 7,
                        .reversed = true,
                        .dead_zone = 0.25,
                        .hysteresis = 0.005,
                        .noise = 2,
                        .rests_from_below = 0,
                        .rests_from_above = std::nullopt,
                        .debounce_s = 0,
                        .wrong = {"a \"b\""}});
  const DeviceCalibration back = parse_calibration(write_calibration(c), "c.toml");
  CHECK(back.name == c.name);
  CHECK(back.unique == c.unique);
  CHECK(back.controls.at(0).wrong == c.controls[0].wrong);
  CHECK(write_calibration(back) == write_calibration(c));
}

TEST_CASE("A device whose name is no text is measured, written, and known again") {
  Track track = testing::Hands(3).show_everything().track();
  track.device.name = "Pad \xb7\xff of \xc3\xbc";
  const DeviceCalibration c = measure(track, 0);
  CHECK(c.name == "Pad \xef\xbf\xbd\xef\xbf\xbd of \xc3\xbc");
  CHECK(parse_calibration(write_calibration(c), "c.toml").name == c.name);
  CHECK(differs({"c.toml", c.id, c.name, c.unique, false}, track.device).empty());
  for (const char* wrong : {"\xc0\x80", "\xe0\x80\x80", "\xed\xa0\x80", "\xf4\x90\x80\x80", "\xe2\x82"})
    CHECK(as_text(wrong) != wrong);
  CHECK(as_text("a\xe2\x82\xac\xf0\x9f\x98\x80") == "a\xe2\x82\xac\xf0\x9f\x98\x80");
}
