// What a rig says of actions: what is wrong is told, and what holds is reviewed.
#include "../link/on_a_board.hpp"
#include "../link/on_a_controller.hpp"
#include "../link/on_a_drive.hpp"
#include "refused.hpp"
#include "support/rigs.hpp"

#include <gyrax/rig/review.hpp>

#include <doctest/doctest.h>

#include <string>

using namespace gyrax;

namespace {

const std::string sound = test::on_a_controller() + R"(
[action.home]
lines = ["G28"]
moves = ["x"]
needs = ["door"]
limit_s = 40
[action.flash]
turns = [{ set = "lamp" }, { set = "lamp", to = "off", after_s = 0.5 }]
group = "light"
confirm = { within_s = 2, covers_s = 20 }
[action.reset]
lines = ["\u0018", "M90"]
when = ["stowed", "tripped"]
)";

}  // namespace

TEST_CASE("What is wrong with an action is told, with what would be right") {
  for (const test::Refused& one :
       {test::Refused{"lines = [\"G28\"]\nmoves", "moves", "switches move no axis"},
        test::Refused{"lines = [\"G28\"]", "lines = []", "there are 0 lines; 1 to 32"},
        test::Refused{"lines = [\"G28\"]", "lines = [\"G28\\nG1\"]", "cannot be a line"},
        test::Refused{"lines = [\"G28\"]", "lines = [\"\"]", "cannot be a line"},
        test::Refused{"lines = [\"G28\"]", "line = \"G28\"", "no such key"},
        test::Refused{"moves = [\"x\"]", "moves = [\"ex\"]", "there is no axis 'ex'"},
        test::Refused{"moves = [\"x\"]", "moves = [\"x\"]\nwhen = [\"ready\"]", "what moves axes needs enable held"},
        test::Refused{"when = [\"stowed\", \"tripped\"]", "when = [\"stopping\"]",
                      "no state in which an action can begin"},
        test::Refused{"needs = [\"door\"]", "needs = [\"gate\"]", "there is no switch 'gate'"},
        test::Refused{"needs = [\"door\"]", "needs_homed = [\"x\"]", "nothing says whether 'x' is homed"},
        test::Refused{"needs = [\"door\"]", "until = \"homed\"", "there is no input 'homed'"},
        test::Refused{"limit_s = 40", "limit_s = 0", "limit_s"},
        test::Refused{"after_s = 0.5", "after_s = 12", "its turns take longer than it may; more than 12 s"},
        test::Refused{"[{ set = \"lamp\" }", "[{ to = \"on\" }", "the switch that it turns"},
        test::Refused{"[{ set = \"lamp\" }", "[{ set = \"lamb\" }", "there is no switch 'lamb'"},
        test::Refused{"turns = [{ set = \"lamp\" }, { set = \"lamp\", to = \"off\", after_s = 0.5 }]", "",
                      "what the link is told, as lines = [\"G28\"]"},
        test::Refused{"within_s = 2", "within_s = 100", "within_s"},
        test::Refused{"following_error = 10\n", "following_error = 10\nbrake = { opens_ms = 20 }\n",
                      "'focus' has a brake"},
        test::Refused{"\"face.south\" = { set = \"lamp\" }", "\"face.south\" = { action = \"hme\" }",
                      "there is no action 'hme'"},
        test::Refused{"\"hat.y\" = { step = \"y\" }", "\"hat.y\" = { action = \"home\" }", "it has no opposite"}})
    test::check_refused(sound, one);
  const std::string drive = test::on_a_drive() + R"(
[action.reference]
writes = [{ register = 300, value = 6 }, { coil = 5 }]
cancels = [{ coil = 5, to = "off" }]
moves = ["table"]
until = "cover"
)";
  for (const test::Refused& one :
       {test::Refused{"writes = [{ register = 300, value = 6 }, { coil = 5 }]", "lines = [\"G28\"]",
                      "a link of kind modbus, which takes no lines"},
        test::Refused{"{ register = 300, value = 6 }", "{ register = 300 }", "what it becomes"},
        test::Refused{"{ register = 300, value = 6 }", "{ register = 300, coil = 1, value = 6 }",
                      "it writes one register or one coil"},
        test::Refused{"register = 300", "register = 70_000", "65535"},
        test::Refused{"register = 300", "register = 103",
                      "writes register 103, which is told each cycle; a register outside of 100 to 106"},
        test::Refused{"value = 6", "value = 70_000", "value"}, test::Refused{"to = \"off\"", "to = \"of\"", "to"},
        test::Refused{"writes = [{ register = 300, value = 6 }, { coil = 5 }]\n", "", "nothing that it would cancel"},
        test::Refused{"writes = [{ register = 300, value = 6 }, { coil = 5 }]", "writes = []", "there are no writes"},
        test::Refused{"moves = [\"table\"]", "moves = [\"top\"]", "there is no axis 'top'"}})
    test::check_refused(drive, one);
  const std::string said = review_text(test::rig(drive));
  CHECK(said.find("turn is written register 300 = 6, coil 5 on; where it ends otherwise than done coil 5 off\n") !=
        std::string::npos);
  const std::string board = test::on_a_board("serial = \"/dev/none\"\nbaud = 19_200") + R"(
