// Actions that a controller carries out, over a wire that carries each byte as slowly as 115,200 baud do: homing,
// unlocking, lines between moves; stopped, refused, unanswered.
#include "controller_bench.hpp"
#include "support/random.hpp"
#include "support/said.hpp"

#include <gyrax/rig/words.hpp>

#include <doctest/doctest.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <functional>
#include <string>

using namespace gyrax;
using test::ControllerBench;

namespace {

/// `more`: further keys of the action that homes.
std::string with_actions(const std::string& dialect = "brook", const std::string& more = "") {
  std::string text = test::on_a_controller(dialect);
  // Each dialect tells it where the demo's does.
  if (text.find("{homed}") != std::string::npos) text += "\n[input.homed]\n";
  return text + R"([action.home]
lines = ["G28"]
moves = ["x"]
)" + more +
         R"(
[action.air]
lines = ["M8"]
[action.wrong]
lines = ["H1 J2"]
[action.unlock]
lines = ["M90"]
when = ["stowed", "tripped"]
)";
}

std::string said(const ControllerBench& b) { return test::said_of_actions(b.rig, b.stand); }

/// Somewhere else than where homing goes.
void jog_away(ControllerBench& b, double s = 0.6) {
  b.stand.move("stick.left.x", 1).move("stick.left.y", 1);
  b.run(s);
  b.stand.move("stick.left.x", 0).move("stick.left.y", 0);
  b.run(0.6);
}

double count_of(const ControllerBench& b) {
  const Dialect& its = *b.rig.links[0].dialect;
  return its.inch ? 25.4 * std::pow(10, -its.decimals) : std::pow(10, -its.decimals);
}

/// Where it stood by itself it is known to a count, and to half of one after that.
void check_agrees(const ControllerBench& b) {
  const char* const names[] = {"x", "y", "focus"};
  for (std::size_t a = 0; a < 3; ++a)
    CHECK(std::abs(b.far.machine().position(a) - b.stand.command(names[a]).p) <= count_of(b) + 1e-9);
}

}  // namespace

TEST_CASE("It homes by itself while enable is held; then it is moved from there, exactly, in each dialect") {
  for (const char* dialect : test::dialects) {
    CAPTURE(dialect);
    ControllerBench b(with_actions(dialect));
    b.make_live();
    REQUIRE(b.stand.state() == State::live);
    jog_away(b);
    const std::size_t moves = b.talk.counts().moves;
    b.stand.type("home");
    b.run(0.4);
    CAPTURE(b.said);
    CAPTURE(said(b));
    CHECK(b.talk.state() == ControllerTalk::State::acting);
    CHECK(b.far.machine().speed(0) < -1);
    // It is not moved by hand meanwhile, and follows what it says.
    b.stand.move("stick.left.x", 1);
    b.run(0.2);
    b.stand.move("stick.left.x", 0);
    CHECK(b.talk.counts().moves == moves);
    CHECK(b.stand.why("x").blocked.what != Interlock::none);
    b.run(25);
    CHECK(said(b) == "home begins, for 60 s at most\nhome is done\n");
    CHECK(b.stand.state() == State::live);
    CHECK(b.faults == 0);
    CHECK(b.far.machine().position(0) == doctest::Approx(-200));
    check_agrees(b);
    const double from = b.stand.command("x").p;
    for (int i = 0; i < 10; ++i) b.press("hat.right", 0.02);
    jog_away(b, 0.3);
    CHECK(b.stand.command("x").p > from + 10);
    check_agrees(b);
    CHECK(b.faults == 0);
  }
}

TEST_CASE(
    "Letting enable go stops it at once, as does its time; nothing trips, and it is moved on from where it stands") {
  for (const bool by_time : {false, true}) {
    CAPTURE(by_time);
    ControllerBench b(with_actions("brook", by_time ? "limit_s = 0.5" : ""));
    b.make_live();
    jog_away(b);
    b.stand.type("home");
    b.run(0.45);
    REQUIRE(b.far.machine().speed(0) < -1);
    if (!by_time) b.stand.release("shoulder.right");
    b.run(0.4);
    CAPTURE(b.said);
    CAPTURE(said(b));
    CHECK(b.at_rest());
    CHECK(said(b).find(by_time ? "home took too long, and is stopped" : "home is stopped: enable was released") !=
          std::string::npos);
    CHECK(b.far.machine().position(0) > -190);
    b.run(0.5);
    CHECK(b.faults == 0);
    CHECK(b.stand.state() == (by_time ? State::live : State::ready));
    b.stand.press("shoulder.right");
    b.run(0.3);
    check_agrees(b);
    jog_away(b, 0.3);
    check_agrees(b);
    CHECK(b.stand.state() == State::live);
  }
}

