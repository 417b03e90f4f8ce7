// A rig on a board: the engine, the near end and the very code of a board, byte by byte, in virtual time.
#include "on_a_board.hpp"
#include "support/random.hpp"
#include "support/rigs.hpp"
#include "support/said.hpp"

#include <gyrax/link/board.hpp>
#include <gyrax/link/stand_in.hpp>
#include <gyrax/rig/words.hpp>
#include <gyrax/sim/board.hpp>
#include <gyrax/testing/stand.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <functional>
#include <string>
#include <vector>

using namespace gyrax;
using namespace std::chrono_literals;

namespace {

constexpr std::size_t tilt = 0, table = 1, lamp = 3;
constexpr double us_per_deg = 10, steps_per_deg = 16000.0 / 360;

/// What a wire does to bytes on it, each way.
using Spoil = std::function<void(std::vector<std::uint8_t>& bytes, Time now)>;

/// Everything in one thread and one time; a tick every 2 ms.
struct Bench {
  explicit Bench(const std::string& text = test::on_a_board(),
                 const std::function<void(sim::BoardSetup&)>& changed = {})
      : rig(test::rig(text)), stand(rig), near(rig, LinkId{0}, 7), board(changed_setup(changed)) {
    // Reports come from the board, and from nothing else.
    stand.links().bench(LinkId{0}).silence(true);
  }

  sim::BoardSetup changed_setup(const std::function<void(sim::BoardSetup&)>& changed) const {
    sim::BoardSetup setup = stand_in_setup(rig, LinkId{0});
    if (changed) changed(setup);
    return setup;
  }

  std::uint64_t us() const { return static_cast<std::uint64_t>((stand.now() - Time{}) / 1us); }

  void tick() {
    board.advance(us());
    std::vector<std::uint8_t> came;
    for (std::uint8_t byte = 0; board.get(byte, us());) came.push_back(byte);
    if (on_the_way_back) on_the_way_back(came, stand.now());
    std::vector<LinkReport> reports;
    near.hear(stand.now(), came, reports);
    for (LinkReport& report : reports) {
      report.sequence += 1'000'000;  // behind those of the simulated machine that was there first
      faults |= report.faults;
      stand.report(report);
    }
    if (hangs) {
      stand.tick();
      return;
    }
    stand.tick();
    near.tell(stand.frames()[0]);
    const auto bytes = near.next(stand.now());
    std::vector<std::uint8_t> out(bytes.begin(), bytes.end());
    if (on_the_way) on_the_way(out, stand.now());
    if (!out.empty()) board.put(out, us());
    while (auto words = near.talk().said()) said.push_back(*words);
  }
  void run(double s) {
    for (const Time end = stand.now() + from_seconds(s); stand.now() < end;) tick();
  }
  bool said_something_with(const std::string& words) const {
    for (const std::string& one : said)
      if (one.find(words) != std::string::npos) return true;
    return false;
  }
  void make_live() {
    stand.press("menu.right");
    run(0.01);
    stand.release("menu.right");
    run(0.05);
    stand.press("shoulder.right");
    run(0.02);
    // What nothing measures makes its first move slowly.
    stand.move("stick.left.x", 0.5);
    run(0.1);
    stand.move("stick.left.x", 0);
    run(0.4);
  }
  void let_go() {
    for (const char* key : {"shoulder.right", "menu.right", "menu.centre"}) stand.release(key);
    for (const char* stick : {"stick.left.x", "stick.right.x"}) stand.move(stick, 0);
  }
  /// Where the outputs are, in the axes' units.
  double tilt_out() const { return (board.output(tilt) - 1500) / us_per_deg; }
  double table_out() const { return board.output(table) / steps_per_deg; }

  Rig rig;
  testing::Stand stand;
  BoardNear near;
  sim::Board board;
  Spoil on_the_way, on_the_way_back;
  bool hangs = false;
  std::uint32_t faults = 0;
  std::vector<std::string> said;
};

int rounds(int usual, int more) { return std::getenv("GYRAX_MORE") != nullptr ? more : usual; }

}  // namespace

