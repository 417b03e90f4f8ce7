// Wires of real processes: a board's stand-in, the program that runs it, and whoever looks on.
#include "beside.hpp"
#include "support/json_paths.hpp"
#include "tool.hpp"

#include <gyrax/files/text_file.hpp>

#include <doctest/doctest.h>
#include <nlohmann/json.hpp>

#include <unistd.h>
#include <csignal>
#include <fstream>
#include <sstream>
#include <string>
#include <thread>
#include <utility>

using namespace gyrax::test;
using namespace std::chrono_literals;

TEST_CASE("Who is there is asked without moving anything; nobody there is told, with 3") {
  const Folder folder;
  const std::string rig = board_in(folder);
  const Ran nobody = run("links " + rig + " --for 0.3");
  CHECK(nobody.exit == 3);
  CHECK(says(nobody, "nobody answers"));
  CHECK(says(nobody, "cannot be opened: No such file or directory"));
  Beside board("stand-in board " + rig, folder / "board.txt");
  REQUIRE(board.says("serves serial line"));
  const Ran there = run("links " + rig);
  CHECK(there.exit == 0);
  for (const char* one : {"board at address 1, serial line ", "\"bench stand-in\": version 1 of the frames",
                          "8 channels", " 4  servo   J5        lamp_tilt     912 … 2112 µs ", "answers after "})
    CHECK(says(there, one));
  const Ran frames = run("links " + rig + " --print --for 0.5");
  CHECK(frames.exit == 0);
  CHECK(says(frames, "->  greet "));
  CHECK(says(frames, "<-  channel "));
  board.tell("quit");
  CHECK(board.end() == 0);
}

TEST_CASE("Beside a program that runs it: its numbers, its frames, what the board prints; a second one is refused") {
  const Folder folder;
  const std::string rig = board_in(folder);
  Beside board("stand-in board " + rig, folder / "board.txt");
  REQUIRE(board.says("serves serial line"));
  Beside program("run " + rig + " --hands demo/board_session.toml --plain --no-real-time --no-logbook --for 10",
                 folder / "run.txt");
  REQUIRE(program.says("agrees: 8 channels"));
  const Ran beside = run("links " + rig);
  CHECK(beside.exit == 0);
  CHECK(says(beside, "run by process "));
  CHECK(says(beside, "it goes on undisturbed"));
  Beside onlooker("links " + rig + " --print", folder / "frames.txt");
  REQUIRE(onlooker.says("<-  report "));
  REQUIRE(onlooker.says("->  set "));
  board.tell("print it is warm in here");
  CHECK(onlooker.says("<-  print "));
  CHECK(onlooker.says("\"it is warm in here\""));
  const Ran second = run("run " + rig + " --plain --no-real-time --no-logbook --for 1");
  CHECK(second.exit == 3);
  CHECK(says(second, " already; end that first, or look on with gyrax links "));
  CHECK(program.says("main is live"));
  board.tell("quit");
  CHECK(board.end() == 0);
  // The program sees its board go, and whoever looks on sees the program go.
  CHECK(program.says("main is tripped"));
  program.end();
  CHECK(onlooker.end() == 0);
  CHECK(program.said().find("greeted anew") == std::string::npos);
}

TEST_CASE("A folder for onlookers that is not this user's: it runs, and says so; nothing in it is touched") {
  const Folder folder;
  const std::string rig = board_in(folder);
  std::ofstream(folder / "gyrax") << "mine";
  const std::string run_it = " run " + rig + " --plain --no-real-time --no-logbook --for 0.3 2>&1";
  const Ran ran = run_line("XDG_RUNTIME_DIR=" + folder.path.string() + " " + GYRAX_TOOL_PATH + run_it);
  CHECK(ran.exit == 0);
  CHECK(says(ran, "nobody can look on at the wires: "));
  CHECK(says(ran, "is not a folder of this user"));
  CHECK(gyrax::read_text(folder / "gyrax", 100).text == "mine");
}

TEST_CASE("A program that was killed does not keep its wire") {
  const Folder folder;
  const std::string rig = board_in(folder);
  const std::string run_it = std::string(GYRAX_TOOL_PATH) + " run " + rig + " --plain --no-real-time --no-logbook";
  CHECK(run_line("timeout -s KILL 1 " + run_it + " 2>&1").exit != 0);
  CHECK(run_line(run_it + " --for 0.2 2>&1").exit == 0);
}

