// What a rig says of wires: a handset of one's own parts, and what a run leaves behind of servos whose board forgets.
#include <gyrax/rig/remembered.hpp>

#include "link/on_a_board.hpp"
#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <string>
#include <vector>

using namespace gyrax;

TEST_CASE("A servo that nothing measures starts where it was left without power; a stepper, and what is gone, do not") {
  const Rig rig = test::rig(test::on_a_board());
  REQUIRE(remembers(rig));
  CHECK(remembers_place(rig, AxisId{0}));
  CHECK_FALSE(remembers_place(rig, AxisId{1}));  // its steps are counted
  CHECK_FALSE(remembers(test::rig(test::one_axis)));
  CHECK_FALSE(remembers(test::rig(test::one_axis + test::servo("tilt"))));  // simulated: it begins anew as well

  const std::vector<std::optional<double>> places{12.25, 7.0};
  const std::string text = remembered_text(rig, {}, {}, places);
  CHECK(text.find("\"tilt\" = 12.25") != std::string::npos);
  CHECK(text.find("table") == std::string::npos);
  const Rig next = with_remembered(rig, text);
  CHECK(next.setup.axes[0].start == 12.25);
  CHECK(next.left_at.at(0) == 12.25);
  CHECK_FALSE(next.left_at.at(1).has_value());
  CHECK(next.remarks.back() == "tilt is taken to be at 12.25 deg, where the last run left it");
  CHECK(with_remembered(rig, text).setup.axes[1].start == rig.setup.axes[1].start);

  struct Case {
    const char* text;
    const char* remark;
  };
  for (const Case& one : {Case{"gyrax_remembered = 1\n[place]\n\"tilt\" = 46\n", "outside of its travel now"},
                          Case{"gyrax_remembered = 1\n[place]\n\"gone\" = 4\n", ""},
                          Case{"nonsense [", "cannot be read"}, Case{"", ""}}) {
    CAPTURE(one.text);
    const Rig kept = with_remembered(rig, one.text);
    CHECK(kept.setup.axes[0].start == 0);
    REQUIRE(kept.remarks.size() == rig.remarks.size() + (*one.remark == '\0' ? 0 : 1));
    if (*one.remark != '\0') CHECK(kept.remarks.back().find(one.remark) != std::string::npos);
  }
  // While it has power it may be anywhere soon.
  CHECK(remembered_text(rig, {}, {}, std::vector<std::optional<double>>{std::nullopt, 1.0}).find("[place]") ==
        std::string::npos);
}

TEST_CASE("A handset's wire: one of three, of its own, and no device besides") {
  struct Case {
    const char* handset;
    const char* wrong;
  };
  const std::string board = "[link.b]\nkind = \"board\"\n[link.b.board]\nserial = \"/dev/a\"\n";
  for (const Case& one :
       {Case{"wire = {}", "'serial' is missing"}, Case{"wire = { serial = \"/dev/a\" }", "link b's already"},
        Case{"wire = { serial = \"/dev/c\", udp = \"a:1\" }", "more than one wire"},
        Case{"wire = { serial = \"/dev/b\" }", "handset other's already"},
        Case{"wire = { tcp = \"nowhere\" }", "no host and port"},
        Case{"wire = { serial = \"/dev/c\", baud = 9601 }", "no speed of a serial line"},
        Case{"wire = { serial = \"/dev/c\", address = 0 }", "out of range"},
        Case{"wire = { serial = \"/dev/c\" }\ndevice = { id = \"1209:0001\" }", "wire, or device"}}) {
    CAPTURE(one.handset);
    try {
      test::rig("gyrax = 1\n" + board + "[handset.other]\nwire = { serial = \"/dev/b\" }\n[handset.stick]\n" +
                one.handset + "\n");
      FAIL_CHECK("it passes");
    } catch (const RigError& error) {
      CHECK(std::string(error.what()).find(one.wrong) != std::string::npos);
    }
  }
}
