// Who looks on at a board's wire: a survey that moves nothing, what is heard of both ends, and what is to be soldered.
#include "on_a_board.hpp"
#include "support/random.hpp"
#include "support/rigs.hpp"

#include <gyrax/link/board.hpp>
#include <gyrax/link/board_ear.hpp>
#include <gyrax/link/stand_in.hpp>
#include <gyrax/sim/board.hpp>

#include <doctest/doctest.h>

#include <functional>
#include <string>
#include <vector>

using namespace gyrax;
using namespace std::chrono_literals;

namespace {

/// A board, its wire in virtual time, and an ear on it; a turn each millisecond.
struct Line {
  explicit Line(const std::function<void(sim::BoardSetup&)>& changed = {})
      : rig(test::rig(test::on_a_board())), board(setup(changed)) {}
  sim::BoardSetup setup(const std::function<void(sim::BoardSetup&)>& changed) const {
    sim::BoardSetup made = stand_in_setup(rig, LinkId{0});
    if (changed) changed(made);
    return made;
  }
  /// One turn of whoever speaks: `hear` takes what came, `next` gives what goes.
  template <class Speaker>
  void turn(Speaker& speaker) {
    now += 1ms;
    const auto us = static_cast<std::uint64_t>((now - Time{}) / 1us);
    board.advance(us);
    std::vector<std::uint8_t> came;
    for (std::uint8_t byte = 0; board.get(byte, us);) came.push_back(byte);
    if (spoils && !came.empty()) came[came.size() / 2] ^= 0x10;
    if (!came.empty()) ear.hear({now, false, came}, told());
    speaker.hear(now, came);
    const auto going = speaker.next(now);
    if (going.empty()) return;
    ear.hear({now, true, going}, told());
    board.put(going, us);
  }
  std::function<void(const BoardEar::Heard&)> told() {
    return [this](const BoardEar::Heard& heard) {
      words += std::string(name_of(heard.frame.kind)) + " " + heard.words() + "\n";
    };
  }
  bool said(const char* text) const { return words.find(text) != std::string::npos; }

  Rig rig;
  sim::Board board;
  BoardEar ear;
  Time now{};
  std::string words;
  bool spoils = false;
};

}  // namespace

