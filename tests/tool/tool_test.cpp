// The tool as a user and as a script meets it: output, messages, exit codes.
#include <gyrax/files/text_file.hpp>

#include <doctest/doctest.h>
#include <nlohmann/json.hpp>

#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>
#include <algorithm>
#include <array>
#include <cstdio>
#include <filesystem>
#include <sstream>
#include <string>

namespace fs = std::filesystem;

namespace {

struct Ran {
  int exit = -1;
  std::string out;
};

/// Runs a line of the shell and keeps what it prints.
Ran run_line(const std::string& line) {
  Ran ran;
  std::FILE* pipe = ::popen(line.c_str(), "r");
  REQUIRE(pipe != nullptr);
  std::array<char, 4096> buffer{};
  while (const std::size_t got = std::fread(buffer.data(), 1, buffer.size(), pipe)) ran.out.append(buffer.data(), got);
  ran.exit = WEXITSTATUS(::pclose(pipe));
  return ran;
}

/// Runs the tool; both outputs together unless `only_out`.
Ran run(const std::string& arguments, bool only_out = false) {
  return run_line(std::string(GYRAX_TOOL_PATH) + " " + arguments + (only_out ? " 2>/dev/null" : " 2>&1"));
}

bool says(const Ran& ran, const std::string& text) {
  const bool found = ran.out.find(text) != std::string::npos;
  if (!found) MESSAGE("not said: " << text << "\n" << ran.out);
  return found;
}

struct Folder {
  fs::path path = fs::temp_directory_path() / ("gyrax-tool-" + std::to_string(::getpid()));
  Folder() { fs::create_directories(path); }
  ~Folder() { fs::remove_all(path); }
  std::string operator/(const std::string& name) const { return (path / name).string(); }
};

const std::string demo_rig = "demo/bench.toml", demo_session = "demo/session.toml";

}  // namespace

TEST_CASE("Help teaches, and wrong usage is 2") {
  CHECK(run("--help").exit == 0);
  CHECK(says(run("--help"), "gyrax demo"));
  CHECK(says(run("--help"), "Exit codes"));
  CHECK(says(run("rehearse --help"), "--plot"));
  CHECK(says(run("--version"), "gyrax 0."));
  for (const char* wrong : {"", "fly", "check", "rehearse demo/bench.toml", "check demo/bench.toml --jsno",
                            "demo --out", "rehearse demo/bench.toml demo/session.toml --span 1:2"}) {
    CAPTURE(wrong);
    CHECK(run(wrong).exit == 2);
  }
}

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
  CHECK(says(bad, "[missing_key]"));
  CHECK(says(bad, "3 problems"));
  const auto json = nlohmann::json::parse(run("check --json " + (folder / "bad.toml"), true).out);
  CHECK(json["problems"].size() == 3);
  CHECK(json["problems"][0]["line"].get<int>() > 0);
  CHECK(run("rehearse " + (folder / "bad.toml") + " " + demo_session).exit == 2);
}

TEST_CASE("Nothing in a file commands a terminal, and JSON says the same characters without one doing so") {
  const Folder folder;
  const std::string commands = "\\u001b]0;x\\u0007\\u001b[2J\\u009b31m\\u007f\\u202e",
                    path = folder / "\x1b[31mevil\x07.toml";
  std::string text = gyrax::read_text(demo_rig, 1 << 20).text;
  const std::size_t title = text.find("title = \"") + 9;
  text.insert(title, commands);
  gyrax::write_text(path, text);
  text.replace(text.find("jog = [\"x\""), 10, "jog = [\"" + commands + "\"");
  gyrax::write_text(folder / "bad.toml", text);
  const std::string quoted = "'" + path + "'", log = folder / "log.jsonl";
  REQUIRE(
      run("run " + quoted + " --hands " + demo_session + " --for 0.3 --plain --no-real-time --logbook " + log).exit ==
      0);
  for (const std::string& arguments :
       {"check " + quoted, "check --json " + quoted, "rehearse " + quoted + " " + demo_session,
        "rehearse --json " + quoted + " " + demo_session, "check " + (folder / "bad.toml"),
        "check --json " + (folder / "bad.toml"), "logbook " + log, "logbook --json " + log,
        "check '" + (folder / "\x1b[2J'"),
        "rehearse " + quoted + " " + demo_session + " --plot " + folder.path.string() + "/$(printf 'a\\033[2J.png')"}) {
    CAPTURE(arguments);
    const std::string out = run(arguments).out;
    CHECK(out.size() > 20);
    CHECK(std::none_of(out.begin(), out.end(),
                       [](char c) { return (static_cast<unsigned char>(c) < ' ' && c != '\n') || c == 0x7f; }));
    CHECK(out.find("\xc2\x9b") == std::string::npos);
    if (arguments.find("--json") == std::string::npos) CHECK(out.find("\xe2\x80\xae") == std::string::npos);
  }
  const auto json = nlohmann::json::parse(run("check --json " + quoted, true).out);
  CHECK(
      json["title"].get<std::string>().starts_with("\x1b]0;x\x07\x1b[2J\xc2\x9b"
                                                   "31m\x7f\xe2\x80\xae"));
}

