// The registers of a drive: what a rig may say of them, and what is wrong.
#include "../link/on_a_drive.hpp"
#include "support/rigs.hpp"

#include <gyrax/rig/predictions.hpp>
#include <gyrax/rig/review.hpp>

#include <doctest/doctest.h>

#include <string>

using namespace gyrax;

TEST_CASE("A map of registers is read in the order of its addresses, and a status fits one state") {
  const Rig rig = test::rig(test::on_a_drive());
  const RegisterMap& map = *rig.links[0].registers;
  REQUIRE(map.tells.size() == 5);
  REQUIRE(map.hears.size() == 6);
  CHECK(map.tells[2].name == "table.position");
  CHECK(map.hears[4].name == "load");
  CHECK(RegisterMap::span_of(map.tells) == 7);
  CHECK(RegisterMap::span_of(map.hears) == 8);
  // Of IEC 61800-7-201, with bits that do not matter.
  struct Case {
    int status;
    const char* name;
  };
  for (const Case& one : {Case{0x0250, "disabled"},
                          {0x0231, "ready"},
                          {0x0233, "switched_on"},
                          {0x0637, "enabled"},
                          {0x0207, "quick_stop"},
                          {0x021f, "fault_reaction"},
                          {0x0218, "fault"}}) {
    CAPTURE(one.status);
    const DriveState* const state = map.state_of(static_cast<std::uint16_t>(one.status));
    REQUIRE(state != nullptr);
    CHECK(state->name == one.name);
  }
  CHECK(map.state_of(0x0000) == nullptr);
  // What check counts: a cycle and a time-out before anything is told, and the watchdog once nothing is.
  const FarEnd far = far_end_of(rig, AxisId{0});
  CHECK(far.told_s == doctest::Approx(0.02 + 0.1));
  CHECK(far.valid_s == doctest::Approx(0.1 + 0.12 + 0.2));
  CHECK(review_text(rig).find("a transaction under way (120 ms)") == std::string::npos);
  CHECK(Predictor(rig, AxisId{0}).of(Cause::link_silent).notice.find("a transaction under way (120 ms)") !=
        std::string::npos);
}

TEST_CASE("What is wrong with registers is told, each with what would be right") {
  struct Case {
    const char* from;
    const char* to;
    const char* wrong;
  };
  const std::string sound = test::on_a_drive();
  for (const Case& one :
       {Case{"tcp = \"127.0.0.1:15999\"", "", "its wire"},
        Case{"tcp = \"127.0.0.1:15999\"", "tcp = \"there\"", "no host and port"},
        Case{"tcp = \"127.0.0.1:15999\"", "tcp = \"h:1\"\nserial = \"/dev/x\"", "more than one wire"},
        Case{"tcp = \"127.0.0.1:15999\"", "tcp = \"h:1\"\nwords = \"middle\"", "is not a choice"},
        Case{"tcp = \"127.0.0.1:15999\"", "tcp = \"h:1\"\nwatchdog_ms = 30", "less than two cycles"},
        Case{"tcp = \"127.0.0.1:15999\"", "tcp = \"h:1\"\nspeed = 3", "no such key"},
        Case{"heartbeat = 100\n", "", "cannot notice that nobody is there"},
        Case{"control = 101\n", "spare = 101\n", "is no table of registers"},
        Case{"control = 101", "control = 70000", "70000"},
        Case{"status = 201\n", "", "status: the register"},
        Case{"position = 102, speed = 104", "position = 102, speed = 103", "are in one place"},
        Case{"position = 102, speed = 104", "position = 102, speed = 105", "lies between"},
        Case{"position = 102, speed = 104", "speed = 102", "position"},
        Case{"type = \"i32\", counts = [1000, 1] }\nlamp", "type = \"i16\", counts = [1000, 1] }\nlamp", "i16 holds"},
        Case{"type = \"i32\", counts = [1000, 1] }\nlamp", "type = \"i64\" }\nlamp", "is not a choice"},
        Case{"counts = [1000, 1] }\nlamp", "counts = [0, 1] }\nlamp", "no number of counts"},
        Case{"lamp = { at = 106, bit = 3 }", "lamp = { at = 106, bit = 16 }", "16"},
        Case{"lamp = { at = 106, bit = 3 }", "lamp = { at = 106 }", "which bit of it"},
        Case{"lamp = { at = 106, bit = 3 }", "", "the bit of the switch 'lamp'"},
        Case{"lamp = { at = 106, bit = 3 }", "pump = { at = 106, bit = 3 }", "no axis or switch 'pump'"},
        Case{"cover = { at = 207, bit = 0 }", "", "the register of the input 'cover'"},
        Case{"load = { at = 206,", "load = { at = 400,", "span"},
        Case{"status = [0x006f, 0x0027], is = \"on\",", "status = [0x006f, 0x0027],", "while it is on"},
        Case{"status = [0x006f, 0x0027]", "status = [0x006f, 0x0023]", "is both"},
        Case{"status = [0x006f, 0x0027]", "status = [0x006f, 0x0127]", "bits that the mask"},
        Case{"status = [0x006f, 0x0027]", "status = [0x006f]", "no mask and value"},
        Case{"status = 201\n", "status = 201\ntable2 = { position = 65535 }\n", "no axis or input 'table2'"},
        Case{"travel = [-180, 180]", "travel = \"endless\"", "more counts than any register holds"},
        Case{"increments = [0.1, 1]", "servo = { ends = [-180, 180], pulse_us = [900, 2100] }\nstart = 0",
             "is a servo behind a pulse"},
        Case{"position = 202, speed = 204", "position = 65535, speed = 65531", "the last one is 65535"},
        Case{"kind = \"modbus\"", "kind = \"board\"", "no such key"}}) {
    CAPTURE(one.from);
    CAPTURE(one.to);
    try {
      test::rig(test::changed(sound, one.from, one.to));
      FAIL_CHECK("it passes");
    } catch (const RigError& error) {
      const std::string what = error.what();
      CAPTURE(what);
      CHECK(what.find(one.wrong) != std::string::npos);
    }
  }
}