TEST_CASE("Boards that share a bus are asked one after the other") {
  const Folder folder;
  std::string text = "gyrax = 1\n";
  for (const char* n : {"1", "2"})
    text += "[link.b" + std::string(n) + "]\nkind = \"board\"\n[link.b" + n + ".board]\nserial = \"" + folder / "bus" +
            "\"\nduplex = \"half\"\nrate_hz = 20\naddress = " + n + "\n[axis.a" + n + "]\nlink = \"b" + n +
            "\"\nunit = \"mm\"\ntravel = [0, 100]\nspeed = 50\naccel = 100\n" + "steps = [100, 1]\nchannel = 0\n";
  std::ofstream(folder / "rig.toml")
      << text << "[bind]\n\"menu.right\" = \"ready\"\n\"shoulder.right\" = \"enable\"\n\"face.east\" = \"stop\"\n"
      << "\"menu.centre\" = \"reset\"\n\"stick.left.x\" = { jog = \"a1\" }\n";
  Beside board("stand-in board " + folder / "rig.toml" + " --link b1", folder / "board.txt");
  REQUIRE(board.says("with 1 more on it"));
  const Ran ran = run("links " + folder / "rig.toml");
  CHECK(ran.exit == 0);
  CHECK(says(ran, "\"b1 stand-in\""));
  CHECK(says(ran, "\"b2 stand-in\""));
  CHECK(says(ran, "a2"));
  board.tell("quit");
}

TEST_CASE("Who has a wire and is suspended is told, and left alone") {
  const Folder folder;
  const std::string rig = board_in(folder), to = folder / "run.txt";
  Beside board("stand-in board " + rig, folder / "board.txt");
  REQUIRE(board.says("serves serial line"));
  const std::string suspended = std::string(GYRAX_TOOL_PATH) + " run " + rig +
                                " --plain --no-real-time --no-logbook >" + to + " 2>&1 & sleep 1.5; kill -STOP $!; " +
                                GYRAX_TOOL_PATH + " links " + rig +
                                " --for 1 2>&1; echo \"exit $?\"; kill -CONT $!; kill $!; wait $!";
  const Ran ran = run_line(suspended);
  CHECK(says(ran, "which does not answer; is it suspended?"));
  CHECK(says(ran, "exit 3"));
  board.tell("quit");
  CHECK(board.said().find("greeted: session", board.said().find("greeted: session") + 1) == std::string::npos);
}

TEST_CASE("watch leaves the real far end alone, whatever the hands do") {
  const Folder folder;
  const std::string rig = board_in(folder);
  Beside board("stand-in board " + rig, folder / "board.txt");
  REQUIRE(board.says("serves serial line"));
  const Ran watched = run("watch " + rig + " --hands demo/board_session.toml --plain --for 5");
  CHECK(watched.exit == 0);
  CHECK(says(watched, "main is live"));
  board.tell("quit");
  CHECK(board.end() == 0);
  CHECK(board.said().find("greeted") == std::string::npos);
}

TEST_CASE("links --json is one document a line, of the state and of each frame, as docs/json.md says") {
  const Folder folder;
  const std::string rig = board_in(folder);
  Beside board("stand-in board " + rig, folder / "board.txt");
  REQUIRE(board.says("serves serial line"));
  std::istringstream lines(run("links " + rig + " --print --json --for 2", true).out);
  int frames = 0, states = 0;
  JsonPaths seen;
  for (std::string line; std::getline(lines, line);) {
    const auto json = nlohmann::json::parse(line, nullptr, false);
    REQUIRE_FALSE(json.is_discarded());
    add_paths(json, "", seen);
    frames += json.contains("frame") ? 1 : 0;
    states += json.contains("channels") && json["channels"].size() == 8 ? 1 : 0;
  }
  CHECK(frames > 5);
  CHECK(states == 1);
  const JsonPaths rows = documented(gyrax::read_text("docs/json.md", 1 << 20).text, "links");
  for (const auto& field : seen) {
    CAPTURE(field.first);
    REQUIRE(rows.contains(field.first));
    for (const std::string& type : field.second) CHECK(rows.at(field.first).contains(type));
  }
  for (const auto& row : rows) {
    CAPTURE(row.first);
    CHECK((seen.contains(row.first) || row.first == "left_out"));
  }
  board.tell("quit");
}

TEST_CASE("The list for whoever solders") {
  const Ran list = run("check --wiring demo/board.toml");
  CHECK(list.exit == 0);
  CHECK(says(list, "| 4       | J5  | servo   | lamp_tilt "));
  CHECK(says(list, "Its supply gives 10 A."));
  CHECK(run("check --wiring demo/bench.toml").exit == 2);
  CHECK(run("check --wiring --json demo/board.toml").exit == 2);
}

