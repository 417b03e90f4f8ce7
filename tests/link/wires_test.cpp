// A board's stand-in and the link to it over real wires of this machine, in real time: a pseudo-terminal, TCP, UDP.
#include "on_a_board.hpp"
#include "support/folder.hpp"
#include "support/random.hpp"
#include "support/rigs.hpp"

#include <gyrax/link/board.hpp>
#include <gyrax/link/stand_in.hpp>
#include <gyrax/threads/boot_clock.hpp>

#include <doctest/doctest.h>

#include <fmt/format.h>

#include <cstdlib>
#include <fstream>
#include <string>
#include <vector>

using namespace gyrax;
using namespace std::chrono_literals;

namespace {

/// Both ends in one thread; the board's wire is opened by the link's own.
struct Both {
  explicit Both(const std::string& wire)
      : rig(parse_rig(test::on_a_board(wire), "rig.toml")), board(rig, LinkId{0}), link(rig, LinkId{0}), words(2) {}

  void turn() {
    board.run(2ms);
    const Time now = clock.now();
    reports.clear();
    link.receive(now, reports);
    for (const LinkReport& report : reports) {
      ++heard;
      faults = report.faults;
      oldest = std::max(oldest, now - report.measured);
      table_at = report.axes[1].position;
    }
    if (hangs) return;
    ++frame.sequence;
    frame.sent = frame.due = now;
    frame.axes = words;
    link.send(frame);
    while (auto one = link.said()) said += *one + "\n";
  }
  template <class Holds>
  bool until(Holds holds, Span at_most = 60s) {
    for (const Time end = clock.now() + at_most; clock.now() < end; turn())
      if (holds()) return true;
    return false;
  }
  void run(Span span) {
    for (const Time end = clock.now() + span; clock.now() < end;) turn();
  }
  /// Tells it to go there; and to stand first, where this machine was so late that the board stopped by itself.
  template <class Holds>
  bool goes(const std::vector<AxisWord>& there, Holds holds) {
    std::vector<AxisWord> stands = there;
    for (AxisWord& word : stands) word.mode = Mode::stand;
    return until([&] {
      words = (faults & board_stopped_by_itself) != 0 ? stands : there;
      return holds();
    });
  }
  bool is_there() {
    return until([&] { return said.find("agrees") != std::string::npos && heard > 3 && faults == 0; });
  }

  Rig rig;
  BootClock clock;
  StandIn board;
  BoardLink link;
  std::vector<AxisWord> words;
  Frame frame;
  std::vector<LinkReport> reports;
  std::string said;
  std::uint64_t heard = 0;
  std::uint32_t faults = 0;
  Span oldest{};
  double table_at = 0;
  bool hangs = false;
};

}  // namespace