TEST_CASE("In a cruise the steps come evenly from end to end") {
  Bench b;
  b.run(0.5);
  b.make_live();
  b.stand.move("stick.right.x", 1);
  b.run(0.9);
  REQUIRE(b.stand.command("table").v == doctest::Approx(90));
  // Where the generator is every 2 ms, against the line through both ends: 4000 steps a second.
  std::vector<double> at;
  for (int i = 0; i <= 200; ++i) {
    at.push_back(b.board.output(table));
    b.tick();
  }
  REQUIRE(b.stand.state() == State::live);
  const double pace = (at.back() - at.front()) / 200;
  CHECK(pace == doctest::Approx(8).epsilon(1e-3));
  double most = 0;
  for (std::size_t i = 0; i < at.size(); ++i)
    most = std::max(most, std::abs(at[i] - at.front() - pace * static_cast<double>(i)));
  // A tick of a generator of 25 kHz is 0.16 of such a step.
  CHECK(most < 0.16);
}

TEST_CASE("What was at rest is told as soon as the wire is free, and then at its usual pace") {
  std::string text = test::on_a_board();
  text.replace(text.find("channel = 3"), 11, "channel = 2");  // side by side: one frame a set
  Bench b(text);
  b.run(0.5);
  b.make_live();
  b.run(0.5);
  wire::Receiver on_the_way;
  Time moves{};
  b.on_the_way = [&](std::vector<std::uint8_t>& bytes, Time now) {
    for (const std::uint8_t byte : bytes) {
      if (!on_the_way.take(byte) || on_the_way.frame().kind != wire::Kind::set) continue;
      // Of the stepper: a servo's words are whole microseconds.
      wire::Reader in{on_the_way.frame().payload.subspan(wire::set_head_bytes + wire::channel_bytes)};
      in.u8();
      in.i32();
      if (in.i32() != 0 && moves == Time{}) moves = now;
    }
  };
  double worst_s = 0;
  for (int round = 0; round < 20; ++round) {
    b.run(0.1 + 0.002 * round);  // any time since the last set
    moves = {};
    b.stand.move("stick.right.x", round % 2 == 0 ? 0.5 : -0.5);
    for (int i = 0; i < 50 && b.stand.command("table").v == 0; ++i) b.tick();
    REQUIRE(b.stand.command("table").v != 0);
    const Time told = b.stand.now();
    const std::uint64_t sent = b.near.talk().counts().sent;
    b.run(0.2);
    worst_s = std::max(worst_s, to_seconds(moves - told));
    CHECK(b.near.talk().counts().sent - sent <= 22);
    b.stand.move("stick.right.x", 0);
    b.run(0.3);
  }
  // No longer than a frame that was on its way: 56 bytes at 115,200 baud, and a tick.
  CHECK(worst_s < 0.0069);
}

TEST_CASE("From a stick to a servo and a stepper over 115,200 baud, exactly, and nothing before it is told") {
  Bench b;
  b.run(0.5);
  CHECK(b.said_something_with("agrees: 3 channels"));
  CHECK_FALSE(b.board.driven(tilt));
  CHECK_FALSE(b.board.driven(table));
  b.make_live();
  REQUIRE(b.stand.state() == State::live);
  b.stand.move("stick.left.x", 1).move("stick.right.x", -1);
  b.run(0.3);
  CHECK(b.board.driven(tilt));
  CHECK(b.stand.command("tilt").v == doctest::Approx(120));
  // One frame behind: by what it takes a frame to come, and to be carried out.
  CHECK(b.stand.command("tilt").p - b.tilt_out() > 0);
  CHECK(b.stand.command("tilt").p - b.tilt_out() < 120 * 0.030);
  b.let_go();
  b.run(1.5);
  CHECK(b.stand.state() == State::ready);
  CHECK(b.board.output(tilt) == doctest::Approx(std::floor(1500.5 + b.stand.command("tilt").p * us_per_deg)));
  // To the step: the position is counted, the command rounded to what its frames can say.
  const double steps = b.stand.command("table").p * steps_per_deg;
  CHECK(b.board.output(table) == doctest::Approx(steps).epsilon(1e-6));
  CHECK(b.board.position(table) == std::floor(b.board.output(table)));
  CHECK(b.near.talk().counts().lost_there == 0);
  CHECK(b.near.talk().counts().bad_there == 0);
  CHECK(b.near.talk().counts().late_there == 0);
  // A hundred sets a second, each answered.
  CHECK(b.near.talk().counts().reports > 190);
}

