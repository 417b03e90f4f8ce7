// What every verb has in common: help, slips, files of the wrong kind, where output goes and what happens where it
// cannot.
#include "tool.hpp"

#include <gyrax/files/text_file.hpp>

#include <doctest/doctest.h>
#include <nlohmann/json.hpp>

#include <sys/stat.h>
#include <algorithm>
#include <filesystem>
#include <sstream>
#include <string>
#include <vector>

namespace fs = std::filesystem;
using namespace gyrax::test;

TEST_CASE("Help teaches, and wrong usage is 2") {
  CHECK(run("--help").exit == 0);
  CHECK(says(run("--help"), "gyrax demo"));
  CHECK(says(run("--help"), "Exit codes"));
  CHECK(says(run("rehearse --help"), "--plot"));
  CHECK(says(run("--version"), "gyrax 0."));
  CHECK(says(run("--version"), "(build "));
  for (const char* wrong : {"", "fly", "check", "rehearse demo/bench.toml", "check demo/bench.toml --jsno",
                            "demo --out", "rehearse demo/bench.toml demo/session.toml --span 1:2"}) {
    CAPTURE(wrong);
    CHECK(run(wrong).exit == 2);
  }
}

namespace {

struct Slip {
  std::string typed, says;
};

/// Each is refused with 2, and told what is wrong.
void check_slips(const std::string& verb, const std::vector<Slip>& slips) {
  for (const Slip& slip : slips) {
    CAPTURE(slip.typed);
    const Ran ran = run(verb + slip.typed);
    CHECK(ran.exit == 2);
    CHECK(says(ran, slip.says));
  }
}

}  // namespace

TEST_CASE("A verb or an option that is mistyped: what was meant") {
  check_slips("", {
                      {"chek", "there is no 'chek'; did you mean 'check'?"},
                      {"rehersae demo/bench.toml", "did you mean 'rehearse'?"},
                      {"fly",
                       "there is no 'fly'; gyrax can: check, rehearse, faults, handsets, calibrate, watch, run, "
                       "logbook, bring-up, links, stand-in, demo"},
                      {"check demo/bench.toml --jsno", "there is no '--jsno'; did you mean '--json'?"},
                      {"rehearse demo/bench.toml demo/session.toml --polt=x.png", "did you mean '--plot'?"},
                      {"--versoin", "did you mean '--version'?"},
                      {"check", "rig is required"},
                  });
}

TEST_CASE("Each verb's help has examples of its own, and each completion knows each verb's options") {
  const std::string bash = gyrax::read_text("tool/gyrax.bash", 1 << 20).text,
                    zsh = gyrax::read_text("tool/gyrax.zsh", 1 << 20).text,
                    fish = gyrax::read_text("tool/gyrax.fish", 1 << 20).text;
  for (const std::string verb : {"check", "rehearse", "handsets", "calibrate", "watch", "run", "logbook", "demo"}) {
    CAPTURE(verb);
    const Ran help = run(verb + " --help");
    CHECK(says(help, "\n  gyrax " + verb));
    CHECK(zsh.find("  " + verb + ")") != std::string::npos);
    std::istringstream words(help.out);
    std::size_t options = 0;
    for (std::string word; words >> word;) {
      const std::size_t end = word.find_first_not_of("abcdefghijklmnopqrstuvwxyz-");
      word = word.substr(0, end);
      if (!word.starts_with("--") || word.size() < 4) continue;
      CAPTURE(word);
      ++options;
      const std::size_t row = bash.find("      " + verb + ") options=");
      CHECK((bash.substr(row, bash.find('\n', row) - row) + " ").find(word) != std::string::npos);
      CHECK(zsh.find(word) != std::string::npos);
      const std::size_t own = fish.find("\n__gyrax_options " + verb + " ");
      REQUIRE(own != std::string::npos);
      const std::string options_of = fish.substr(own + 1, fish.find('\n', own + 1) - own - 1) + " ",
                        name = " " + word.substr(2);
      CHECK((options_of.find(name + " ") != std::string::npos || options_of.find(name + "=") != std::string::npos));
    }
    CHECK(options >= 1);
  }
  // By whatever path the tool is called.
  CHECK(
      run_line(
          "bash -c '. tool/gyrax.bash; COMP_WORDS=(build/gyrax run --re); COMP_CWORD=2; _gyrax; echo ${COMPREPLY[*]}'")
          .out == "--record --replace\n");
  CHECK(run_line("bash -c '. tool/gyrax.bash; COMP_WORDS=(./gyrax ch); COMP_CWORD=1; _gyrax; echo ${COMPREPLY[*]}'")
            .out == "check\n");
}

