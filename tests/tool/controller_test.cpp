// A controller on a real wire, as somebody meets it: the page's shortest rig, a dialogue by hand, a program that is
// gone.
#include "beside.hpp"
#include "support/json_paths.hpp"

#include <doctest/doctest.h>
#include <fmt/format.h>

#include <fstream>
#include <regex>
#include <string>
#include <thread>

using namespace gyrax;
using namespace gyrax::test;
using namespace std::chrono_literals;

namespace {

/// A rig of the demo's gantry with a wire of its own, and watchdogs that a busy machine does not wake.
std::string gantry_in(const Folder& folder) {
  std::string text = read_text("demo/gantry.toml", 1u << 20).text;
  change(text, "include = [\"dialects/brook.toml\"]", "include = [\"brook.toml\"]");
  change(text, "out/gantry", folder / "gantry");
  change(text, "silence_ms = 400 ", "silence_ms = 3000 ");
  change(text, "round_trip_ms = 20 ", "answer_ms = 2000\nround_trip_ms = 20 ");
  for (int i = 0; i < 2; ++i)
    change(text, "following_error = 40\n",
           "following_error = 80\nrunaway = { wrong_way_ms = 0, overspeed_ms = 0, moves_at_rest_ms = 0, "
           "position_frozen_ms = 0 }\n");
  change(text, "max_ms = 100 ", "max_ms = 1000 ");
  change(text, "[handset.pad]\n", "[handset.pad]\nmax_age_ms = 2000\n");
  std::ofstream(folder / "rig.toml") << text;
  std::ofstream(folder / "brook.toml") << read_text("demo/dialects/brook.toml", 1u << 20).text;
  return folder / "rig.toml";
}

}  // namespace

TEST_CASE("The shortest rig of docs/controller.md holds, and so does the demo's") {
  const Folder folder;
  const std::string page = read_text("docs/controller.md", 1u << 20).text;
  const std::size_t from = page.find("```toml\n") + 8;
  std::ofstream(folder / "rig.toml") << page.substr(from, page.find("```", from) - from);
  for (const std::string& rig : {std::string(folder / "rig.toml"), std::string("demo/gantry.toml")}) {
    const Ran checked = test::run("check " + rig);
    CHECK(checked.exit == 0);
    CHECK(says(checked, "told: G1 {axes} F{feed}"));
    CHECK(says(checked, "it goes on until its queue has run out"));
    CHECK(says(checked, "Findings\n  none"));
  }
}

TEST_CASE("links asks a controller where it is and sends nothing else; by hand, each line is sent and explained") {
  const Folder folder;
  const std::string rig = gantry_in(folder);
  const Ran alone = test::run("links " + rig + " --for 0.3");
  CHECK(alone.exit == 3);
  CHECK(says(alone, "nobody answers"));
  CHECK(says(alone, "cannot be opened: No such file or directory"));
  Beside controller("stand-in controller " + rig, folder / "controller.txt");
  REQUIRE(controller.says("serves serial line"));
  controller.tell("input door off");
  REQUIRE(controller.says("door is off"));
  const Ran seen = test::run("links " + rig + " --for 20");
  CHECK(seen.exit == 0);
  CHECK(says(seen, "controller that speaks 'brook'"));
  CHECK(says(seen, "and is 'ready'"));
  CHECK(says(seen, "door         off"));
  JsonPaths paths;
  add_paths(nlohmann::json::parse(test::run("links " + rig + " --for 20 --json", true).out), "", paths);
  const JsonPaths rows = documented(read_text("docs/json.md", 1u << 20).text, "links, of a controller");
  CHECK(rows.size() == paths.size());
  for (const auto& field : paths) {
    CAPTURE(field.first);
    REQUIRE(rows.contains(field.first));
    for (const std::string& type : field.second) CHECK(rows.at(field.first).contains(type));
  }
  // It comes with inches and differences, and answers in its own words.
  const Ran talk = run_line("printf 'G21\\nG90\\nG1 X1.5 F600\\nHELLO\\n\\\\x05\\nMODES\\n' | " +
                            std::string(GYRAX_TOOL_PATH) + " links " + rig + " --print");
  CHECK(talk.exit == 0);
  CHECK(says(talk, "-> G1 X1.5 F600"));
  CHECK(says(talk, "<- ok   [answered]"));
  CHECK(says(talk, "<- no 20: 'HELLO'   [refused: code = 20, words = 'HELLO']"));
  CHECK(says(talk, "-> <05>"));
  CHECK(says(talk, "[status: X = "));
  CHECK(says(talk, "<- modes G21 G90 G94   [modes: modes = G21 G90 G94]"));
  CHECK(controller.says("x 1.500 mm"));
  controller.tell("explode");
  CHECK(controller.says("there is no 'explode'; it takes cut, silent, lose"));
}