TEST_CASE("What does not get out is exit code 3, whatever refuses it") {
  for (const char* verb :
       {"--version", "--help", "handsets", "check demo/bench.toml", "check --json demo/bench.toml",
        "rehearse demo/bench.toml demo/session.toml", "rehearse --json demo/bench.toml demo/session.toml"})
    for (const std::string to : {" >/dev/full", " >&-", " >/dev/full 2>&-", " > >(true)"}) {
      CAPTURE(verb);
      CAPTURE(to);
      // A reader that has gone: it is given the time to go.
      const std::string line = std::string("exec 3>&1") + to + "; sleep 0.1; " + GYRAX_TOOL_PATH + " " + verb;
      CHECK(run_line("bash -c '" + line + "' 2>/dev/null").exit == 3);
    }
  CHECK(says(run_line(std::string(GYRAX_TOOL_PATH) + " check demo/bench.toml 2>&1 >/dev/full"),
             "standard output did not take everything: No space left"));
  // Neither a file that is opened later nor what is told of trouble gets into the other.
  const Folder folder;
  CHECK(run_line(std::string(GYRAX_TOOL_PATH) + " rehearse " + demo_rig + " " + demo_session + " --csv " +
                 (folder / "a.csv") + " >&- 2>&-")
            .exit == 3);
  CHECK(gyrax::read_text(folder / "a.csv", 1u << 27).text.starts_with("t_s,"));
  CHECK(run("check nothing.toml 2>&-").exit == 2);
}

TEST_CASE(
    "One rule for what is written: nothing is lost that nobody named, links and pipes stay, - is standard output") {
  const Folder folder;
  const std::string rehearse = "rehearse " + demo_rig + " " + demo_session,
                    live = "run " + demo_rig + " --hands " + demo_session + " --for 0.1 --plain --no-real-time",
                    old = folder / "old.csv", track = "demo/handsets/worn_pad.show.evemu";
  gyrax::write_text(old, "old");
  fs::create_symlink("old.csv", folder / "link.csv");
  fs::copy_file(demo_rig, folder / "rig.toml");
  fs::create_hard_link(folder / "rig.toml", folder / "same.toml");
  const std::string own = "rehearse " + (folder / "rig.toml") + " " + demo_session;
  const struct {
    std::string arguments, says;
  } refused[] = {
      {rehearse + " --csv " + old, "is there already; another name, or --replace"},
      {rehearse + " --csv " + (folder / "link.csv"), "is there already"},
      {rehearse + " --csv " + folder.path.string(), "is a folder"},
      {rehearse + " --csv " + (folder / "none/"), "names no file"},
      {rehearse + " --csv " + (folder / "none/a.csv"), "there is no folder"},
      {rehearse + " --csv a.png --plot a.png", "two names are wanted"},
      {rehearse + " --csv - --plot -", "two names are wanted"},
      {rehearse + " --replace", "nothing here that would be written"},
      {own + " --replace --csv " + (folder / "rig.toml"), "is read here, and would be lost"},
      {own + " --replace --csv " + (folder / "same.toml"), "is read here, and would be lost"},
      {"calibrate --track " + track + " --out " + track + " --replace", "is read here, and would be lost"},
      {"calibrate --track " + track + " --out " + old, "is there already"},
      {live + " --logbook " + old, "is there already"},
      {live + " --logbook -", "are files"},
      {live + " --logbook " + (folder / "none/a.jsonl"), "there is no folder"},
      {live + " --record take", "excludes"},
      {"watch --record " + (folder / "none/a"), "there is no folder"},
      {"watch --for 0.1 --replace", "nothing here that would be written"},
      {"run --plain --json " + demo_rig, "excludes"},
      {"logbook --csv a.csv", "requires"},
      {"logbook --span 1:2", "requires"},
      {"demo --out " + old, "cannot make the folder"},
  };
  for (const auto& c : refused) {
    CAPTURE(c.arguments);
    const Ran ran = run(c.arguments);
    CHECK(ran.exit == (c.says == "cannot make the folder" ? 3 : 2));
    CHECK(says(ran, c.says));
    CHECK(gyrax::read_text(old, 1 << 20).text == "old");
  }
  CHECK(std::distance(fs::directory_iterator(folder.path), {}) == 4);

  CHECK(::chmod(old.c_str(), 0640) == 0);
  CHECK(run(rehearse + " --replace --csv " + (folder / "link.csv")).exit == 0);
  CHECK(fs::is_symlink(folder / "link.csv"));
  CHECK(gyrax::read_text(old, 1u << 27).text.starts_with("t_s,"));
  CHECK(fs::status(old).permissions() == fs::perms(0640));
  fs::create_hard_link(old, folder / "hard.csv");
  CHECK(run("calibrate --replace --out " + (folder / "hard.csv") + " --track " + track).exit == 0);
  CHECK(fs::hard_link_count(old) == 2);
  CHECK(gyrax::read_text(old, 1u << 20).text.starts_with("gyrax_calibr"));
  CHECK(run(rehearse + " --csv -", true).out.starts_with("t_s,"));
  CHECK(run(rehearse + " --plot -", true).out.starts_with("\x89PNG"));
  CHECK(run_line("mkfifo " + (folder / "pipe") + "; head -c 4 " + (folder / "pipe") + " & " + GYRAX_TOOL_PATH + " " +
                 rehearse + " --csv " + (folder / "pipe") + " >/dev/null 2>&1; wait")
            .out == "t_s,");
  CHECK(fs::is_fifo(folder / "pipe"));
  CHECK(run(live + " --logbook " + (folder / "a.jsonl")).exit == 0);
  CHECK(run(live + " --logbook " + (folder / "a.jsonl") + " --replace").exit == 0);
  CHECK(run("logbook " + (folder / "a.jsonl")).exit == 0);
  CHECK(run(live + " --logbook " + (folder / "pipe")).exit == 3);  // nobody reads it
  CHECK(run(live + " --logbook /dev/full").exit == 3);
  CHECK(run(live + " --logbook /dev/null").exit == 0);
}