TEST_CASE("A file of another kind is named, whatever reads it") {
  const Folder folder;
  REQUIRE(run("run " + demo_rig + " --hands " + demo_session + " --for 0.1 --plain --no-real-time --logbook " +
              (folder / "a.jsonl.zst"))
              .exit == 0);
  run_line("iconv -t UTF-16 " + demo_rig + " >" + (folder / "utf16.toml"));
  const std::pair<std::string, std::string> files[] = {{demo_rig, "a rig"},
                                                       {demo_session, "a session"},
                                                       {"demo/handsets/worn_pad.calibration.toml", "a calibration"},
                                                       {"demo/pad.evemu", "a track"},
                                                       {folder / "a.jsonl.zst", "a logbook"}};
  const std::pair<std::string, std::string> readers[] = {{"check ", "a rig"},
                                                         {"run --plain ", "a rig"},
                                                         {"rehearse " + demo_rig + " ", "a session"},
                                                         {"run --plain " + demo_rig + " --hands ", "a session"},
                                                         {"calibrate --track ", "a track"},
                                                         {"logbook ", "a logbook"}};
  for (const auto& [reader, wanted] : readers) {
    for (const auto& [file, kind] : files) {
      if (kind == wanted) continue;
      const std::string arguments = reader + file;
      CAPTURE(arguments);
      const Ran ran = run(arguments);
      CHECK(ran.exit == (reader == "check " ? 1 : 2));
      CHECK(says(ran, ":1:1: this is " + kind + ", not " + wanted + "; "));
      CHECK(std::count(ran.out.begin(), ran.out.end(), '\n') == 1);
    }
    CHECK(says(run(reader + (folder / "utf16.toml")), "it is written in UTF-16; save it as UTF-8"));
    if (wanted != "a logbook")
      CHECK(says(run(reader + "docs/screenshots/demo.png"), "this is not a text file; give " + wanted));
  }
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
  const std::string quoted = "'" + path + "'", log = folder / "log.jsonl.zst";
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
      {live + " --logbook " + (folder / "none/a.jsonl.zst"), "there is no folder"},
      {live + " --record take", "excludes"},
      {"watch --record " + (folder / "none/a"), "there is no folder"},
      {"watch --for 0.1 --replace", "nothing here that would be written"},
      {"run --plain --json " + demo_rig, "excludes"},
      {"logbook --csv a.csv", "requires"},
      {"logbook --span 1:2", "requires"},
      {"demo --out " + old, "cannot make the folder"},
      {"demo --out -", "give a folder"},
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
  CHECK(run(live + " --logbook " + (folder / "a.jsonl.zst")).exit == 0);
  CHECK(run(live + " --logbook " + (folder / "a.jsonl.zst") + " --replace").exit == 0);
  CHECK(run("logbook " + (folder / "a.jsonl.zst")).exit == 0);
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

TEST_CASE("faults: what cannot be asked for is told before anything runs; a page comes with its pictures") {
  check_slips("faults demo/six_keys.toml ",
              {
                  {"--axis w", "--axis w: the rig has no such axis; there are: lamp_tilt, scale_bar"},
                  {"--failure racign", "--failure racign: there is no such failure; did you mean 'racing'?"},
                  {"--failure zzz", "there is no such failure; there are: released, "},
                  {"--page -", "--page -: the page comes with pictures beside it; give a file"},
                  {"--page /none/a.md", "cannot write '/none/a.md'"},
                  {"--plot a.gif", "take .png or .svg"},
                  {"--seed 3", "--seed requires --campaign"},
                  {"--campaign 0", "not in range"},
                  {"--campaign 100 --all", "--all excludes --campaign"},
                  {"--replace", "there is nothing here that would be written"},
              });
  CHECK(says(run("faults demo/six_keys.toml --failure squeezed"), "none can fail like that"));
  const Folder folder;
  const std::string page = folder / "stops.md", plot = folder / "worst.svg";
  const std::string command = "faults demo/six_keys.toml --failure stop --page " + page + " --plot " + plot;
  CHECK(run(command).exit == 0);
  CHECK(gyrax::read_text(folder / "stops.lamp_tilt.svg", 1 << 20).text.find("stop is pressed") != std::string::npos);
  CHECK(gyrax::read_text(page, 1 << 20).text.find("stops.scale_bar.svg") != std::string::npos);
  CHECK(gyrax::read_text(plot, 1 << 22).text.find("predicted") != std::string::npos);
  CHECK(run(command).exit == 2);  // they are there
  CHECK(run(command + " --replace").exit == 0);
}