/// A program of the controller's: two lines, there and back.
std::string with_program() {
  return with_actions() + R"(
[action.scan]
lines = ["G1 X100 F3000", "G1 X0 F3000"]
moves = ["x"]
pauses = true
limit_s = 4
)";
}

TEST_CASE("Enable that is let go pauses a program of the controller's; asked for again it goes on to its end") {
  ControllerBench b(with_program());
  b.make_live();
  b.stand.type("scan");
  double before = -1;
  for (int pause = 0; pause < 3; ++pause) {
    b.run(1);
    REQUIRE(std::abs(b.far.machine().speed(0)) > 40);
    b.let_go();
    b.run(0.5);
    CAPTURE(b.said);
    CAPTURE(said(b));
    CHECK(said(b).ends_with("scan is paused: enable was released; ask for it again, and it goes on\n"));
    CHECK(b.far.machine().state() == sim::ControllerState::paused);
    const double stands = b.far.machine().position(0);
    CHECK(stands != before);
    before = stands;
    // Whatever the hands do meanwhile, it stands; and they are told why.
    b.stand.press("shoulder.right");
    b.run(0.1);
    b.stand.move("stick.left.x", -1);
    b.run(3);
    CHECK(b.stand.why("x").blocked == Obstacle{.what = Interlock::action_paused, .action = b.stand.action_id("scan")});
    b.stand.move("stick.left.x", 0);
    b.stand.type("home");
    b.run(0.2);
    CHECK(said(b).ends_with("home was refused: scan is paused; ask for scan again, and it goes on; or stop it\n"));
    CHECK(b.far.machine().position(0) == stands);
    check_agrees(b);
    b.stand.type("scan");
    b.run(0.1);
    CHECK(said(b).ends_with("scan goes on\n"));
  }
  b.run(4);
  CAPTURE(b.said);
  CAPTURE(said(b));
  CHECK(said(b).ends_with("scan is done\n"));
  CHECK(b.far.machine().position(0) == 0);
  CHECK(b.faults == 0);
  jog_away(b, 0.3);
  check_agrees(b);
  CHECK(b.stand.state() == State::live);
}

TEST_CASE("What is paused is dropped by a stop, an alarm, a cut wire, or a panel that goes on with it by itself") {
  struct Case {
    const char* name;
    std::function<void(ControllerBench&)> happens;
    const char* says;
  };
  const Case cases[] = {
      {"stop", [](ControllerBench& b) { b.press("face.east"); }, "scan is stopped: stop was pressed\n"},
      {"stow", [](ControllerBench& b) { b.press("menu.left"); }, "scan is stopped"},
      {"alarm", [](ControllerBench& b) { b.far.raise_alarm("limit"); }, "scan was refused"},
      {"restart", [](ControllerBench& b) { b.far.restart(); }, "scan was refused"},
      {"panel", [](ControllerBench& b) { b.far.machine().pause(false); }, "scan was refused"},
      {"cut", [](ControllerBench& b) { b.cut = true; }, "scan is stopped"},
  };
  for (const Case& one : cases) {
    CAPTURE(one.name);
    ControllerBench b(test::changed(with_program(), "\"menu.right\" =", "\"menu.left\" = \"stow\"\n\"menu.right\" ="));
    b.make_live();
    b.stand.type("scan");
    b.run(0.7);
    b.let_go();
    b.run(0.5);
    REQUIRE(b.far.machine().state() == sim::ControllerState::paused);
    one.happens(b);
    b.run(1);
    b.cut = false;
    b.run(1.5);
    CAPTURE(b.said);
    CAPTURE(said(b));
    CHECK(said(b).find(one.says) != std::string::npos);
    CHECK(b.far.machine().queued() == 0);
    const double stands = b.far.machine().position(0);
    CHECK(stands < 60);
    if (b.far.machine().state() == sim::ControllerState::alarm) continue;
    b.press("menu.centre");
    b.make_live();
    b.stand.type("scan");
    b.run(0.3);
    CHECK(said(b).ends_with("scan begins, for 4 s at most\n"));
  }
}

TEST_CASE("It probes until its probe touches, and is known to stand there; where nothing touches it has an alarm") {
  std::string text = test::changed(test::on_a_controller(), "homed={homed}", "homed={homed} probe={probe}");
  text += R"(
[input.homed]
[input.probe]
[action.probe]
lines = ["G31 X600 F1200"]
moves = ["x"]
until = "probe"
limit_s = 60
)";
  for (const bool touches : {true, false}) {
    CAPTURE(touches);
    ControllerBench b(text);
    b.make_live();
    b.stand.type("probe");
    b.run(3);
    CHECK(b.far.machine().speed(0) == doctest::Approx(20));
    for (std::size_t i = 0; i < b.rig.inputs.size() && touches; ++i)
      if (b.rig.inputs[i].name == "probe") b.far.set_input(b.rig.inputs[i].channel, 1);
    b.run(touches ? 1 : 40);
    CAPTURE(said(b));
    CHECK(said(b).find(touches ? "probe is done" : "probe was refused") != std::string::npos);
    CHECK(b.at_rest());
    CHECK((b.far.machine().state() == sim::ControllerState::alarm) == !touches);
    if (!touches) continue;
    CHECK(b.far.machine().position(0) < 70);
    check_agrees(b);
  }
}