TEST_CASE("A stepper whose board only counts is homed to its switch; what it is told afterwards is exact, to a step") {
  std::string text = test::on_a_board();
  text = test::changed(text, "steps = [16000, 360]",
                       "steps = [16000, 360]\nhoming = { switch = \"table_home\", towards = "
                       "\"low\", speed = 40, slow = 2, back_off = 3, at = -170, then = -90 }");
  text += "[input.table_home]\nchannel = 2\n[action.find_home]\nhomes = [\"table\"]\nlimit_s = 30\n";
  Bench b(text);
  // The board counts from 0; its switch is 60 deg down from there.
  const double steps_at_home = -60 * steps_per_deg;
  const auto run = [&](double s) {
    for (const Time end = b.stand.now() + from_seconds(s); b.stand.now() < end;) {
      b.board.set_input(2, b.board.position(table) <= steps_at_home ? 1 : 0);
      b.tick();
    }
  };
  run(0.5);
  b.make_live();
  REQUIRE(b.stand.state() == State::live);
  b.faults = 0;
  CHECK_FALSE(b.stand.engine().homed(b.stand.axis_id("table")));
  b.stand.type("find_home");
  run(20);
  CHECK(b.stand.engine().homed(b.stand.axis_id("table")));
  CHECK(b.stand.stage("find_home") == ActionStage::idle);
  CHECK(b.stand.command("table").p == -90);
  CHECK(b.faults == 0);
  // Where its shaft is: 80 deg up from its switch, but for what 2 deg/s make between two reports.
  const double off = b.board.position(table) / steps_per_deg - (-60 + 80);
  CHECK(std::abs(off) < 2 * 0.012 + 1 / steps_per_deg);
  // A tenth of a degree is 4.44 steps: no error gathers.
  const double before = b.board.position(table);
  for (int i = 0; i < 20; ++i) {
    b.stand.press("hat.right");
    run(0.05);
    b.stand.release("hat.right");
    run(0.05);
  }
  run(0.5);
  CHECK(b.stand.command("table").p == doctest::Approx(-88).epsilon(1e-12));
  CHECK(std::abs(b.board.position(table) - before - 2 * steps_per_deg) <= 1);
  // A board whose power goes forgets; so does one whose motor has none.
  b.board.restart();
  run(1);
  CHECK_FALSE(b.stand.engine().homed(b.stand.axis_id("table")));
}