TEST_CASE("A survey learns all of a board, and nothing on it moves or gets power") {
  Line line;
  BoardSurvey survey({.address = 1, .bytes_per_s = 11'520, .seed = 5});
  for (int i = 0; i < 2000; ++i) line.turn(survey);
  const BoardSeen& seen = line.ear.seen();
  CHECK(survey.rounds() > 3);
  CHECK(seen.name == "bridge stand-in");
  CHECK(seen.version == wire::version);
  CHECK(seen.sessions == 1);
  REQUIRE(seen.channels.size() == line.board.channels());
  CHECK(seen.channels[0].kind == wire::ChannelKind::servo);
  CHECK(seen.channels[1].kind == wire::ChannelKind::stepper);
  CHECK(seen.channels[3].kind == wire::ChannelKind::on_off);
  CHECK(seen.shortest_round_trip > 4ms);  // a question of 16 bytes and an answer of about 60, at 11,520 a second
  CHECK(seen.longest_round_trip < 12ms);
  CHECK(seen.sent == seen.heard);
  CHECK(line.said("channel 0 is servo \"P0.0\""));
  for (std::size_t c = 0; c < line.board.channels(); ++c) CHECK_FALSE(line.board.driven(c));
}

TEST_CASE(
    "A board keeps ends that it is told to keep, not wider ones than it was built with, and not while it has power") {
  Line line;
  constexpr int q8 = 256;
  const auto ask = [&](std::int32_t low, std::int32_t high) {
    BoardSurvey survey({.address = 1, .bytes_per_s = 11'520, .seed = 5});
    for (int i = 0; i < 600; ++i) line.turn(survey);
    survey.store(0, low * q8, high * q8);
    for (int i = 0; i < 300; ++i) line.turn(survey);
    return survey.stored().value_or("no answer");
  };
  CHECK(ask(1100, 1900).empty());
  CHECK(line.said("store channel 0 keeps 1100.0 to 1900.0"));
  CHECK(line.ear.seen().channels[0].low == 1100);
  line.board.restart();
  CHECK(ask(1000, 2000).empty());
  CHECK_FALSE(ask(500, 2500).empty());
  BoardTalk talk(board_setup(line.rig, LinkId{0}), 3);
  std::vector<ChannelTold> told(talk.setup().channels.size(), {1, 0, 0});
  for (int i = 0; i < 600; ++i) line.turn(talk);
  talk.tell(told);
  for (int i = 0; i < 100; ++i) line.turn(talk);
  told[0] = {2, 1500 * 65536, 0};
  talk.tell(told);
  for (int i = 0; i < 100; ++i) line.turn(talk);
  CHECK(line.board.driven(0));
  CHECK_FALSE(ask(1100, 1900).empty());
}

TEST_CASE("A survey goes on after garbage, after a restart, and waits for a board that is not there") {
  Line line;
  BoardSurvey survey({.address = 1, .bytes_per_s = 11'520, .seed = 5});
  line.board.break_with(sim::BoardFault::cut);
  for (int i = 0; i < 1000; ++i) line.turn(survey);
  CHECK(line.ear.seen().name.empty());
  line.board.break_with(sim::BoardFault::none);
  for (int i = 0; i < 1000; ++i) line.turn(survey);
  const std::uint64_t rounds = survey.rounds();
  CHECK(rounds > 0);
  line.spoils = true;
  for (int i = 0; i < 1000; ++i) line.turn(survey);
  line.spoils = false;
  CHECK(line.ear.seen().bad_here > 0);
  line.board.restart();
  for (int i = 0; i < 1500; ++i) line.turn(survey);
  CHECK(survey.rounds() > rounds);
  CHECK(line.ear.seen().sessions >= 2);
}

TEST_CASE("All is told once each frame of the newest set has gone out") {
  Line line;
  BoardTalk talk(board_setup(line.rig, LinkId{0}), 3);
  CHECK(talk.all_told());  // nobody is there who could be told
  for (int i = 0; i < 600; ++i) line.turn(talk);
  REQUIRE(talk.state() == BoardTalk::State::running);
  std::vector<ChannelTold> told(talk.setup().channels.size(), {1, 0, 0});
  talk.tell(told);
  CHECK_FALSE(talk.all_told());
  const std::uint64_t sent = talk.counts().sent;
  for (int i = 0; i < 100 && !talk.all_told(); ++i) line.turn(talk);
  // Channels 0 and 1 in one frame, 3 in another.
  CHECK(talk.counts().sent - sent == 2);
  talk.tell(told);
  CHECK(talk.all_told());
}

TEST_CASE("What is heard of a board that is run is what it and its near end know") {
  Line line;
  BoardTalk talk(board_setup(line.rig, LinkId{0}), 3);
  std::vector<ChannelTold> told(talk.setup().channels.size());
  const auto run = [&](int turns) {
    for (int i = 0; i < turns; ++i) line.turn(talk);
  };
  run(500);
  for (ChannelTold& one : told) one.mode = 1;
  talk.tell(told);
  run(300);
  told[1] = {2, 400 * 65536, 0};
  talk.tell(told);
  run(2000);
  line.board.print("warm");
  line.spoils = true;
  run(50);
  line.spoils = false;
  run(500);
  const BoardSeen& seen = line.ear.seen();
  const BoardCounts& counts = talk.counts();
  CHECK(seen.sent == counts.sent);
  CHECK(seen.bad_here == counts.bad_here);
  CHECK(seen.sessions == counts.sessions);
  CHECK(seen.lost_there == counts.lost_there);
  CHECK(seen.refused_there == counts.refused_there);
  CHECK(seen.sent_per_s > 5000);
  CHECK(seen.sent_per_s < 11'520);
  CHECK(seen.channels[1].position == 400 * 65536);
  CHECK(line.board.position(1) == 400);
  for (const char* one : {"greet number ", "ask channel 1", "assign channel 1 becomes stay when it hears nothing",
                          "1 stand 0.0", "1 follow 400.0", "report answers ", "1 400.0 measured"}) {
    CAPTURE(one);
    CHECK(line.said(one));
  }
}

TEST_CASE("Whatever goes over the wire is told, and nothing that is malformed is taken for more than that") {
  test::Random random;
  BoardEar ear;
  std::array<std::uint8_t, wire::max_frame> bytes{};
  std::uint64_t heard = 0, malformed = 0;
  for (int i = 0; i < 20'000; ++i) {
    wire::Writer payload;
    for (int left = random.whole(0, 60); left > 0; --left) payload.u8(static_cast<std::uint8_t>(random.whole(0, 255)));
    const auto kind = static_cast<wire::Kind>(random.whole(0, 15));
    const std::size_t size = wire::pack({kind, 1, static_cast<std::uint16_t>(i), 9, payload.payload()}, bytes);
    ear.hear({Time{} + i * 1ms, random.whole(0, 1) == 0, std::span(bytes).first(size)},
             [&](const BoardEar::Heard& one) {
               ++heard;
               malformed += one.words() == "malformed" ? 1 : 0;
             });
  }
  CHECK(heard > 10'000);  // what comes from a board with the kinds of the near end is an echo
  CHECK(malformed > 1000);
  CHECK(ear.seen().channels.size() <= 256);
}

TEST_CASE(
    "The list for whoever solders says what hangs where, and a pin of another name is told before anything moves") {
  std::string text = test::on_a_board();
  const auto put_in = [&](const std::string& before, const std::string& more) {
    const std::size_t at = text.find(before);
    REQUIRE(at != std::string::npos);
    text.insert(at + before.size(), more);
  };
  put_in("channel = 0\n", "pin = \"J3\"\n");
  put_in("channel = 1\n", "amps = { moving = 1.5, standing = 0.2 }\n");
  const Rig rig = test::rig(text);
  const std::string list = wiring_list(rig);
  CAPTURE(list);
  for (const char* one :
       {"# bridge: board 1 on serial line /dev/none, 115200 baud", "| 0 ", "| J3 ", "| tilt ",
        "| 1050 … 1950 µs, 1200 µs/s at most ", "| 16000 steps are 360 deg ",
        "| -8000 … 8000 steps, 4000 steps/s at most ", "| 1.5 A, 0.2 A ", "| lamp ", "slows down and stays"})
    CHECK(list.find(one) != std::string::npos);
  CHECK(wiring_list(load_rig("demo/bench.toml")).empty());

  Line line([](sim::BoardSetup& setup) { setup.channels[0].name = "J4"; });
  BoardTalk talk(board_setup(rig, LinkId{0}), 3);
  for (int i = 0; i < 1000; ++i) line.turn(talk);
  CHECK(talk.state() == BoardTalk::State::disagrees);
  CHECK(talk.said().value_or("").find("tilt on channel 0 (J4) is on pin J3 in the rig") != std::string::npos);
}
