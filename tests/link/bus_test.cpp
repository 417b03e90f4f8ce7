// Boards that take turns on a two-wire bus, byte by byte in virtual time: the bus carries one voice at a time.
#include "on_a_board.hpp"
#include "support/rigs.hpp"

#include <gyrax/link/board.hpp>
#include <gyrax/link/board_bus.hpp>
#include <gyrax/link/stand_in.hpp>
#include <gyrax/rig/findings.hpp>
#include <gyrax/sim/board.hpp>

#include <doctest/doctest.h>
#include <fmt/format.h>

#include <algorithm>
#include <memory>
#include <string>
#include <vector>

using namespace gyrax;
using namespace std::chrono_literals;

namespace {

/// Both ends of a bus; a turn each two milliseconds.
struct Bus {
  explicit Bus(int boards, bool with_echo = false)
      : rig(test::rig(test::on_a_bus(boards))), echo(with_echo), bus(11'520) {
    for (int b = 0; b < boards; ++b) {
      const auto link = id_at<LinkId>(static_cast<std::size_t>(b));
      talks.push_back(std::make_unique<BoardTalk>(board_setup(rig, link), 7 + b));
      bus.add(*talks.back());
      boards_.emplace_back(stand_in_setup(rig, link, 3 + static_cast<std::uint64_t>(b)));
      told.emplace_back(talks.back()->setup().channels.size(), ChannelTold{1, 0, 0});
    }
  }
  void turn() {
    now += 2ms;  // as an engine has it
    const auto us = static_cast<std::uint64_t>((now - Time{}) / 1us);
    std::vector<std::uint8_t> came = std::move(echoed);
    echoed.clear();
    int voices = us < near_until_us ? 1 : 0;
    for (sim::Board& board : boards_) {
      board.advance(us);
      std::size_t count = 0;
      for (std::uint8_t byte = 0; board.get(byte, us); ++count) came.push_back(byte);
      voices += count > 0 ? 1 : 0;
    }
    collisions += voices > 1 ? 1 : 0;
    for (std::size_t b = 0; b < talks.size(); ++b) {
      talks[b]->hear(now, came);
      talks[b]->tell(told[b]);
      talks[b]->reported();
    }
    bus.hear(now);
    const auto next = bus.next(now);
    if (next.bytes.empty()) return;
    near_until_us = us + static_cast<std::uint64_t>(next.bytes.size()) * 1'000'000 / 11'520;
    for (sim::Board& board : boards_) board.put(next.bytes, us);
    if (echo) echoed.assign(next.bytes.begin(), next.bytes.end());
  }
  void run(Span span) {
    for (const Time end = now + span; now < end;) turn();
  }
  std::uint64_t reports(std::size_t board) const { return talks[board]->counts().reports; }

  Rig rig;
  bool echo;
  BoardBus bus;
  std::vector<std::unique_ptr<BoardTalk>> talks;
  std::vector<sim::Board> boards_;
  std::vector<std::vector<ChannelTold>> told;
  std::vector<std::uint8_t> echoed;
  Time now{};
  std::uint64_t near_until_us = 0;
  int collisions = 0;
};

}  // namespace

TEST_CASE(
    "Two boards on one bus are told forty times a second each, and no two speak at once, with an echo or without") {
  for (const bool echo : {false, true}) {
    CAPTURE(echo);
    Bus both(2, echo);
    both.run(2s);
    for (const auto& talk : both.talks) REQUIRE(talk->state() == BoardTalk::State::running);
    const std::uint64_t first = both.reports(0), second = both.reports(1);
    both.told[0][0] = {2, 300 * 65536, 0};
    both.told[1][2] = {2, 500 * 65536, 0};
    both.run(10s);
    CHECK(both.reports(0) - first >= 395);
    CHECK(both.reports(1) - second >= 395);
    CHECK(both.boards_[0].position(0) == 300);
    CHECK(both.boards_[1].position(2) == 500);
    CHECK(both.boards_[0].position(2) == 0);
    // Messages go in turns of their own.
    const std::uint64_t before = both.reports(0);
    for (const auto& talk : both.talks) talk->order(BoardOrder{1, "grip"});
    both.run(2s);
    for (std::size_t b = 0; b < 2; ++b) {
      REQUIRE(both.talks[b]->result().has_value());
      CHECK(both.talks[b]->result()->done);
      CHECK(both.boards_[b].acted() == std::vector<std::string>{"\"grip\" begins", "\"grip\" is done"});
    }
    CHECK(both.reports(0) - before >= 70);
    CHECK(both.collisions == 0);
    CHECK(both.talks[0]->counts().lost_there + both.talks[1]->counts().lost_there == 0);
  }
}