TEST_CASE("A cable cut, a program killed, a hand that lets nothing through: the board stops by itself, in time") {
  test::Random random;
  Span longest{};
  double farthest = 0;
  for (int round = 0; round < rounds(60, 1000); ++round) {
    CAPTURE(round);
    Bench b;
    b.run(0.4);
    b.make_live();
    REQUIRE(b.stand.state() == State::live);
    b.stand.move("stick.left.x", random.chance(0.5) ? 1 : -1).move("stick.right.x", random.chance(0.5) ? 1 : -1);
    b.run(random.in(0.25, 0.33));
    const double tilt_at = b.tilt_out(), table_at = b.table_out();
    REQUIRE(std::abs(b.stand.command("tilt").v) > 100);
    const Time failed = b.stand.now();
    const bool cut = random.chance(0.5);
    if (cut)
      b.board.break_with(sim::BoardFault::cut);
    else
      b.hangs = true;
    Time stood = failed;
    double last_tilt = tilt_at, last_table = table_at;
    for (; b.stand.now() < failed + 1s;) {
      b.tick();
      if (std::abs(b.tilt_out() - last_tilt) > 1e-9 || std::abs(b.table_out() - last_table) > 1e-9)
        stood = b.stand.now();
      last_tilt = b.tilt_out();
      last_table = b.table_out();
    }
    // Valid for 60 ms from when it was taken; a set may have been on its way for 6 ms; then its own deceleration, which
    // is 1.2 times the rig's: 120/720 s for the servo, 90/288 s for the stepper. Two ticks for looking.
    const double stops_s = 90 / 288.0;
    CHECK(stood - failed <= 60ms + 10ms + from_seconds(stops_s) + 4ms);
    CHECK(std::abs(last_tilt - tilt_at) <= 120 * 0.070 + 120 * 120 / (2 * 720.0) + 1);
    CHECK(std::abs(last_table - table_at) <= 90 * 0.070 + 90 * 90 / (2 * 288.0) + 1);
    longest = std::max(longest, stood - failed);
    farthest = std::max(farthest, std::abs(last_tilt - tilt_at));
    if (cut) CHECK(b.stand.state() == State::tripped);
    // Mended, it is greeted anew; nothing moves before a person resets, makes ready and enables.
    b.board.break_with(sim::BoardFault::none);
    b.hangs = false;
    b.let_go();
    b.run(1.2);
    CHECK(b.near.talk().state() == BoardTalk::State::running);
    CHECK(b.stand.state() == State::tripped);
    // The trip took its power; or it stands where it stood.
    CHECK((!b.board.driven(tilt) || b.tilt_out() == doctest::Approx(last_tilt)));
    CHECK(b.table_out() == doctest::Approx(last_table));
    b.stand.press("menu.centre");
    b.run(0.05);
    b.stand.release("menu.centre");
    b.run(0.05);
    CHECK(b.stand.state() == State::stowed);
    b.stand.press("menu.right");
    b.run(0.01);
    b.stand.release("menu.right");
    b.run(0.05);
    b.stand.press("shoulder.right");
    b.run(0.2);
    REQUIRE(b.stand.state() == State::live);
    // Nobody asks, so nothing moves: each goes on from where the board says that it is.
    CHECK(b.tilt_out() == doctest::Approx(last_tilt).epsilon(0.002));
    CHECK(b.table_out() == doctest::Approx(last_table).epsilon(0.002));
    CHECK(b.stand.command("tilt").p == doctest::Approx(last_tilt).epsilon(0.005));
  }
  MESSAGE("at rest after ", static_cast<double>(longest.count()) / 1e6, " ms at most; ", farthest, " deg at most");
}

const std::string grips = R"(
[action.grip]
message = "grip 3"
[action.turn]
message = "turn"
when = ["live"]
limit_s = 1
[action.tare]
message = "tare"
when = ["stowed", "ready", "live", "tripped"]
limit_s = 3
)";

std::string told(const Bench& b) { return test::said_of_actions(b.rig, b.stand); }