[action.grip]
message = "grip 3"
when = ["live"]
)";
  for (const test::Refused& one :
       {test::Refused{"\"grip 3\"", "\"\"", "'' cannot be a message on this wire: 0 characters; 1 to 21 characters"},
        test::Refused{"\"grip 3\"", "\"grip the left one by its rim\"", "28 characters; 1 to 21 characters of ASCII"},
        test::Refused{"\"grip 3\"", "\"grip µ\"", "cannot be a message"},
        test::Refused{"message = ", "mesage = ", "did you mean 'message'?"},
        test::Refused{"\"grip 3\"", "3", "message"},
        test::Refused{"message = \"grip 3\"", "lines = [\"G28\"]", "a link of kind board, which takes no lines"},
        test::Refused{"when = [\"live\"]", "moves = [\"table\"]", "a board moves its axes only as it is told"},
        test::Refused{"when = [\"live\"]", "homes = [\"table\"]", "what a link carries out is not Gyrax's own homing"},
        test::Refused{"when = [\"live\"]", "pauses = true", "only what a controller moves is paused"}})
    test::check_refused(board, one);
  const std::string pauses = test::changed(sound, "limit_s = 40", "pauses = true");
  for (const test::Refused& one :
       {test::Refused{"resume = \"\\u0015\"\n", "", "dialect 'brook' does not say how a controller pauses at once"},
        test::Refused{"pause = \"\\u0012\"", "", "nothing pauses it"},
        test::Refused{"pause = \"\\u0012\"", "pause = \"HOLD\"", "pauses at once, and goes on"}})
    test::check_refused(pauses, one);
  test::check_refused(test::changed(sound, "lines = [\"G28\"]", "message = \"grip\""),
                      {"gyrax = 1\n", "gyrax = 1\n", "a link of kind controller, which takes no messages"});
  std::string many = sound;
  for (int i = 0; i < 98; ++i) many += "[action.a" + std::to_string(i) + "]\nlines = [\"M8\"]\n";
  test::check_refused(many, {"gyrax = 1\n", "gyrax = 1\n", "there are more than 100 actions"});
  const std::string simulated = test::one_axis + "[action.home]\nlines = [\"G28\"]\n";
  test::check_refused(test::assembled(simulated),
                      {"gyrax = 1\n", "gyrax = 1\n", "a link of kind simulated, which takes no lines"});
}

TEST_CASE("A review tells of each action what is done, what it needs, and how it ends") {
  const std::string said = review_text(test::rig(sound));
  CAPTURE(said);
  for (const char* line :
       {"  flash        lamp on; lamp off after 0.5 s\n               while ready or live; for 10 s at most\n"
        "               asked for twice within 2 s; then all of light once, for 20 s\n",
        "  home         gantry is told G28\n"
        "               it moves x, y, focus by itself, while enable is held; letting go stops it\n"
        "               needs door; from rest; while live; for 40 s at most\n",
        "  action home: gantry moves x, y, focus by itself: of Gyrax only its stops hold meanwhile, not its travel or "
        "speed\n",
        "  reset        gantry is told \\x18, M90\n               while stowed or tripped; for 10 s at most\n"})
    CHECK(said.find(line) != std::string::npos);
  const std::string text = test::on_a_board() + "[action.grip]\nmessage = \"grip 3\"\n";
  const std::string board = review_text(test::rig(text));
  CAPTURE(board);
  CHECK(board.find("  grip         bridge is told \"grip 3\"; it gives up when it hears nothing of it for 150 ms\n") !=
        std::string::npos);
  // Its frames take their share of the wire, and a stop may have to wait for one.
  const std::string without = review_text(test::rig(test::on_a_board()));
  CHECK(without.find("3 channels: 85 bytes there and 99 back, 86 % of the wire") != std::string::npos);
  CHECK(board.find("3 channels: 85 bytes there and 99 back, 90 % of the wire") != std::string::npos);
  const std::string paused = review_text(test::rig(test::changed(sound, "limit_s = 40", "pauses = true")));
  CHECK(paused.find("while enable is held; letting go pauses it, and asked for again it goes on\n") !=
        std::string::npos);
}