TEST_CASE("A stop to all boards of a bus goes three times, is not answered, and stops each; they are greeted anew") {
  Bus both(2);
  both.run(2s);
  both.told[0][0] = {1, 0, 0};
  both.told[1][2] = {1, 0, 0};
  both.run(200ms);
  both.told[0][0] = {2, 5000 * 65536, 0};
  both.told[1][2] = {2, 5000 * 65536, 0};
  both.run(300ms);
  REQUIRE(both.boards_[0].driven(0));
  REQUIRE(both.boards_[1].driven(2));
  const std::uint64_t heard = both.talks[0]->counts().heard + both.talks[1]->counts().heard;
  both.bus.stop(0);
  // A slot that is under way, and three frames of 16 bytes.
  both.run(20ms);
  CHECK_FALSE(both.boards_[0].driven(0));
  CHECK_FALSE(both.boards_[1].driven(2));
  // An answer was under way; one of them may be greeted again by now.
  CHECK(both.talks[0]->counts().heard + both.talks[1]->counts().heard - heard <= 2);
  CHECK(both.collisions == 0);
  const double at = both.boards_[0].position(0);
  both.run(2s);
  for (const auto& talk : both.talks) {
    CHECK(talk->state() == BoardTalk::State::running);
    CHECK(talk->counts().sessions == 2);
  }
  // It was told to follow all the time, and follows nobody before it is told to stand.
  CHECK(both.boards_[0].position(0) == at);
  CHECK_FALSE(both.boards_[0].driven(0));
}

TEST_CASE("A board of a bus that is dead, hung or restarts: it stops by itself, and the others go on") {
  for (const auto fault : {sim::BoardFault::cut, sim::BoardFault::hung}) {
    Bus three(3);
    three.run(3s);
    for (const auto& talk : three.talks) REQUIRE(talk->state() == BoardTalk::State::running);
    three.boards_[1].break_with(fault);
    const std::uint64_t before = three.reports(0);
    three.run(4s);
    CHECK(three.reports(0) - before > 70);  // about 25 a second, as three boards need 38 ms
    // One whose loop hangs cannot say so.
    if (fault == sim::BoardFault::cut) CHECK((three.boards_[1].status(0) & wire::by_itself) != 0);
    CHECK(three.collisions == 0);
    CHECK(three.talks[1]->state() != BoardTalk::State::running);
    CHECK((three.boards_[0].status(0) & wire::by_itself) == 0);
    CHECK((three.boards_[2].status(0) & wire::by_itself) == 0);
    three.boards_[1].break_with(sim::BoardFault::none);
    three.run(3s);
    CHECK(three.talks[1]->state() == BoardTalk::State::running);
    three.boards_[2].restart();
    three.run(3s);
    CHECK(three.talks[2]->state() == BoardTalk::State::running);
    // What its loop finds when it runs again it answers late, once.
    CHECK(three.collisions <= (fault == sim::BoardFault::hung ? 4 : 0));
  }
}

TEST_CASE("What a rig says of boards on one wire, and what it must not") {
  for (const Finding& finding : findings(test::rig(test::on_a_bus(2)))) FAIL_CHECK(finding.what);
  const auto problem = [](std::string text, const std::string& from, const std::string& to) {
    const std::size_t at = text.rfind(from);
    REQUIRE(at != std::string::npos);
    text.replace(at, from.size(), to);
    try {
      parse_rig(text, "rig.toml");
    } catch (const RigError& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  const std::string two = test::on_a_bus(2);
  struct Case {
    const char *from, *to, *words;
  };
  const Case cases[] = {
      {"duplex = \"half\"\n", "", "b0 is on /dev/none already"},
      {"address = 2", "address = 1", "b0 has the address 1 on /dev/none already"},
      {"rate_hz = 40\n", "rate_hz = 40\nbaud = 9600\n", "b1 runs at 9600 baud, and b0 on the same wire at 115200"},
      {"duplex = \"half\"", "duplex = \"both\"", "'both' is not a choice"},
      {"serial = \"/dev/none\"", "udp = \"a:1\"", "only boards on a serial line take turns"}};
  for (const Case& one : cases) {
    const std::string told = problem(two, one.from, one.to);
    CAPTURE(told);
    CAPTURE(one.words);
    CHECK(told.find(one.words) != std::string::npos);
  }
  std::string all;
  for (const Finding& finding : findings(test::rig(test::on_a_bus(3)))) all += finding.what + "\n";
  CAPTURE(all);
  CHECK(all.find("3 boards take turns on /dev/none, which takes") != std::string::npos);
}