TEST_CASE("A board does what a message tells it: done, refused with its words, too late, or stopped with its zone") {
  Bench b(test::on_a_board() + grips);
  b.run(0.4);
  b.stand.type("grip");
  b.run(0.1);
  CHECK(told(b) == "grip was refused: the zone is stowed; press menu.right to make it ready\n");
  b.make_live();
  REQUIRE(b.stand.state() == State::live);
  b.faults = 0;  // that it began anew, at first
  // It goes on beside it, at no more than two frames behind.
  b.stand.move("stick.left.x", 1);
  b.stand.type("grip");
  b.run(0.3);
  CHECK(b.board.acted() == std::vector<std::string>{"\"grip 3\" begins"});
  b.run(0.4);
  CHECK(b.board.acted() == std::vector<std::string>{"\"grip 3\" is done"});
  CHECK(std::abs(b.tilt_out() - b.stand.command("tilt").p) < 120 * 0.030);
  CHECK(told(b).ends_with("grip begins, for 10 s at most\ngrip is done\n"));
  // What became of one says nothing of the next.
  std::vector<std::uint8_t> old;
  b.on_the_way_back = [&](std::vector<std::uint8_t>& bytes, Time) {
    wire::Receiver receiver;
    for (const std::uint8_t byte : bytes)
      if (receiver.take(byte) && receiver.frame().kind == wire::Kind::result) old = bytes;
  };
  b.stand.type("grip");
  b.run(0.7);
  REQUIRE(told(b).ends_with("grip is done\n"));
  b.on_the_way_back = [&](std::vector<std::uint8_t>& bytes, Time) {
    bytes.insert(bytes.begin(), old.begin(), old.end());
  };
  b.stand.type("grip");
  b.run(0.3);
  CHECK(told(b).ends_with("grip begins, for 10 s at most\n"));
  b.on_the_way_back = nullptr;
  b.run(0.4);
  CHECK(told(b).ends_with("grip is done\n"));
  b.board.acted();
  b.board.act_for(0.2, "no part in the jaws");
  b.stand.type("grip");
  b.run(0.5);
  CHECK(told(b).ends_with("grip was refused: bridge refused it; see what bridge says, and put it right\n"));
  CHECK(b.said_something_with("bridge: \"grip 3\" is not done: no part in the jaws"));
  b.board.act_for(5);
  b.stand.type("turn");
  b.run(1.3);
  CHECK(told(b).ends_with("turn took too long, and is stopped\n"));
  b.stand.type("turn");
  b.run(0.3);
  b.board.acted();
  b.let_go();
  b.run(0.1);
  CHECK(b.board.acted() == std::vector<std::string>{"\"turn\" is cancelled"});
  CHECK(told(b).ends_with("turn is stopped: enable was released\n"));
  CHECK(b.said_something_with("bridge: \"turn\" is cancelled"));
  CHECK(b.faults == 0);
  // One that is over by then was not cancelled.
  b.make_live();
  b.board.act_for(0.03);
  b.stand.type("turn");
  b.run(0.05);
  b.let_go();
  b.run(0.5);
  CHECK(b.said_something_with("bridge: \"turn\" was done before it could be cancelled"));
  b.board.act_for(1);
  b.stand.type("tare");
  b.run(0.1);
  b.board.restart();
  b.run(1);
  CHECK(b.said_something_with("bridge: \"tare\" is not done: the board is greeted anew"));
  CHECK(told(b).ends_with("tare is stopped: a link gave no heartbeat\n"));
}

TEST_CASE("An end that does not answer messages at all is told, and is no fault") {
  Bench b(test::on_a_board() + grips);
  b.run(0.4);
  b.make_live();
  b.faults = 0;
  b.on_the_way = [](std::vector<std::uint8_t>& bytes, Time) {
    wire::Receiver receiver;
    for (const std::uint8_t byte : std::vector<std::uint8_t>(bytes))
      if (receiver.take(byte) && receiver.frame().kind == wire::Kind::message) bytes.clear();
  };
  b.stand.type("grip");
  b.run(1.5);
  CHECK(told(b).ends_with("grip was refused: bridge refused it; see what bridge says, and put it right\n"));
  CHECK(b.said_something_with("\"grip 3\" is not done: the board does not answer it"));
  CHECK(b.board.acted().empty());
  CHECK(b.stand.state() == State::live);
  CHECK(b.faults == 0);
}

