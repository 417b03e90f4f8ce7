// The tool as a user and as a script meets it: output, messages, exit codes.
#include "tool.hpp"

#include <gyrax/files/text_file.hpp>

#include <doctest/doctest.h>
#include <nlohmann/json.hpp>

#include <sys/stat.h>
#include <algorithm>
#include <filesystem>
#include <sstream>
#include <string>

namespace fs = std::filesystem;
using namespace gyrax::test;

TEST_CASE("check says what a rig means, in words and as JSON") {
  const Ran words = run("check " + demo_rig);
  CHECK(words.exit == 0);
  CHECK(says(words, "stick.left.x: jogs x"));
  CHECK(says(words, "hat.right with shoulder.left held: steps turntable by +1 increment"));
  CHECK(says(words, "199 ms, 17.9 mm"));  // 180/1400 + 1400/20000 s, half of that at 180 mm/s
  CHECK(says(words, "line 30"));
  CHECK(says(words, "pulse 1062 … 1962 µs over the travel"));
  CHECK(says(words, "no heartbeat for 100 ms is a fault; the far end stops by itself after 40 ms"));
  const auto json = nlohmann::json::parse(run("check " + demo_rig + " --json", true).out);
  CHECK(json["good"] == true);
  CHECK(json["axes"].size() == 6);
  CHECK(json["origins"]["axis.x.speed"]["line"].get<int>() > 10);
}

TEST_CASE("check tells everything that is wrong with a rig, where, and what was probably meant: 1") {
  const Folder folder;
  std::string text = gyrax::read_text(demo_rig, 1 << 20).text;
  text.replace(text.find("travel = [0, 420]"), 6, "travle");
  text.replace(text.find("\"x\", \"y\"] }"), 8, "\"x\", \"yy\"");
  gyrax::write_text(folder / "bad.toml", text);
  const Ran bad = run("check " + (folder / "bad.toml"));
  CHECK(bad.exit == 1);
  CHECK(says(bad, "did you mean 'travel'? [unknown_key]"));
  CHECK(says(bad, "there is no axis 'yy'"));
  // With the line, and a mark under the place; and nothing that only follows from it.
  CHECK(says(bad, " | travle = [0, 420]"));
  CHECK(says(bad, "\n      |                        ^\n"));
  CHECK(says(bad, "2 problems"));
  const auto json = nlohmann::json::parse(run("check --json " + (folder / "bad.toml"), true).out);
  CHECK(json["problems"].size() == 2);
  CHECK(json["problems"][0]["line"].get<int>() > 0);
  CHECK(run("rehearse " + (folder / "bad.toml") + " " + demo_session).exit == 2);
}

TEST_CASE("No permission is the outside world's failure: 3") {
  if (::geteuid() == 0) {
    // root may read everything: drop to another user for this one command.
    const Folder folder;
    gyrax::write_text(folder / "locked.toml", "gyrax = 1\n");
    fs::permissions(folder / "locked.toml", fs::perms::none);
    const std::string line = "setpriv --reuid=65534 --regid=65534 --clear-groups " + std::string(GYRAX_TOOL_PATH) +
                             " check " + (folder / "locked.toml");
    const Ran ran = run_line(line + " 2>&1");
    CHECK(ran.exit == 3);
    CHECK(says(ran, "no permission"));
    return;
  }
  const Folder folder;
  gyrax::write_text(folder / "locked.toml", "gyrax = 1\n");
  fs::permissions(folder / "locked.toml", fs::perms::none);
  CHECK(run("check " + (folder / "locked.toml")).exit == 3);
}

