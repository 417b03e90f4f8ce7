// What scripts get is what docs/json.md says, field by field, both ways.
#include "support/json_paths.hpp"
#include "tool.hpp"

#include <gyrax/files/text_file.hpp>

#include <doctest/doctest.h>

#include <functional>
#include <sstream>
#include <vector>

using namespace gyrax::test;

namespace {

const std::string& docs() {
  static const std::string text = gyrax::read_text("docs/json.md", 1 << 20).text;
  return text;
}

/// Every field is in the section's rows, with its type; and every row was seen, unless `elsewhere`.
void compare(const std::string& section, const JsonPaths& seen, const std::set<std::string>& elsewhere = {}) {
  CAPTURE(section);
  const JsonPaths rows = documented(docs(), section);
  REQUIRE(!rows.empty());
  std::set<std::string> met = elsewhere;
  for (const auto& field : seen) {
    const std::string& path = field.first;
    CAPTURE(path);
    const std::string row = row_of(rows, path);
    CHECK(!row.empty());
    if (row.empty()) continue;
    met.insert(row);
    for (const std::string& type : field.second) {
      CAPTURE(type);
      CHECK(rows.at(row).contains(type));
    }
  }
  for (const auto& row : rows) {
    CAPTURE(row.first);
    CHECK(met.contains(row.first));
  }
}

JsonPaths paths_of(const std::vector<std::string>& commands, bool lines = false) {
  JsonPaths all;
  for (const std::string& command : commands) {
    CAPTURE(command);
    std::istringstream out(run(command, true).out);
    std::string text;
    for (bool first = true; std::getline(out, text, lines ? '\n' : '\0'); first = false) {
      const nlohmann::json document = nlohmann::json::parse(text);
      if (first) CHECK(nlohmann::ordered_json::parse(text).begin().key() == "gyrax_json");
      add_paths(document, "", all);
    }
  }
  return all;
}

}  // namespace

TEST_CASE("check, rehearse, logbook and calibrate say what docs/json.md says") {
  const Folder folder;
  const std::string log = folder / "a.jsonl.zst";
  REQUIRE(run("run demo/bench.toml --hands demo/session.toml --for 2.7 --plain --no-real-time --logbook " + log).exit ==
          0);
  // A folder of logbooks of its own.
  ::setenv("XDG_STATE_HOME", (folder / "state").c_str(), 1);
  REQUIRE(run("run demo/bench.toml --hands demo/session.toml --for 0.1 --plain --no-real-time").exit == 0);
  std::string doubtful = gyrax::read_text("demo/bench.toml", 1 << 20).text;
  doubtful.replace(doubtful.find("straight = 10"), 13, "straight = 0");
  REQUIRE_FALSE(gyrax::write_text(folder / "doubtful.toml", doubtful));
  compare("check", paths_of({"check --json " + (folder / "doubtful.toml"), "check --json demo/desk.toml",
                             "check --json demo/drive.toml", "check --json demo/gantry.toml",
                             "check --json demo/fine.toml", "check --json demo/one_hand.toml",
                             "check --json demo/board.toml", "check --json demo/column.toml"}));
  compare(
      "rehearse and logbook",
      paths_of({"rehearse --json demo/bench.toml demo/session.toml",
                "rehearse --json demo/desk.toml demo/desk_session.toml",
                "rehearse --json demo/fine.toml demo/fine_session.toml", "logbook --json " + log, "logbook --json"}),
      {"story[].link", "story[].input"});
  compare("check, of a rig and of the same after an edit",
          paths_of({"check --json demo/bench.toml " + (folder / "doubtful.toml")}));
  compare("faults", paths_of({"faults --json demo/six_keys.toml"}), {"untried[]"});
  compare("faults, a campaign", paths_of({"faults --json --campaign 2000 demo/bench.toml"}), {"told[]"});
  compare("calibrate", paths_of({"calibrate --json --track demo/handsets/worn_pad.show.evemu"}));
}

TEST_CASE("run says what docs/json.md says, line by line; each kind of event is in its table") {
  const Folder folder;
  const std::string log = " --no-real-time --for 6 --json --logbook " + (folder / "a.jsonl.zst");
  compare("run and watch", paths_of({"run demo/bench.toml --hands demo/session.toml" + log}, true),
          {"note", "link", "switch", "input", "layer", "which", "by", "action", "step", "present", "device", "id",
           "node", "code", "raw", "value"});
  const std::string events = docs().substr(docs().find("### Events"));
  for (const char* kind : {"state",          "fault",    "refused",   "step",          "step_refused", "wheel_refused",
                           "switch_refused", "override", "increment", "chosen",        "layer",        "in_charge",
                           "move_refused",   "reduced",  "switched",  "gap",           "dropped",      "number_refused",
                           "unheard",        "homed",    "action",    "action_refused"}) {
    CAPTURE(kind);
    CHECK(events.find("`" + std::string(kind) + "`") != std::string::npos);
  }
}

TEST_CASE("Errors are JSON as well: of files, of use, of the world") {
  const Folder folder;
  JsonPaths all;
  for (const std::string command :
       {"check --json none.toml", "check --json demo/session.toml", "run --json none.toml",
        "calibrate --json --track none", "rehearse --json demo/bench.toml demo/session.toml --csv /none/a.csv",
        "logbook --json none.jsonl.zst",
        "run --json demo/bench.toml --hands demo/session.toml --logbook /none/a.jsonl.zst"}) {
    CAPTURE(command);
    const Ran ran = run(command, true);
    CHECK(ran.exit > 0);
    const nlohmann::json document = nlohmann::json::parse(ran.out);
    CHECK(document["good"] == false);
    add_paths(document, "", all);
  }
  compare("Errors", all);
}