TEST_CASE(
    "Whatever its wire does to a message: begun once at most, over soon after nobody asks, done where it says so") {
  test::Random random;
  const auto count = [](const std::vector<std::string>& all, const char* end) {
    return std::ranges::count_if(all, [&](const std::string& one) { return one.ends_with(end); });
  };
  std::ptrdiff_t done = 0, cancelled = 0;
  for (int round = 0; round < rounds(90, 3000); ++round) {
    CAPTURE(round);
    Bench b(test::on_a_board() + grips);
    b.run(0.4);
    b.make_live();
    b.board.act_for(random.in(0, 0.6));
    const int kind = round % 6;
    CAPTURE(kind);
    const double share = random.in(0.05, 0.5);
    const auto spoil = [&](std::vector<std::vector<std::uint8_t>>& kept) {
      return [&, kind](std::vector<std::uint8_t>& bytes, Time) {
        if (bytes.empty()) return;
        if (kind == 0 && random.chance(share)) bytes.clear();
        if (kind == 1) {  // what was said long ago comes again
          kept.push_back(bytes);
          const auto& old = kept[static_cast<std::size_t>(random.whole(0, static_cast<int>(kept.size()) - 1))];
          bytes.insert(bytes.begin(), old.begin(), old.end());
        }
        if (kind == 2)
          for (std::uint8_t& byte : bytes)
            if (random.chance(share / 20)) byte = static_cast<std::uint8_t>(byte ^ (1 << random.whole(0, 7)));
      };
    };
    std::vector<std::vector<std::uint8_t>> kept_there, kept_back;
    b.on_the_way = spoil(kept_there);
    b.on_the_way_back = spoil(kept_back);
    constexpr const char* actions[] = {"grip", "turn", "tare"};
    const auto ask = [&] { b.stand.type(actions[random.whole(0, 2)]); };
    ask();
    b.run(random.in(0, 0.7));
    const bool is_second = b.stand.stage("grip") == ActionStage::idle && b.stand.stage("turn") == ActionStage::idle &&
                           b.stand.stage("tare") == ActionStage::idle;
    if (is_second) ask();
    b.run(random.in(0, 0.3));
    switch (kind) {
      case 3: b.board.break_with(sim::BoardFault::cut); break;
      case 4: b.hangs = true; break;
      case 5: b.board.restart(); break;
      default: break;
    }
    b.run(0.9);
    std::vector<std::string> acted = b.board.acted();
    const auto begun = count(acted, "begins");
    // Cut off, it is over by itself, and does not begin again once the wire is back.
    const auto over = count(acted, "is done") + count(acted, "is cancelled");
    if (kind == 3 || kind == 4) CHECK(begun == over);
    b.board.break_with(sim::BoardFault::none);
    b.hangs = false;
    b.on_the_way = b.on_the_way_back = nullptr;
    b.run(3);
    for (std::string& one : b.board.acted()) acted.push_back(std::move(one));
    CHECK(count(acted, "begins") <= (is_second ? 2 : 1));
    if (kind != 5) CHECK(count(acted, "begins") == count(acted, "is done") + count(acted, "is cancelled"));
    std::ptrdiff_t said_done = 0;
    for (const Event& event : b.stand.events())
      said_done += event.kind == Event::Kind::action && event.number == static_cast<std::int64_t>(ActionStep::done);
    CHECK(said_done <= count(acted, "is done"));
    for (const char* action : actions) CHECK(b.stand.stage(action) == ActionStage::idle);
    done += said_done;
    cancelled += count(acted, "is cancelled");
  }
  MESSAGE(done, " done, ", cancelled, " cancelled");
  CHECK(done > 0);
  CHECK(cancelled > 0);
}

TEST_CASE("A board that restarts while it moves: power is off, and the zone trips") {
  Bench b;
  b.run(0.4);
  b.make_live();
  b.stand.move("stick.right.x", 1);
  b.run(0.6);
  REQUIRE(b.stand.command("table").v == doctest::Approx(90));
  b.board.restart();
  b.run(0.02);
  CHECK_FALSE(b.board.driven(tilt));
  b.run(1);
  CHECK_FALSE(b.board.driven(table));
  CHECK(b.stand.state() == State::tripped);
  CHECK(b.near.talk().counts().sessions == 2);
}

TEST_CASE("A supply that sags: steps are lost that nobody counts, and it is the far end's story alone") {
  Bench b;
  b.run(0.4);
  b.make_live();
  b.board.break_with(sim::BoardFault::sags);
  b.stand.move("stick.right.x", 1);
  b.run(0.6);
  b.let_go();
  b.run(1);
  CHECK(b.board.lost_steps(table) > 1000);
  // What a stepper reports is what was told to it.
  CHECK(b.board.output(table) - b.board.position(table) ==
        doctest::Approx(static_cast<double>(b.board.lost_steps(table))).epsilon(0.01));
  CHECK(b.stand.state() == State::ready);
  b.board.break_with(sim::BoardFault::stuck);
  const double at = b.board.position(tilt);
  b.make_live();
  b.stand.move("stick.left.x", 1);
  b.run(0.3);
  CHECK(b.tilt_out() > 5);
  CHECK(b.board.position(tilt) == at);
}