TEST_CASE("A handset on a wire drives a rig; its cable out is told within a tenth of a second, and it comes back") {
  const Folder folder;
  std::string text = gyrax::read_text("demo/wired.toml", 1u << 20).text;
  const std::string wire = "wire = { serial = \"out/pad\" }";
  REQUIRE(text.find(wire) != std::string::npos);
  text.replace(text.find(wire), wire.size(),
               "wire = { serial = \"" + folder / "pad" + "\" }\nsilence_ms = 1000\nmax_age_ms = 2000");
  text.insert(text.find("[axis]"), "[link.machine]\nkind = \"simulated\"\nsilence_ms = 1000\nvalid_ms = 1000\n");
  const std::string tick = "max_ms = 100 ";
  text.replace(text.find(tick), tick.size(), "max_ms = 1000 ");
  // Nor is a machine that stands still for a moment to be taken for one that does not follow.
  const std::string steps = "increments = [0.1, 1]";
  for (std::size_t at = text.find(steps); at != std::string::npos; at = text.find(steps, at + 2 * steps.size()))
    text.insert(at, "following_error = 400, ");
  const std::string rig = folder / "rig.toml";
  std::ofstream(rig) << text;
  const Ran nobody = run("run " + rig + " --plain --no-real-time --no-logbook --for 3");
  CHECK(says(nobody, "cannot be opened: No such file or directory"));
  CHECK(says(nobody, "waiting for pad"));
  Beside pad("stand-in handset " + rig + " demo/wired_session.toml", folder / "pad.txt");
  REQUIRE(pad.says("serves serial line"));
  // Whoever greets it begins its recording: no press of it is to pass before the rig runs.
  pad.tell("pause");
  const Ran there = run("links " + rig);
  CHECK(there.exit == 0);
  for (const char* one : {"pad  board at address 1, serial line ", "\"Bench pad (made up)\"", "stick.left.x"})
    CHECK(says(there, one));
  {
    Beside program("run " + rig + " --plain --no-real-time --no-logbook --for 60", folder / "run.txt");
    REQUIRE(program.says("pad: Bench pad (made up)"));
    REQUIRE(pad.says("its recording begins"));
    pad.tell("play");
    REQUIRE(program.says("main is live"));
    REQUIRE(program.says("step of x by +0.1 mm", 10));
    pad.tell("cut");
    CHECK(program.says("main is tripped: a handset"));
    CHECK(program.says("is gone"));
    pad.tell("mend");
    CHECK(program.says("is plugged in", 2));
    // As Ctrl-C would.
    CHECK(run_line("pkill -INT -f -- 'run " + rig + "'").exit == 0);
    CHECK(program.end() == 0);
  }
  pad.tell("quit");
  CHECK(pad.end() == 0);
  struct Case {
    std::string line;
    const char* wrong;
  };
  for (const Case& one :
       {Case{std::string("stand-in handset " + rig), "plays a recording"},
        Case{"stand-in handset demo/first.toml demo/wired_session.toml", "no handset of it hangs on a wire"},
        Case{"stand-in handset " + rig + " demo/handsets/dial.session.toml", "it has no handset 'pad'"},
        Case{"stand-in handset " + rig + " demo/wired_session.toml --handset wheel", "there are: pad"},
        Case{"stand-in handset " + rig + " demo/wired_session.toml --link x", "--handset"},
        Case{"stand-in board demo/board.toml demo/wired_session.toml", "--hands"},
        Case{"watch --wire usb:3", "is no wire"}, Case{"watch " + rig + " --wire udp:a:1", "excludes"}}) {
    CAPTURE(one.line);
    const Ran ran = run(one.line);
    CHECK(ran.exit == 2);
    CHECK(says(ran, one.wrong));
  }
}

#ifdef GYRAX_OWN_END_PATH
TEST_CASE("The shortest rig of docs/board.md drives a servo of a far end that was written from that page alone") {
  const Folder folder;
  const std::string page = gyrax::read_text("docs/board.md", 1u << 20).text;
  const std::size_t begin = page.find("```toml\n") + 8;
  std::string text = page.substr(begin, page.find("```", begin) - begin);
  const std::size_t wire = text.find("serial = ");
  REQUIRE(wire != std::string::npos);
  const int port = 20'000 + ::getpid() % 30'000;
  text.replace(wire, text.find('\n', wire) - wire, "tcp = \"127.0.0.1:" + std::to_string(port) + "\"");
  // A busy machine is late.
  text.replace(text.find("kind = \"board\""), 14, "kind = \"board\"\nsilence_ms = 1000\nvalid_ms = 1000");
  text += "[tick]\nmax_ms = 1000\n[handset.pad]\nmax_age_ms = 2000\n";
  std::ofstream(folder / "rig.toml") << text;
  const Ran ran =
      run_line("export XDG_STATE_HOME=" + folder.path.string() + "; " + GYRAX_OWN_END_PATH + " " +
               std::to_string(port) + " >" + folder / "end.txt" + " & end=$!; " + GYRAX_TOOL_PATH + " run " +
               folder / "rig.toml" + " --hands demo/first_session.toml --plain --no-real-time --no-logbook " +
               "--for 8 2>&1; kill $end; cat " + folder / "end.txt");
  CHECK(says(ran, "board 1 \"own end\" agrees: 1 channels"));
  CHECK(says(ran, "tilt on channel 0 has had no pulse yet"));
  CHECK(says(ran, "main is live"));
  // From its middle on, 20 µs and more at a time.
  CHECK(says(ran, "pulse 1500\n"));
  CHECK(says(ran, "pulse 16"));
  CHECK(ran.out.rfind("pulse 0\n") != std::string::npos);
}
#endif
