// A servo on a board's stand-in is taught its ends by recorded hands, and the rig's file has them afterwards.
#include "beside.hpp"
#include "tool.hpp"

#include <gyrax/files/text_file.hpp>

#include <doctest/doctest.h>

#include <string>
#include <thread>

using namespace gyrax::test;
using namespace std::chrono_literals;

namespace {

/// The number behind words that were said.
int number_behind(const std::string& said, const std::string& words) {
  const std::size_t at = said.find(words);
  REQUIRE(at != std::string::npos);
  return std::stoi(said.substr(at + words.size()));
}

std::string text_of(const std::string& path) { return gyrax::read_text(path, 1u << 20).text; }

}  // namespace

TEST_CASE("Low and high are taught, seen at the board, and written into the rig; nothing else in it changes") {
  const Folder folder;
  const std::string rig = board_in(folder), before = text_of(rig);
  Beside board("stand-in board " + rig + " --every 0.1", folder / "board.txt");
  REQUIRE(board.says("serves serial line"));
  Beside taught("bring-up " + rig + " --axis lamp_tilt --hands demo/teach_session.toml --no-real-time",
                folder / "taught.txt");
  REQUIRE(taught.says("channel 4 of bench (\"J5\"), which takes 912 to 2112 µs"));
  CHECK(taught.says("when you make it ready it goes to 1512 µs at once"));
  CHECK(taught.says("stick.right.y: jogs lamp_tilt"));
  taught.tell("low");
  CHECK(taught.says("it has no power, so nobody sees where it is"));
  // At rest at the low end after three steps with the hat, and at the high end after two.
  REQUIRE(taught.says("step of lamp_tilt by -0.1 deg", 3));
  std::this_thread::sleep_for(700ms);
  taught.tell("low");
  REQUIRE(taught.says("low is "));
  REQUIRE(taught.says("step of lamp_tilt by +0.1 deg", 2));
  std::this_thread::sleep_for(700ms);
  taught.tell("high");
  taught.tell("undo");
  taught.tell("nonsense");
  taught.tell("high");
  taught.tell("store");
  CHECK(taught.end() == 0);
  const std::string said = taught.said();
  CAPTURE(said);
  CHECK(said.find("undone: low ") != std::string::npos);
  CHECK(said.find("there is no 'nonsense'. Type low, centre or high") != std::string::npos);
  CHECK(said.find("written: " + rig) != std::string::npos);
  const int low = number_behind(said, "low is "), high = number_behind(said, "high is ");
  CHECK(low + 200 < high);
  std::string wanted = before;
  const std::string was = "pulse_us = [900, 2100], trim_us = 12";
  REQUIRE(wanted.find(was) != std::string::npos);
  wanted.replace(wanted.find(was), was.size(),
                 "pulse_us = [" + std::to_string(low) + ", " + std::to_string(high) + "], trim_us = 0");
  CHECK(text_of(rig) == wanted);
  const std::string ends = std::to_string(low) + " to " + std::to_string(high) + " µs";
  CHECK(said.find("channel 4 of bench keeps " + ends + " by itself, beyond its next power-up") != std::string::npos);
  board.tell("restart");
  CHECK(board.says("power"));
  CHECK(says(run("bring-up " + rig + " --axis lamp_tilt --no-real-time </dev/null"), "which takes " + ends));
  board.tell("quit");
  CHECK(board.end() == 0);
  // Nothing else had power.
  CHECK(board.said().find("scale_bar 1") == std::string::npos);
  CHECK(board.said().find("lamp_tilt 1") != std::string::npos);
}

TEST_CASE("What cannot be brought up is told") {
  const Folder folder;
  const std::string rig = board_in(folder);
  const Ran nobody = run("bring-up " + rig + " --axis lamp_tilt </dev/null");
  CHECK(nobody.exit == 3);
  CHECK(says(nobody, "cannot be opened: No such file or directory"));
  CHECK(run("bring-up " + rig + " --axis lamp </dev/null").exit == 2);
  CHECK(run("bring-up " + rig + " --out " + folder / "new.toml" + " </dev/null").exit == 2);
  CHECK(run("bring-up none.toml </dev/null").exit == 2);
  // A simulated machine is brought up as well; its axes are turned round elsewhere.
  const Ran simulated =
      run_line("(echo other; echo keep; echo quit) | " + std::string(GYRAX_TOOL_PATH) +
               " bring-up demo/bench.toml --axis x --hands demo/session.toml --no-real-time --for 1 2>&1");
  CHECK(simulated.exit == 0);
  CHECK(says(simulated, "not written: axis x is turned round at its far end; the rig cannot say that"));
}