TEST_CASE("Twenty runs at once leave twenty logbooks") {
  const Folder folder;
  const std::string one = "XDG_STATE_HOME=" + folder.path.string() + " " + GYRAX_TOOL_PATH + " run " + demo_rig +
                          " --hands " + demo_session + " --for 0.2 --plain --no-real-time >/dev/null 2>&1 & ";
  std::string all;
  for (int i = 0; i < 20; ++i) all += one;
  run_line(all + "wait");
  std::size_t whole = 0;
  for (const auto& entry : fs::directory_iterator(folder.path / "gyrax"))
    whole += run("logbook " + entry.path().string()).exit == 0 ? 1 : 0;
  CHECK(whole == 20);
}

TEST_CASE("Files that are none: a message with the place and what to do, and no partial file") {
  const Folder folder;
  CHECK(::truncate((gyrax::write_text(folder / "huge.toml", "x"), folder / "huge.toml").c_str(), 2'000'000'000) == 0);
  const struct {
    std::string arguments, says;
    int exit;
  } cases[] = {
      {"check " + (folder / "none.toml"), "there is no file", 2},
      {"check " + folder.path.string(), "is a folder", 2},
      {"check /dev/zero", "a pipe or a device", 2},
      {"check " + (folder / "huge.toml"), "at most 1048576", 2},
      {"rehearse " + demo_rig + " " + (folder / "none.toml"), "there is no file", 2},
      {"rehearse " + demo_rig + " " + demo_rig, "this is a rig, not a session", 2},
      {"check " + demo_session, "this is a session, not a rig", 1},
      {"rehearse " + demo_rig + " " + demo_session + " --csv /no/such/folder/a.csv",
       "there is no folder '/no/such/folder'", 2},
      {"rehearse " + demo_rig + " " + demo_session + " --plot " + (folder / "a.jpg"), "take .png or .svg", 2},
      {"rehearse " + demo_rig + " " + demo_session + " --plot " + (folder / "a.png") + " --span 9", "FROM:TO", 2},
  };
  for (const auto& c : cases) {
    CAPTURE(c.arguments);
    const Ran ran = run(c.arguments);
    CHECK(ran.exit == c.exit);
    CHECK(says(ran, c.says));
  }
  CHECK(std::distance(fs::directory_iterator(folder.path), {}) == 1);
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
  CHECK(run_line(line + (folder / "one.jsonl") + " 2>&1").exit == 0);
  std::string kept;
  for (const auto& entry : fs::directory_iterator(folder.path / "gyrax")) kept = entry.path().string();
  REQUIRE(gyrax::read_text(kept, 1 << 16).text == "gyrax_remembered = 1\n\n[increment]\n\"x\" = 0.5\n\"y\" = 0.5\n");
  REQUIRE_FALSE(gyrax::write_text(kept, "gyrax_remembered = 1\n[increment]\n\"x\" = 5\n\"y\" = 7\n"));
  const Ran second = run_line(line + (folder / "two.jsonl") + " 2>&1");
  CHECK(says(second, "y was at 7 in the last run, which is no notch any more; the rig's own start counts"));
  CHECK(gyrax::read_text(kept, 1 << 16).text == "gyrax_remembered = 1\n\n[increment]\n\"x\" = 5\n\"y\" = 0.5\n");
  const Ran replayed = run("logbook " + (folder / "two.jsonl"));
  CHECK(replayed.exit == 0);
  CHECK(says(replayed, "came out the same, to the last bit"));
}

TEST_CASE(
    "run: live on recorded hands, told to end by SIGTERM; its logbook replays, exports, and tells where it was cut") {
  const Folder folder;
  const std::string log = folder / "run.jsonl", tool = GYRAX_TOOL_PATH;
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
  fs::resize_file(log, fs::file_size(log) / 2);
  CHECK(says(run("logbook " + log), "it is cut off inside line "));
  fs::resize_file(log, gyrax::read_text(log, 1 << 28).text.find('\n') + 1);
  CHECK(says(run("logbook " + log), "no tick to show; it ends after line 1, without the line that closes it"));
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
