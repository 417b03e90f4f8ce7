// A handset of one's own, on an engine: as real ones, and never silent about what is not taken.
#include <gyrax/engine/engine.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/link/simulated.hpp>
#include <gyrax/rig/own_handset.hpp>
#include <gyrax/rig/words.hpp>

#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <cmath>

using namespace gyrax;

namespace {

struct Running {
  Rig rig = test::rig(test::jog_and_step);
  Engine engine{rig.setup};
  TickBuffers out{rig.setup};
  SimulatedLinks links{rig};
  OwnHandset pad{rig, "pad"};
  Time now{};
  std::vector<std::string> said;

  void tick(int times = 1) {
    for (int i = 0; i < times; ++i, now += rig.period) {
      engine.tick({now, pad.readings(), links.reports(now)}, out.view());
      links.send(out.frames);
      pad.clear();
      for (Event event; out.events.read(event);) said.push_back(say(rig, event));
    }
  }
  bool told(const std::string& what) const { return std::find(said.begin(), said.end(), what) != said.end(); }
};

}  // namespace

TEST_CASE("Shares and keys move an axis, and one call says what keeps it from moving") {
  Running r;
  r.pad.plug(r.now);
  r.tick(5);
  r.pad.key("menu.right", true, r.now);
  r.tick(5);
  r.pad.share("stick.left.x", 0.7, r.now);
  r.tick(5);
  CHECK(say(r.rig, r.out.why[0]).starts_with("enable is not held; "));
  r.pad.share("stick.left.x", 0, r.now);
  r.tick(5);
  r.pad.key("shoulder.right", true, r.now);
  r.tick(5);
  r.pad.share("stick.left.x", 1, r.now);
  r.tick(200);
  CHECK(r.out.commands[0].v > 10);
  CHECK(say(r.rig, r.out.why[0]).empty());
  r.pad.unplug(r.now);
  r.tick(500);
  CHECK(r.out.commands[0].v == 0);
  CHECK(say(r.rig, r.out.why[0]).find("unplugged") != std::string::npos);
  CHECK(r.engine.signal().lost(HandsetId{0}) == 0);
}

TEST_CASE("What a handset says before it is plugged in is not taken, and that is told once") {
  Running r;
  const std::string what = "pad is not plugged in, and what it says is not taken";
  for (int i = 0; i < 3; ++i) {
    r.pad.key("menu.right", i % 2 == 0, r.now);
    r.tick(2);
  }
  CHECK(std::count(r.said.begin(), r.said.end(), what) == 1);
  r.pad.plug(r.now);
  r.tick(2);
  r.pad.unplug(r.now);
  r.tick(2);
  r.pad.key("menu.right", true, r.now);
  r.tick(2);
  CHECK(std::count(r.said.begin(), r.said.end(), what) == 2);
}

TEST_CASE("Shares become raw numbers that read back as the same share, whatever the ends and the direction") {
  Running r;
  for (ControlSetup& control : r.rig.setup.controls) {
    if (control.control != find_control("stick.left.x")->id) continue;
    for (const bool reversed : {false, true}) {
      for (const auto& [kind, low] : {std::pair{ControlKind::centred, -1.0}, {ControlKind::one_sided, 0.0}}) {
        control.calibration = *Calibration::make(kind, -300, 11, 9000, reversed);
        for (const double share : {-7.0, -1.0, -0.5, 0.0, 0.25, 1.0, 3.0, std::nan("")}) {
          r.pad.clear();
          r.pad.share("stick.left.x", share, r.now);
          const double is = control.calibration.normalise(r.pad.readings()[0].raw);
          const double wanted = std::isnan(share) ? 0 : std::clamp(share, low, 1.0);
          CHECK(std::abs(is - wanted) < 0.002);
          if (wanted == 0 || std::abs(wanted) == 1) CHECK(is == wanted);
        }
      }
    }
  }
}

TEST_CASE("A control that the rig does not use, or of another kind, is refused with what there is") {
  Running r;
  const auto why = [](auto call) -> std::string {
    try {
      call();
    } catch (const std::invalid_argument& error) {
      return error.what();
    }
    return "nothing";
  };
  CHECK(why([&] { OwnHandset(r.rig, "pda"); }) == "the rig has no handset 'pda'; there are: pad");
  CHECK(why([&] { r.pad.key("stick.left.x", true, r.now); }) == "'stick.left.x' is not a key");
  CHECK(why([&] { r.pad.share("menu.right", 1, r.now); }) == "'menu.right' is not a stick's axis, a trigger or a knob");
  CHECK(why([&] { r.pad.turn("menu.right", 1, r.now); }) == "'menu.right' is not a dial");
  CHECK(
      why([&] { r.pad.key("menu.rihgt", true, r.now); }).starts_with("the rig uses no 'menu.rihgt' of pad; it uses: "));
  CHECK(r.pad.readings().empty());
}
