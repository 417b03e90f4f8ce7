// A drive on a real wire, as somebody meets it: the page's shortest rig, an independent client, a program that is gone.
#include "beside.hpp"
#include "support/json_paths.hpp"
#include "support/random.hpp"

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

int free_port() {
  static Random random(42);
  return random.whole(30'000, 45'000);
}

/// A rig of the demo's drive with a port of its own, and watchdogs that a busy machine does not wake.
std::string drive_in(const Folder& folder, int port) {
  std::string text = read_text("demo/drive.toml", 1u << 20).text;
  change(text, "localhost:15020", fmt::format("127.0.0.1:{}", port));
  change(text, "silence_ms = 200 ", "silence_ms = 2000 ");
  change(text, "valid_ms = 100", "valid_ms = 1000");
  change(text, "timeout_ms = 100", "timeout_ms = 1000");
  change(text, "watchdog_ms = 200 ", "watchdog_ms = 3000 ");
  change(text, "following_error = 12", "following_error = 90");
  change(text, "max_ms = 100 ", "max_ms = 1000 ");
  change(text, "[handset.pad]\n", "[handset.pad]\nmax_age_ms = 2000\n");
  std::ofstream(folder / "rig.toml") << text;
  return folder / "rig.toml";
}

std::string client(int port, const std::string& what) {
  return run_line(fmt::format("mbpoll -m tcp -p {} -a 1 -0 -t 4 -1 -q {} 2>&1", port, what)).out;
}

}  // namespace

TEST_CASE("The shortest rig of docs/modbus.md holds, and so does the demo's") {
  const Folder folder;
  const std::string page = read_text("docs/modbus.md", 1u << 20).text;
  const std::size_t from = page.find("```toml\n") + 8;
  std::ofstream(folder / "rig.toml") << page.substr(from, page.find("```", from) - from);
  for (const std::string& rig : {std::string(folder / "rig.toml"), std::string("demo/drive.toml")}) {
    const Ran checked = test::run("check " + rig);
    CHECK(checked.exit == 0);
    CHECK(checked.out.find("turntable.position 102 (i32, 1000 counts are 1)") != std::string::npos);
    CHECK(checked.out.find("Findings\n  none") != std::string::npos);
  }
}

TEST_CASE("An independent client reads and writes the drive's registers, and switches it on as IEC 61800-7 says") {
  const Folder folder;
  const int port = free_port();
  Beside drive("stand-in drive " + drive_in(folder, port), folder / "drive.txt");
  REQUIRE(drive.says("serves tcp"));
  const std::string heard = client(port, "-r 201 -c 7 127.0.0.1");
  CHECK(heard.find("[201]: \t64") != std::string::npos);
  CHECK(heard.find("[206]: \t200") != std::string::npos);
  CHECK(heard.find("[207]: \t1") != std::string::npos);
  int beat = 0;
  for (const char* words : {"6", "7", "15", "15 0 5000 0 0"})
    CHECK(client(port, fmt::format("-r 100 127.0.0.1 {} {}", ++beat, words)).find("Written") != std::string::npos);
  CHECK(drive.says("ready to switch on: its status is 0x0021"));
  CHECK(drive.says("switched on: its status is 0x0023"));
  CHECK(drive.says("operation enabled: its status is 0x0027"));
  CHECK(drive.says("turntable 5.00 deg"));
  // Nobody beats for it any more.
  CHECK(drive.says("its watchdog"));
  CHECK(drive.says("fault: its status is 0x0008"));
  drive.tell("input load 93");
  CHECK(drive.says("load is 93 %"));
  CHECK(client(port, "-r 206 127.0.0.1").find("[206]: \t930") != std::string::npos);
  drive.tell("refuse");
  drive.tell("input load 94");
  CHECK(drive.says("load is 94 %"));
  CHECK(client(port, "-r 206 127.0.0.1").find("failed") != std::string::npos);
  drive.tell("explode");
  CHECK(drive.says("there is no 'explode'; it takes cut, noisy, hung, slow"));
  drive.tell("input load much");
  CHECK(drive.says("input load is a number of %"));
}

TEST_CASE("links reads a drive's registers and writes none; a program has its drive for itself") {
  const Folder folder;
  const std::string rig = drive_in(folder, free_port());
  const Ran alone = test::run("links " + rig + " --for 0.3");
  CHECK(alone.exit == 3);
  CHECK(says(alone, "nobody answers: Connection refused"));
  Beside drive("stand-in drive " + rig, folder / "drive.txt");
  REQUIRE(drive.says("serves tcp"));
  const Ran seen = test::run("links " + rig + " --for 20");
  CHECK(seen.exit == 0);
  CHECK(says(seen, "; its status is 0x0040, 'disabled'"));
  CHECK(says(seen, "load         20 %"));
  JsonPaths paths;
  add_paths(nlohmann::json::parse(test::run("links " + rig + " --for 20 --json", true).out), "", paths);
  const JsonPaths rows = documented(read_text("docs/json.md", 1u << 20).text, "links, of a drive");
  CHECK(rows.size() == paths.size());
  for (const auto& field : paths) {
    CAPTURE(field.first);
    REQUIRE(rows.contains(field.first));
    for (const std::string& type : field.second) CHECK(rows.at(field.first).contains(type));
  }
  CHECK(drive.said().find("control") == std::string::npos);
  Beside first("run " + rig + " --hands demo/drive_session.toml --plain --no-logbook", folder / "run.txt");
  REQUIRE(first.says("table is ready"));
  const Ran second = test::run("run " + rig + " --hands demo/drive_session.toml --plain --no-logbook --for 1");
  CHECK(second.exit == 3);
  CHECK(says(second, "already; end that first"));
  drive.tell("input load 130");
  CHECK(first.says("fault in table: load is above 120 %: 130 %"));
  CHECK(run_line("pkill -INT -f -- 'run " + rig + "'").exit == 0);
}

TEST_CASE("A program that is killed while it moves a drive: the drive's own watchdog stops it, and says so") {
  const Folder folder;
  const std::string rig = drive_in(folder, free_port());
  Beside drive("stand-in drive " + rig, folder / "drive.txt");
  REQUIRE(drive.says("serves tcp"));
  Beside run("run " + rig + " --hands demo/drive_session.toml --plain --no-logbook", folder / "run.txt");
  REQUIRE(run.says("table is live"));
  REQUIRE(drive.says("operation enabled"));
  std::this_thread::sleep_for(1200ms);
  CHECK(run_line("pkill -KILL -f -- 'run " + rig + "'").exit == 0);
  CHECK(drive.says("its watchdog"));
  CHECK(drive.says("fault: its status is 0x0008"));
  CHECK(std::regex_search(drive.said(), std::regex("watchdog .*, [0-9]{4} ms after it was told anything last")));
}

TEST_CASE("What stand-in drive cannot do is said") {
  struct Case {
    const char* line;
    const char* words;
  };
  for (const Case& one :
       {Case{"stand-in drive demo/bench.toml", "no link of it is of the kind \"modbus\""},
        Case{"stand-in drive demo/drive.toml --link lamp", "there is no such drive; there are: turn"},
        Case{"stand-in drive demo/drive.toml demo/session.toml", "only a handset plays a recording"}}) {
    CAPTURE(one.line);
    const Ran said = test::run(one.line);
    CHECK(said.exit == 2);
    CHECK(says(said, one.words));
  }
}