TEST_CASE("A board whose loop is slow, or hangs: it says so, or falls silent, and the zone trips") {
  for (const sim::BoardFault fault : {sim::BoardFault::slow, sim::BoardFault::hung, sim::BoardFault::noisy}) {
    Bench b;
    b.run(0.4);
    b.make_live();
    b.stand.move("stick.right.x", 1);
    b.run(0.5);
    b.board.break_with(fault);
    b.run(1.5);
    CAPTURE(static_cast<int>(fault));
    CAPTURE(std::string(about(b.stand.engine().permit(ZoneId{0}).cause()).name));
    // A loop of 20 ms still takes every set in time; a frame in two is spoiled where one byte in a hundred is.
    if (fault != sim::BoardFault::noisy) CHECK((b.stand.state() == State::tripped) == (fault == sim::BoardFault::hung));
    CHECK((b.near.talk().counts().bad_there > 10) == (fault == sim::BoardFault::noisy));
  }
}

TEST_CASE("A switch becomes what it becomes, and does not come on by itself again") {
  Bench b;
  b.run(0.4);
  b.make_live();
  b.stand.tap("face.south");
  b.run(0.1);
  CHECK(b.board.position(lamp) == 1);
  b.board.break_with(sim::BoardFault::cut);
  b.run(0.2);
  CHECK(b.board.position(lamp) == 0);
  b.board.break_with(sim::BoardFault::none);
  b.run(1);
  CHECK(b.board.position(lamp) == 0);
  CHECK_FALSE(b.stand.switched_on("lamp"));
}

TEST_CASE("What does not agree is told with both sides' numbers, and nothing moves") {
  struct Case {
    std::function<void(sim::BoardSetup&)> changed;
    const char* words;
  };
  const Case cases[] = {
      {[](auto& s) { s.channels[0].low = 1100; },
       "bridge: tilt on channel 0 (P0.0) has its ends at 1100 and 2100 there; the rig wants [1050, 1950] µs"},
      {[](auto& s) { s.channels[0].speed = 500; },
       "bridge: tilt on channel 0 (P0.0) makes 500 a second at most there; the rig wants 1200 µs"},
      {[](auto& s) { s.channels[1].accel = 1000; },
       "bridge: table on channel 1 (P0.1) makes 1000 a second, a second, at most there; the rig wants 10666.7 steps"},
      {[](auto& s) { s.channels[1].kind = 1; },
       "bridge: table on channel 1 (P0.1) is a servo there, and a stepper in the rig"},
      {[](auto& s) { s.channels.pop_back(); }, "bridge: lamp is on channel 3, and the board has 3 (0 to 2)"},
      {[](auto& s) { s.address = 9; },
       "bridge: nobody answers at address 1: is the board on, and is the speed of its line the same?"},
  };
  for (const Case& one : cases) {
    Bench b(test::on_a_board(), one.changed);
    b.run(3);
    CAPTURE(one.words);
    std::string all;
    for (const std::string& words : b.said) all += words + "\n";
    CAPTURE(all);
    CHECK(b.said_something_with(one.words));
    CHECK(b.said.size() == 1);  // told once, tried again and again
    b.make_live();
    CHECK(b.stand.state() == State::stowed);
    b.run(1);
    for (const std::size_t channel : {tilt, table}) CHECK_FALSE(b.board.driven(channel));
  }
}

