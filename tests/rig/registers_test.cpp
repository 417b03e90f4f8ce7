// The registers of a drive: what a rig may say of them, and what is wrong.
#include "../link/on_a_drive.hpp"
#include "refused.hpp"
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
  const std::string sound = test::on_a_drive();
  for (const test::Refused& one :
       {test::Refused{"tcp = \"127.0.0.1:15999\"", "", "its wire"},
        test::Refused{"tcp = \"127.0.0.1:15999\"", "tcp = \"there\"", "no host and port"},
        test::Refused{"tcp = \"127.0.0.1:15999\"", "tcp = \"h:1\"\nserial = \"/dev/x\"", "more than one wire"},
        test::Refused{"tcp = \"127.0.0.1:15999\"", "tcp = \"h:1\"\nwords = \"middle\"", "is not a choice"},
        test::Refused{"tcp = \"127.0.0.1:15999\"", "tcp = \"h:1\"\nwatchdog_ms = 30", "less than two cycles"},
        test::Refused{"tcp = \"127.0.0.1:15999\"", "tcp = \"h:1\"\nspeed = 3", "no such key"},
        test::Refused{"heartbeat = 100\n", "", "cannot notice that nobody is there"},
        test::Refused{"control = 101\n", "spare = 101\n", "is no table of registers"},
        test::Refused{"control = 101", "control = 70000", "70000"},
        test::Refused{"status = 201\n", "", "status: the register"},
        test::Refused{"position = 102, speed = 104", "position = 102, speed = 103", "are in one place"},
        test::Refused{"position = 102, speed = 104", "position = 102, speed = 105", "lies between"},
        test::Refused{"position = 102, speed = 104", "speed = 102", "position"},
        test::Refused{"type = \"i32\", counts = [1000, 1] }\nlamp", "type = \"i16\", counts = [1000, 1] }\nlamp",
                      "i16 holds"},
        test::Refused{"type = \"i32\", counts = [1000, 1] }\nlamp", "type = \"i64\" }\nlamp", "is not a choice"},
        test::Refused{"counts = [1000, 1] }\nlamp", "counts = [0, 1] }\nlamp", "no number of counts"},
        test::Refused{"lamp = { at = 106, bit = 3 }", "lamp = { at = 106, bit = 16 }", "16"},
        test::Refused{"lamp = { at = 106, bit = 3 }", "lamp = { at = 106 }", "which bit of it"},
        test::Refused{"lamp = { at = 106, bit = 3 }", "", "the bit of the switch 'lamp'"},
        test::Refused{"lamp = { at = 106, bit = 3 }", "pump = { at = 106, bit = 3 }", "no axis or switch 'pump'"},
        test::Refused{"cover = { at = 207, bit = 0 }", "", "the register of the input 'cover'"},
        test::Refused{"load = { at = 206,", "load = { at = 400,", "span"},
        test::Refused{"status = [0x006f, 0x0027], is = \"on\",", "status = [0x006f, 0x0027],", "while it is on"},
        test::Refused{"status = [0x006f, 0x0027]", "status = [0x006f, 0x0023]", "is both"},
        test::Refused{"status = [0x006f, 0x0027]", "status = [0x006f, 0x0127]", "bits that the mask"},
        test::Refused{"status = [0x006f, 0x0027]", "status = [0x006f]", "no mask and value"},
        test::Refused{"status = 201\n", "status = 201\ntable2 = { position = 65535 }\n", "no axis or input 'table2'"},
        test::Refused{"travel = [-180, 180]", "travel = \"endless\"", "more counts than any register holds"},
        test::Refused{"increments = [0.1, 1]", "servo = { ends = [-180, 180], pulse_us = [900, 2100] }\nstart = 0",
                      "is a servo behind a pulse"},
        test::Refused{"position = 202, speed = 204", "position = 65535, speed = 65531", "the last one is 65535"},
        test::Refused{"lamp = { at = 106, bit = 3 }", "lamp = { coil = 70000 }", "70000"},
        test::Refused{"lamp = { at = 106, bit = 3 }", "lamp = { coil = 7, at = 106 }", "in two places"},
        test::Refused{"cover = { at = 207, bit = 0 }", "cover = { discrete = 7, bit = 0 }", "no such key"},
        test::Refused{"[switch.lamp]\n", "[switch.lamp]\n[switch.pump]\n[switch.valve]\n",
                      "the bit of the switch 'pump'"},
        test::Refused{"[switch.lamp]\n", "[switch.lamp]\n[action.air]\nwrites = [{ register = 102, value = 1 }]\n",
                      "which is told each cycle"},
        test::Refused{"kind = \"modbus\"", "kind = \"board\"", "no such key"}})
    test::check_refused(sound, one);
}

TEST_CASE("Switches in coils and discrete inputs are requests of their own, and check counts their time-outs") {
  const std::string both =
      test::changed(test::changed(test::on_a_drive(), "lamp = { at = 106, bit = 3 }", "lamp = { coil = 7 }"),
                    "cover = { at = 207, bit = 0 }", "cover = { discrete = 9 }");
  const Rig rig = test::rig(both);
  const RegisterMap& map = *rig.links[0].registers;
  REQUIRE(map.coils.size() == 1);
  REQUIRE(map.discretes.size() == 1);
  CHECK(map.tells.size() == 4);
  CHECK(map.hears.size() == 5);
  CHECK(review_text(rig).find("told in coils: lamp 7\n") != std::string::npos);
  CHECK(review_text(rig).find("heard of discrete inputs: cover 9\n") != std::string::npos);
  CHECK(far_end_of(rig, AxisId{0}).told_s == doctest::Approx(0.02 + 3 * 0.1));
  for (const test::Refused& one :
       {test::Refused{"lamp = { coil = 7 }", "lamp = { coil = 7 }\npump = { coil = 7 }", "in one place: bit 7"},
        test::Refused{"lamp = { coil = 7 }", "lamp = { coil = 7 }\npump = { coil = 9 }", "coil 8 lies between"}})
    test::check_refused(test::changed(both, "[switch.lamp]\n", "[switch.lamp]\n[switch.pump]\n"), one);
  test::check_refused(both, {"[switch.lamp]\n", "[switch.lamp]\n[action.air]\nwrites = [{ coil = 7, to = \"on\" }]\n",
                             "writes coil 7, which is told each cycle"});
}