TEST_CASE("demo leaves its plot and its signals and says where; the same output every time") {
  const Folder folder;
  const Ran ran = run("demo --out " + (folder / "out"), true);
  CHECK(ran.exit == 0);
  CHECK(says(ran, "a handset was unplugged"));
  CHECK(says(ran, "10 steps of x by +0.05 mm, together +0.5 mm"));
  CHECK(says(ran, folder / "out/session.png"));
  CHECK(fs::file_size(folder / "out/signals.csv") > 1'000'000);
  CHECK(fs::exists(folder / "out/session.png"));
  CHECK(run("demo --out " + (folder / "out")).exit == 2);
  CHECK(run("demo --replace --out " + (folder / "out"), true).out == ran.out);
  const auto json = nlohmann::json::parse(run("rehearse --json " + demo_rig + " " + demo_session, true).out);
  CHECK(json["good"] == true);
  CHECK(json["stops"].size() == 4);
  CHECK(run("demo --out /proc/nothing").exit == 3);
}

TEST_CASE("handsets says what there is, or where to look; as JSON for scripts") {
  const Ran words = run("handsets");
  CHECK(words.exit == 0);
  CHECK(words.out.size() > 100);
  CHECK(nlohmann::json::parse(run("handsets --json --all", true).out)["handsets"].is_array());
}

TEST_CASE("calibrate: measures a recording, writes whole files only, and says what is wrong with what it is given") {
  const Folder folder;
  const std::string track = "demo/handsets/worn_pad.show.evemu", out = folder / "pad.toml";
  const Ran told = run("calibrate --track " + track + " --out " + out);
  CHECK(told.exit == 0);
  CHECK(says(told, "it jumped away and back"));
  CHECK(says(told, "calibration = \"pad.toml\""));
  CHECK(gyrax::read_text(out, 1 << 20).text ==
        gyrax::read_text("demo/handsets/worn_pad.calibration.toml", 1 << 20).text);
  CHECK(run("calibrate --track " + track + " --out " + out).exit == 2);
  CHECK(says(run("calibrate --track " + track + " --out " + out), "is there already"));
  CHECK(run("calibrate --track " + track + " --out " + out + " --replace").exit == 0);
  CHECK(run("calibrate --track " + track + " --out " + (folder / "no/pad.toml")).exit == 2);
  CHECK(says(run("calibrate --track " + track + " --name ABS_X=stick.lft.x"), "did you mean 'stick.left.x'?"));
  CHECK(run("calibrate --track demo/bench.toml").exit == 2);
  const auto json = nlohmann::json::parse(run("calibrate --json --track " + track, true).out);
  CHECK(json["controls"][0]["control"] == "stick.left.x");
  CHECK(json["controls"][0]["dead_zone_percent"].get<double>() > 5);
  CHECK(json["controls"].size() == 17);
}

TEST_CASE(
    "A live run goes on with the increments that the last one ended with, where its rig says so; its logbook, too") {
  const Folder folder;
  const std::string line =
      "XDG_STATE_HOME=" + folder.path.string() +
      " " GYRAX_TOOL_PATH
      " run demo/desk.toml --hands demo/desk_session.toml --plain --no-real-time --for 0.2 --logbook ";
  CHECK(run_line(line + (folder / "one.jsonl.zst") + " 2>&1").exit == 0);
  std::string kept;
  for (const auto& entry : fs::directory_iterator(folder.path / "gyrax")) kept = entry.path().string();
  REQUIRE(gyrax::read_text(kept, 1 << 16).text == "gyrax_remembered = 1\n\n[increment]\n\"x\" = 0.5\n\"y\" = 0.5\n");
  REQUIRE_FALSE(gyrax::write_text(kept, "gyrax_remembered = 1\n[increment]\n\"x\" = 5\n\"y\" = 7\n"));
  const Ran second = run_line(line + (folder / "two.jsonl.zst") + " 2>&1");
  CHECK(says(second, "y was at 7 in the last run, which is no notch any more; the rig's own start counts"));
  CHECK(gyrax::read_text(kept, 1 << 16).text == "gyrax_remembered = 1\n\n[increment]\n\"x\" = 5\n\"y\" = 0.5\n");
  const Ran replayed = run("logbook " + (folder / "two.jsonl.zst"));
  CHECK(replayed.exit == 0);
  CHECK(says(replayed, "came out the same, to the last bit"));
}