TEST_CASE("Loss, delay, duplicates, reordering, flipped bits, garbage, old frames: nothing moves unasked") {
  test::Random random;
  std::uint64_t refused = 0, lost = 0, bad = 0, late = 0, tripped = 0;
  for (int round = 0; round < rounds(105, 7000); ++round) {
    CAPTURE(round);
    Bench b;
    b.run(0.4);
    b.make_live();
    REQUIRE(b.stand.state() == State::live);
    const int kind = round % 7;
    CAPTURE(kind);
    const double share = random.in(0.01, 0.5);
    const Span delay = from_seconds(random.in(0.05, 0.5));
    struct Kept {
      Time at;
      std::vector<std::uint8_t> bytes;
    };
    std::vector<Kept> kept;
    const Spoil spoil = [&](std::vector<std::uint8_t>& bytes, Time now) {
      if (kind == 5 && random.chance(0.3))
        for (int i = random.whole(1, 300); i > 0; --i)
          bytes.insert(bytes.begin(), static_cast<std::uint8_t>(random.whole(0, 255)));
      if (kind == 1) {  // later, in order
        if (!bytes.empty()) kept.push_back({now + delay, std::exchange(bytes, {})});
        for (; !kept.empty() && kept.front().at <= now; kept.erase(kept.begin()))
          bytes.insert(bytes.end(), kept.front().bytes.begin(), kept.front().bytes.end());
      }
      if (bytes.empty()) return;
      if (kind == 0 && random.chance(share)) bytes.clear();
      if (kind == 2 && random.chance(share)) {
        const std::vector<std::uint8_t> once = bytes;
        bytes.insert(bytes.end(), once.begin(), once.end());
      }
      if (kind == 3) {  // one is kept back behind the next
        if (kept.empty() && random.chance(share)) {
          kept.push_back({now, std::exchange(bytes, {})});
        } else if (!kept.empty()) {
          bytes.insert(bytes.end(), kept[0].bytes.begin(), kept[0].bytes.end());
          kept.clear();
        }
      }
      if (kind == 4)
        for (std::uint8_t& byte : bytes)
          if (random.chance(share / 20)) byte = static_cast<std::uint8_t>(byte ^ (1 << random.whole(0, 7)));
      if (kind == 6) {  // what was said long ago comes again
        kept.push_back({now, bytes});
        if (random.chance(0.3)) {
          const auto& old = kept[static_cast<std::size_t>(random.whole(0, static_cast<int>(kept.size()) - 1))].bytes;
          bytes.insert(bytes.end(), old.begin(), old.end());
        }
      }
    };
    b.on_the_way = spoil;
    const bool right = random.chance(0.5);
    b.stand.move("stick.left.x", right ? 0.9 : -0.9);
    double from = b.board.driven(tilt) ? b.tilt_out() : 0, farthest = 0;
    const auto look = [&](double s) {
      for (const Time end = b.stand.now() + from_seconds(s); b.stand.now() < end;) {
        b.tick();
        if (!b.board.driven(tilt)) continue;
        const double way = (b.tilt_out() - from) * (right ? 1 : -1);
        // It never goes the other way, and never further than it was told and would come to rest from.
        CHECK(way > -0.2);
        farthest = std::max(farthest, std::abs(b.stand.command("tilt").p - from));
        CHECK(way <= farthest + 120 * 0.070 + 120 * 120 / (2 * 720.0) + 1);
        if (!(way > -0.2)) return;
      }
    };
    look(0.3);
    b.let_go();
    look(1.2);
    // Whatever came through: it stands, and not far from where it was told to, or where it stopped by itself.
    const double stands = b.tilt_out();
    b.on_the_way = nullptr;
    look(0.7);
    // Or it has no power, as the zone has tripped or is stowed.
    CHECK((!b.board.driven(tilt) || std::abs(b.tilt_out() - stands) < 0.1));
    const BoardCounts& counts = b.near.talk().counts();
    refused += counts.refused_there;
    lost += counts.lost_there;
    bad += counts.bad_there;
    late += counts.late_there;
    tripped += b.stand.state() == State::tripped ? 1 : 0;
  }
  MESSAGE("counted by the boards: lost ", lost, ", bad ", bad, ", late ", late, ", refused ", refused,
          "; zones tripped ", tripped);
  CHECK(lost > 0);
  CHECK(bad > 0);
  CHECK(late > 0);
}