TEST_CASE("Lines between moves do not disturb them; one that is refused is said so, and nothing stops") {
  for (const char* dialect : test::dialects) {
    CAPTURE(dialect);
    ControllerBench b(with_actions(dialect));
    b.make_live();
    b.stand.move("stick.left.x", 1);
    b.run(0.5);
    for (const char* action : {"air", "wrong", "air"}) {
      b.stand.type(action);
      b.run(0.3);
    }
    CAPTURE(b.said);
    CHECK(said(b) ==
          "air begins, for 10 s at most\nair is done\nwrong begins, for 10 s at most\n"
          "wrong was refused: gantry refused it; see what gantry says, and put it right\n"
          "air begins, for 10 s at most\nair is done\n");
    CHECK(b.said.find("it refuses 'H1 J2' of wrong") != std::string::npos);
    CHECK(b.far.machine().speed(0) > 170);
    CHECK(b.stand.state() == State::live);
    b.let_go();
    b.run(0.8);
    check_agrees(b);
  }
}

TEST_CASE("An alarm is unlocked from here, and what began it is not gone on with") {
  for (const char* dialect : test::dialects) {
    CAPTURE(dialect);
    ControllerBench b(with_actions(dialect));
    b.make_live();
    b.stand.move("stick.left.x", 1);
    b.run(0.5);
    b.far.raise_alarm("limit");
    b.run(1);
    CHECK(b.stand.state() == State::tripped);
    b.let_go();
    b.run(0.5);
    const double stands = b.far.machine().position(0);
    b.press("menu.centre");
    CHECK(b.stand.state() == State::tripped);
    b.stand.type("unlock");
    b.run(1);
    CAPTURE(b.said);
    CAPTURE(said(b));
    CHECK(said(b).find("unlock is done") != std::string::npos);
    b.press("menu.centre");
    CHECK(b.stand.state() == State::stowed);
    b.make_live();
    b.run(0.3);
    CHECK(b.stand.state() == State::live);
    CHECK(b.far.machine().position(0) == stands);
    jog_away(b, 0.3);
    check_agrees(b);
  }
}

TEST_CASE("Whatever its wire does while it acts: each action ends, and nothing moves that was not asked for") {
  const int rounds = std::getenv("GYRAX_MORE") != nullptr ? 300 : 25;
  int begun = 0;
  for (int round = 0; round < rounds; ++round) {
    test::Random random(static_cast<std::uint64_t>(round));
    ControllerBench b(round % 4 == 3 ? with_program() : with_actions(test::dialects[round % 3], "limit_s = 3"));
    b.make_live();
    jog_away(b, 0.4);
    b.back.delay_us = b.there.delay_us = static_cast<std::uint64_t>(random.whole(0, 6000));
    b.stand.type(round % 4 == 3 ? "scan" : random.chance(0.7) ? "home" : "air");
    b.run(random.in(0, 0.8));
    switch (random.whole(0, 6)) {
      case 0: b.far.raise_alarm("limit"); break;
      case 1: b.far.restart(); break;
      case 2: b.cut = true; break;
      case 3: b.stand.release("shoulder.right"); break;
      case 4: b.press("face.east", 0.05); break;
      case 5: b.hangs = true; break;
      default: break;
    }
    b.run(1.2);
    b.cut = b.hangs = false;
    b.stand.release("shoulder.right");
    b.run(3);
    CAPTURE(b.said);
    CAPTURE(said(b));
    CHECK(b.at_rest());
    // What is paused stands until it is asked for again, or stopped.
    if (said(b).ends_with("and it goes on\n")) b.press("face.east");
    for (std::size_t a = 0; a < b.rig.actions.size(); ++a)
      CHECK(b.stand.engine().action(id_at<ActionId>(a)).stage == ActionStage::idle);
    begun += said(b).find(" begins") != std::string::npos ? 1 : 0;
    // At rest, and nobody asks for anything.
    const double stands = b.far.machine().position(0);
    b.press("menu.centre");
    b.run(1);
    b.press("menu.right");
    b.stand.press("shoulder.right");
    b.run(1);
    CHECK(b.far.machine().position(0) == stands);
  }
  CHECK(begun == rounds);
}