TEST_CASE(
    "run: live on recorded hands, told to end by SIGTERM; its logbook replays, exports, and tells where it was cut") {
  const Folder folder;
  const std::string log = folder / "run.jsonl.zst", tool = GYRAX_TOOL_PATH;
  // timeout's TERM comes while x is under way.
  const std::string line = "timeout 5.5 " + tool + " run " + demo_rig + " --hands " + demo_session +
                           " --plain --no-real-time --logbook " + log;
  const Ran ran = run_line(line + " 2>&1");
  CHECK(says(ran, "its faults of machines are left out"));
  CHECK(says(ran, "Ended after "));
  CHECK(says(ran, "What happened: gyrax logbook " + log));
  const Ran replayed =
      run("logbook " + log + " --csv " + (folder / "a.csv") + " --plot " + (folder / "a.png") + " --span 1:3");
  CHECK(replayed.exit == 0);
  CHECK(says(replayed, "came out the same, to the last bit"));
  CHECK(fs::file_size(folder / "a.csv") > 10'000);
  CHECK(fs::exists(folder / "a.png"));
  CHECK(nlohmann::json::parse(run("logbook --json " + log, true).out)["replay"]["same"] == true);
  CHECK(says(replayed, "The logbook: complete"));
  // Any zstd tool shows it.
  const Ran shown = run_line("zstd -t " + log + " 2>&1 && zstd -dc " + log + " | tail -n 2");
  CHECK(shown.exit == 0);
  CHECK(says(shown, "{\"closed\":\"Ended after "));
  const std::string whole = gyrax::read_text(log, 1 << 28).text;
  fs::resize_file(log, whole.size() - 300);
  const Ran cut = run("logbook " + log);
  CHECK(cut.exit == 4);
  CHECK(says(cut, "The logbook: cut off"));
  CHECK(says(cut, "it ends inside the piece that begins at byte "));
  std::string damaged = whole;
  damaged[whole.size() - 300] ^= 1;
  gyrax::write_text(log, damaged);
  const Ran broken = run("logbook " + log);
  CHECK(broken.exit == 5);
  CHECK(says(broken, "The logbook: damaged"));
  CHECK(says(broken, "is not what was written"));
  fs::resize_file(log, 100);
  const Ran headless = run("logbook " + log);
  CHECK(headless.exit == 4);
  CHECK(says(headless, "its head is cut off"));
  gyrax::write_text(log, whole);
  // Nothing is overwritten, and what cannot be is said.
  CHECK(says(run("run " + demo_rig + " --hands " + demo_session + " --plain --logbook " + log), "is there already"));
  CHECK(run("logbook " + demo_rig).exit == 2);
  CHECK(run("logbook " + log + " --span 5").exit == 2);
  CHECK(says(run("logbook " + log + " --span 500:600"), "no tick to show from 500 to 600 s"));
  CHECK(run("run " + (folder / "none.toml") + " --plain").exit == 2);
  CHECK(run("run " + demo_rig + " --for nan").exit == 2);
  CHECK(run("watch --hands " + demo_session).exit == 2);
}

namespace {

/// The demo's rig for a machine that may be slow: nothing trips or is refused because a tick, a reading or a frame is
/// late.
std::string patient_rig(const Folder& folder) {
  std::string text = gyrax::read_text(demo_rig, 1 << 20).text;
  const auto change = [&](const std::string& from, const std::string& to) {
    REQUIRE(text.find(from) != std::string::npos);
    text.replace(text.find(from), from.size(), to);
  };
  change("max_ms = 20 ", "max_ms = 1000 ");
  change("silence_ms = 100 ", "silence_ms = 60_000 ");
  change("valid_ms = 40 ", "valid_ms = 60_000 ");
  change("reports = \"on change\"", "reports = \"on change\"\nmax_age_ms = 60_000");
  gyrax::write_text(folder / "patient.toml", text);
  return folder / "patient.toml";
}

}  // namespace

TEST_CASE("check: findings stand at the end with a mark under their place, and are denied as wished") {
  const Folder folder;
  const auto changed = [&](const std::string& name, const std::string& from, const std::string& to) {
    std::string text = gyrax::read_text("demo/bench.toml", 1 << 20).text;
    text.replace(text.find(from), from.size(), to);
    gyrax::write_text(folder / name, text);
    return folder / name;
  };
  const std::string doubtful = changed("doubtful.toml", "straight = 10", "straight = 0");
  const Ran plain = run("check " + doubtful);
  CHECK(plain.exit == 0);
  CHECK(says(plain, "Findings\n"));
  CHECK(says(plain, "[crooked_pair]\n"));
  CHECK(says(plain, " | \"stick.left\" = { jog = [\"x\", \"y\"] }"));
  CHECK(says(plain, "        |                ^\n"));
  const Ran denied = run("check --deny doubtful " + doubtful);
  CHECK(denied.exit == 1);
  CHECK(says(denied, "1 finding is denied"));
  CHECK(run("check --deny dangerous " + doubtful).exit == 0);
  CHECK(run("check --deny everything " + doubtful).exit == 2);
  // A speed per minute: the machine would lag behind by more than is allowed.
  const std::string fast = changed("fast.toml", "speed = 180", "speed = 9000");
  const Ran json = run("check --json " + fast, true);
  CHECK(json.exit == 1);
  CHECK(nlohmann::json::parse(json.out)["good"] == false);
  CHECK(nlohmann::json::parse(json.out)["findings"][0]["severity"] == "cannot work");
  CHECK(run("check --deny nothing " + fast).exit == 0);
  CHECK(says(run("check " + fast), "(150 if that was meant to be mm/min)"));
  const Ran edited = run("check --deny nothing demo/bench.toml " + fast);
  CHECK(edited.exit == 0);
  CHECK(says(edited, "axis x: speed was 180, is 9000\n"));
  CHECK(says(edited, "[trips_at_speed]"));
  CHECK_FALSE(edited.out.find("axis y") != std::string::npos);
  CHECK(says(run("check demo/bench.toml demo/bench.toml"), "nothing means anything else"));
  // What cannot work is told where it is used, too.
  CHECK(says(run("rehearse " + fast + " " + demo_session), "[trips_at_speed]"));
}

TEST_CASE("watch: a line for each thing that happens, for a script") {
  const Folder folder;
  const Ran ran = run("watch " + patient_rig(folder) + " --hands " + demo_session + " --json --for 5", true);
  CHECK(ran.exit == 0);
  std::size_t events = 0, axes = 0, ended = 0;
  std::istringstream lines(ran.out);
  for (std::string line; std::getline(lines, line);) {
    const auto json = nlohmann::json::parse(line);
    events += json.contains("event") ? 1 : 0;
    axes += json.contains("axis") ? 1 : 0;
    ended += json.contains("ended") ? 1 : 0;
  }
  CHECK(events >= 2);
  CHECK(axes >= 6);
  CHECK(ended == 1);
}

TEST_CASE("In a terminal: one screen with axes, controls and what happened, and the terminal given back") {
  const Folder folder;
  const std::string line = "LINES=30 COLUMNS=100 TERM=xterm script -qec '" + std::string(GYRAX_TOOL_PATH) + " watch " +
                           patient_rig(folder) + " --hands " + demo_session + " --for 5' /dev/null </dev/null";
  const Ran ran = run_line(line + " 2>&1");
  for (const char* text : {"watching Bench for photographing", "turntable", "hands, from a recording", "stick.left.x",
                           "what happened", "main is ready"})
    CHECK(says(ran, text));
  const std::size_t enters = ran.out.find("\x1b[?1049h"), leaves = ran.out.rfind("\x1b[?1049l");
  CHECK(enters != std::string::npos);
  CHECK(leaves != std::string::npos);
  CHECK(ran.out.find("Ended after", leaves) != std::string::npos);
  // Only what changes is drawn: a screen of 100 by 30 twenty times a second would be 180 kB.
  CHECK(ran.out.size() < 100'000);
}