TEST_CASE(
    "A program that is killed while it moves a controller: its queue runs out, and a new program finds it at rest") {
  const Folder folder;
  const std::string rig = gantry_in(folder);
  Beside controller("stand-in controller " + rig, folder / "controller.txt");
  REQUIRE(controller.says("serves serial line"));
  {
    Beside run("run " + rig + " --hands demo/gantry_session.toml --plain --no-logbook", folder / "run.txt");
    REQUIRE(run.says("gantry is live"));
    const Ran second = test::run("links " + rig + " --for 0.3");
    CHECK(second.exit == 3);
    CHECK(says(second, "which one alone can ask"));
    std::this_thread::sleep_for(1400ms);
    CHECK(run_line("pkill -KILL -f -- 'run " + rig + "'").exit == 0);
  }
  REQUIRE(controller.says("its queue has run out: at rest"));
  CHECK(
      std::regex_search(controller.said(), std::regex("at rest [0-9]+ ms after it heard anything last, x [0-9.]+ mm")));
  Beside run("run " + rig + " --hands demo/gantry_session.toml --plain --no-logbook", folder / "again.txt");
  CHECK(run.says("its modes are set: it can be moved"));
  REQUIRE(run.says("gantry is live"));
  controller.tell("alarm");
  CHECK(run.says("it has an alarm: 'alarm: limit'"));
  CHECK(run.says("gantry is tripped"));
  CHECK(run_line("pkill -INT -f -- 'run " + rig + "'").exit == 0);
}

TEST_CASE(
    "Actions are typed at run: one of the machine's own unlocks a controller, what is none is told with those that "
    "are") {
  const Folder folder;
  const std::string rig = gantry_in(folder);
  std::string text = read_text(rig, 1u << 20).text;
  change(text, "within_s = 3", "within_s = 60");
  std::ofstream(rig) << text;
  const Ran checked = test::run("check " + rig);
  CHECK(says(checked, "home         gantry is told G28\n"));
  CHECK(says(checked, "it moves x, y, focus by itself, while enable is held; letting go stops it"));
  CHECK(says(checked, "needs door; from rest; done once homed is on; while live; for 60 s at most"));
  CHECK(says(checked, "lamp on; lamp off after 0.5 s"));
  CHECK(says(checked, "asked for twice within 60 s"));
  Beside controller("stand-in controller " + rig, folder / "controller.txt");
  REQUIRE(controller.says("serves serial line"));
  controller.tell("alarm");
  REQUIRE(controller.says("it has an alarm"));
  {
    Beside run("run " + rig + " --hands demo/gantry_session.toml --typed --no-logbook", folder / "run.txt");
    REQUIRE(run.says("it has an alarm: 'alarm'"));
    run.tell("unlok");
    CHECK(run.says("there is no action 'unlok'; the rig has home, unlock"));
    run.tell("unlock");
    REQUIRE(run.says("unlock is prepared: ask for it once more within 60 s, and it begins"));
    run.tell("unlock");
    CHECK(run.says("unlock: 'M90'"));
    CHECK(controller.says("it is told that its alarm is over"));
    CHECK(run.says("unlock is done"));
    CHECK(run_line("pkill -INT -f -- 'run " + rig + "'").exit == 0);
  }
}