TEST_CASE("Over a pseudo-terminal, TCP and UDP: greeted, moved, silent, there again") {
  const test::Folder folder;
  test::Random random;
  const int port = random.whole(20'000, 50'000);
  for (const std::string& wire :
       {fmt::format("serial = \"{}\"", folder / "board"), fmt::format("tcp = \"127.0.0.1:{}\"", port),
        fmt::format("udp = \"[::1]:{}\"", port)}) {
    CAPTURE(wire);
    Both both(wire);
    REQUIRE(both.is_there());
    CHECK(both.said.find("bridge stand-in") != std::string::npos);
    CHECK(both.goes({{Mode::follow, 1700, 0}, {Mode::follow, 9'000'000'000, 0}},  // µs; ndeg: 400 steps
                    [&] { return both.board.board().output(0) == 1700 && both.board.board().position(1) == 400; }));
    CHECK(both.until([&] { return both.table_at == doctest::Approx(9).epsilon(0.01); }));
    both.hangs = true;
    both.run(150ms);
    CHECK((both.board.board().status(0) & wire::by_itself) != 0);
    both.hangs = false;
    CHECK(both.until([&] { return (both.faults & board_stopped_by_itself) != 0; }));
    both.words = {{Mode::follow, 1300, 0}, {Mode::follow, 0, 0}};
    both.run(100ms);
    CHECK(both.board.board().output(0) == 1700);  // it was not told to stand yet
    both.words = {{Mode::stand, 1300, 0}, {Mode::stand, 0, 0}};
    CHECK(both.until([&] { return both.faults == 0; }));
    CHECK(both.board.board().output(0) == 1700);
  }
}

TEST_CASE("A sender that is killed at full speed: the board stands in time") {
  const test::Folder folder;
  const int rounds = std::getenv("GYRAX_MORE") != nullptr ? 100 : 3;
  int in_time = 0, late = 0;
  for (int round = 0; round < rounds; ++round) {
    Both both(fmt::format("serial = \"{}\"", folder / "board"));
    REQUIRE(both.is_there());
    both.words[1] = {Mode::stand, 0, 0};
    both.run(50ms);
    // 45 deg a second for 0.4 s: half of its speed.
    const Time began = both.clock.now();
    while (both.clock.now() - began < 400ms) {
      const double s = to_seconds(both.clock.now() - began);
      both.words[1] = {Mode::follow, static_cast<std::int64_t>(45e9 * s), 45'000'000'000};
      both.turn();
    }
    both.hangs = true;
    const Time killed = both.clock.now();
    Time moved = killed, last = killed;
    Span own_lateness{};
    double at = both.board.board().position(1);
    const double from = at;
    while (both.clock.now() - killed < 600ms) {
      both.board.run(1ms);
      own_lateness = std::max(own_lateness, both.clock.now() - last - 1ms);
      last = both.clock.now();
      if (both.board.board().position(1) != at) moved = last;
      at = both.board.board().position(1);
    }
    // 60 ms valid, 10 ms on the wire, 45/288 s of its own deceleration, and what this machine itself was late by.
    const Span limit = 60ms + 10ms + from_seconds(45 / 288.0) + 5ms;
    if (own_lateness > 5ms)
      ++late;
    else
      in_time += moved - killed <= limit ? 1 : 0;
    // A stall can come as it hears the last set, as that runs out, and as it comes to rest.
    CHECK(moved - killed <= limit + 3 * own_lateness);
    CHECK(at - from <= 16000.0 / 360 * (45 * 0.085 + 45 * 45 / (2 * 288.0)) + 45 * 3 * to_seconds(own_lateness) * 50);
  }
  MESSAGE(in_time, " of ", rounds, " in time; in ", late, " this machine was late itself");
  CHECK(in_time + late == rounds);
}

TEST_CASE("Boards that take turns on one pseudo-terminal are all greeted and told") {
  const test::Folder folder;
  const Rig rig = parse_rig(test::on_a_bus(2, folder / "bus"), "rig.toml");
  StandIn boards(rig, LinkId{0});
  RigLinks links(rig);
  const BootClock clock;
  std::vector<AxisWord> words(3);
  std::array<Frame, 2> frames;
  std::array<std::uint64_t, 2> heard{};
  std::string said;
  for (const Time end = clock.now() + 10s; clock.now() < end && (heard[0] < 20 || heard[1] < 20);) {
    boards.run(2ms);
    const Time now = clock.now();
    for (const LinkReport& report : links.reports(now)) ++heard[index(report.link)];
    for (std::size_t l = 0; l < frames.size(); ++l) {
      frames[l].link = id_at<LinkId>(l);
      ++frames[l].sequence;
      frames[l].sent = frames[l].due = now;
      frames[l].axes = words;
    }
    links.send(frames);
    while (auto one = links.said()) said += *one + "\n";
  }
  CAPTURE(said);
  CHECK(heard[0] >= 20);
  CHECK(heard[1] >= 20);
  CHECK(said.find("board 1 \"b0 stand-in\" agrees") != std::string::npos);
  CHECK(said.find("board 2 \"b1 stand-in\" agrees") != std::string::npos);
}

TEST_CASE("A wire that cannot be served, or is not there, is told") {
  const test::Folder folder;
  std::ofstream(folder / "taken") << "mine";
  const Rig taken = parse_rig(test::on_a_board(fmt::format("serial = \"{}\"", folder / "taken")), "rig.toml");
  CHECK_THROWS_WITH_AS(StandIn(taken, LinkId{0}), doctest::Contains("something else is there"), std::runtime_error);
  wire::Port nowhere({.serial = folder / "no such line", .tcp = "", .udp = ""});
  for (int i = 0; i < 500 && nowhere.trouble().empty(); ++i) std::this_thread::sleep_for(2ms);
  CHECK(nowhere.trouble() == "No such file or directory");
  CHECK_FALSE(nowhere.is_open());
  wire::Port a_file({.serial = folder / "taken", .tcp = "", .udp = ""});
  for (int i = 0; i < 500 && a_file.trouble().empty(); ++i) std::this_thread::sleep_for(2ms);
  CHECK(a_file.trouble() == "it is no serial line");
}
