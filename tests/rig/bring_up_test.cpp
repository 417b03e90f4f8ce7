// One axis alone and slowly, and what is taught kept in the rig's text.
#include "support/random.hpp"
#include "support/rigs.hpp"

#include <gyrax/files/text_file.hpp>
#include <gyrax/rig/bring_up.hpp>
#include <gyrax/rig/differences.hpp>
#include <gyrax/rig/findings.hpp>

#include <doctest/doctest.h>
#include <fmt/format.h>

#include <algorithm>
#include <sstream>
#include <string>

using namespace gyrax;

namespace {

AxisId axis_named(const Rig& rig, const std::string& name) {
  const auto at = std::ranges::find(rig.axes, name, &AxisInfo::name);
  REQUIRE(at != rig.axes.end());
  return id_at<AxisId>(static_cast<std::size_t>(at - rig.axes.begin()));
}
const ServoMap& servo_of(const Rig& rig, AxisId axis) { return std::get<ServoMap>(rig.setup.axes[index(axis)].drive); }
Rig after(const Rig& rig, const RigEdit& edit) {
  std::vector<RigSource> sources = rig.sources;
  for (RigSource& source : sources)
    if (source.path == edit.path) source.text = edit.text;
  return parse_rig(sources);
}

/// How many lines of a text are other ones, or new.
std::size_t changed_lines(const std::string& before, const std::string& now) {
  std::istringstream old(before), fresh(now);
  std::multiset<std::string> lines;
  std::string line;
  while (std::getline(old, line)) lines.insert(line);
  std::size_t changed = 0;
  while (std::getline(fresh, line)) {
    const auto at = lines.find(line);
    if (at == lines.end())
      ++changed;
    else
      lines.erase(at);
  }
  return changed;
}

}  // namespace

TEST_CASE("Each axis of each of the demo's rigs alone: it moves, slowly, and nothing else has power") {
  int axes = 0;
  for (const char* path : {"demo/bench.toml", "demo/board.toml", "demo/desk.toml", "demo/fine.toml", "demo/first.toml",
                           "demo/six_keys.toml", "demo/one_hand.toml"}) {
    CAPTURE(path);
    const Rig rig = load_rig(path);
    for (std::size_t a = 0; a < rig.axes.size(); ++a) {
      const auto axis = id_at<AxisId>(a);
      CAPTURE(rig.axes[a].name);
      const bool servo = std::holds_alternative<ServoMap>(rig.setup.axes[a].drive);
      const Rig alone = bring_up_rig(rig, axis, servo ? std::optional<PulseRange>({800, 2200}) : std::nullopt);
      ++axes;
      REQUIRE(alone.axes.size() == rig.axes.size());
      const AxisId here = axis_named(alone, rig.axes[a].name);
      for (const BindingSetup& binding : alone.setup.bindings)
        each_moved(binding.effect, [&](CoordinateId moved) { CHECK(index(moved) == index(here)); });
      CHECK(std::ranges::any_of(alone.setup.bindings, [](const BindingSetup& b) { return about(b.effect).moves; }));
      CHECK(std::ranges::any_of(alone.setup.bindings, [](const BindingSetup& b) { return stops(b.effect); }));
      for (std::size_t b = 0; b < alone.axes.size(); ++b) {
        const bool is_parked = alone.zones[index(alone.setup.axes[b].zone)] == "parked";
        CHECK(is_parked == (b != index(here)));
      }
      for (const BindingSetup& binding : alone.setup.bindings)
        for (std::size_t z = 0; z < alone.zones.size(); ++z)
          if (alone.zones[z] == "parked") CHECK_FALSE(has(zones_of(binding.effect), id_at<ZoneId>(z)));
      CHECK(alone.setup.axes[index(here)].limits.speed() <= rig.setup.axes[a].limits.speed());
      if (!servo) continue;
      CHECK(servo_of(alone, here).low_us() == 800);
      CHECK(servo_of(alone, here).high_us() == 2200);
      for (const double at : {rig.setup.axes[a].limits.low(), rig.setup.axes[a].start, rig.setup.axes[a].limits.high()})
        CHECK(servo_of(alone, here).pulse_us(at) == servo_of(rig, axis).pulse_us(at));
    }
  }
  CHECK(axes > 20);
}

TEST_CASE("What was taught stands in the rig's text; comments, order and everything else stay") {
  test::Random random;
  const char* const written[] = {
      "servo = { ends = [-60, 60], pulse_us = [900, 2100], trim_us = 12 }   # the lamp's\n",
      "servo = { pulse_us = [900, 2100], reversed = true, ends = [-60, 60] }\n",
      "servo = { ends = [-60, 60], pulse_us = [ 900,2100 ] }\n",
      "[axis.tilt.servo]   # µ\n  ends = [-60, 60]\n  pulse_us = [900, 2100]   # µs, as printed on it\n",
      "[axis.tilt.servo]\npulse_us = [\n  900,  # low\n  2100 ]\nends = [-60, 60]\ntrim_us = -5\nreversed = false\n"};
  for (int i = 0; i < 300; ++i) {
    const std::string head =
        "gyrax = 1\n# µ, 世界\n[bind]\n\"menu.right\" = \"ready\"\n\"shoulder.right\" = \"enable\"\n\"face.east\" = "
        "\"stop\"\n"
        "\"menu.centre\" = \"reset\"\n\"stick.left.x\" = { jog = \"tilt\" }\n[axis.tilt]  # it tilts\nunit = \"deg\"\n"
        "travel = [-20, 20]\nspeed = 120\naccel = 600\n";
    const std::string text = head + written[random.whole(0, 4)] + "# the end\n";
    CAPTURE(text);
    const Rig rig = parse_rig(text, "rig.toml");
    const AxisId axis{0};
    const ServoMap& old = servo_of(rig, axis);
    Taught taught;
    if (random.chance(0.6)) taught.low_us = random.whole(600, 1300);
    if (random.chance(0.6)) taught.high_us = random.whole(1600, 2400);
    if (random.chance(0.4)) taught.centre_us = random.whole(1450, 1550);
    if (random.chance(0.3)) std::swap(taught.low_us, taught.high_us);
    RigEdit edit;
    try {
      edit = with_servo(rig, axis, taught);
    } catch (const std::runtime_error& error) {
      // One end past the other, or too near.
      CHECK((taught.low_us.has_value() != taught.high_us.has_value()));
      continue;
    }
    const Rig now = after(rig, edit);
    const ServoMap& servo = servo_of(now, axis);
    if (taught.low_us) CHECK(servo.pulse_us(servo.low()) == *taught.low_us);
    if (taught.high_us) CHECK(servo.pulse_us(servo.high()) == *taught.high_us);
    if (!taught.low_us && !taught.high_us && taught.centre_us) CHECK(servo.pulse_us(0) == *taught.centre_us);
    if (!taught.any()) CHECK(edit.text == text);
    CHECK(servo.low() == old.low());
    CHECK(servo.high() == old.high());
    CHECK(changed_lines(text, edit.text) <= 4);
    CHECK(edit.text.find("# the end\n") != std::string::npos);
    CHECK(edit.text.find("# it tilts\n") != std::string::npos);
    CHECK(edit.text.starts_with(head));
    // Back again is where it was.
    const RigEdit back = with_other_way(now, axis);
    CHECK(servo_of(after(now, back), axis).reversed() != servo.reversed());
  }
}

TEST_CASE("What cannot be taught is told, and nothing is written") {
  const Rig rig = load_rig("demo/board.toml");
  const AxisId tilt = axis_named(rig, "lamp_tilt");
  CHECK_THROWS_WITH_AS(with_servo(rig, axis_named(rig, "x"), {900, {}, {}}), "axis x is no servo", std::runtime_error);
  CHECK_THROWS_WITH_AS(with_servo(rig, tilt, {1500, {}, 1510}),
                       doctest::Contains("low is 1500 µs and high 1510 µs: they have to be 50 µs apart"),
                       std::runtime_error);
  // A trim with which the travel does not fit between the ends any more.
  CHECK_THROWS_WITH_AS(with_servo(rig, tilt, {{}, 1800, {}}), doctest::Contains("needs pulses of 1350 and 2250 µs"),
                       RigError);
  const RigEdit both = with_servo(rig, tilt, {950, 1500, 2030});
  REQUIRE(both.says.size() == 3);
  CHECK(both.says[0] == "axis.lamp_tilt.servo.pulse_us was [900, 2100], is [950, 2030]");
  CHECK(both.says[1] == "axis.lamp_tilt.servo.trim_us was 12, is 0");
  CHECK(both.says[2].starts_with("the centre that was kept, 1500 µs, is +10 µs off the middle"));
}

TEST_CASE("The other way round: a servo, a motor, a stepper; what only its far end can turn is told") {
  const Rig board = load_rig("demo/board.toml");
  const AxisId x = axis_named(board, "x");
  const RigEdit edit = with_other_way(board, x);
  CHECK(edit.says == std::vector<std::string>{"axis.x.steps was [8000, 40], is [-8000, 40]"});
  CHECK(changed_lines(board.sources[0].text, edit.text) == 1);
  CHECK(with_other_way(after(board, edit), x).text == board.sources[0].text);
  const Rig desk = load_rig("demo/desk.toml");
  const AxisId belt = axis_named(desk, "belt");
  const RigEdit turned = with_other_way(desk, belt);
  CHECK(std::get<MotorMap>(after(desk, turned).setup.axes[index(belt)].drive).reversed);
  CHECK(turned.text.find("motor = { dead_band = 10, reversed = true, rest_ms = 150 }") != std::string::npos);
  const Rig bench = load_rig("demo/bench.toml");
  CHECK_THROWS_WITH_AS(with_other_way(bench, axis_named(bench, "x")),
                       doctest::Contains("is turned round at its far end"), std::runtime_error);
}
