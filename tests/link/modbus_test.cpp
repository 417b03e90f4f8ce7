// Registers of a drive: what is told and heard in virtual time, against a simulated drive; and both on a real wire.
#include "on_a_drive.hpp"
#include "support/folder.hpp"
#include "support/random.hpp"
#include "support/rigs.hpp"
#include "support/said.hpp"

#include <gyrax/link/drive_stand_in.hpp>
#include <gyrax/link/modbus.hpp>
#include <gyrax/rig/predictions.hpp>
#include <gyrax/rig/words.hpp>
#include <gyrax/sim/drive.hpp>
#include <gyrax/testing/stand.hpp>
#include <gyrax/threads/boot_clock.hpp>

#include <doctest/doctest.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <cstdlib>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <thread>
#include <vector>

using namespace gyrax;
using namespace std::chrono_literals;

namespace {

int rounds(int usual, int more) { return std::getenv("GYRAX_MORE") != nullptr ? more : usual; }

/// What a wire does with a transaction.
enum class Answer { comes, late, refused, lost };

/// Everything in one thread and one time: a tick every 2 ms, a cycle every 20.
struct Bench {
  explicit Bench(const std::string& text = test::on_a_drive())
      : rig(test::rig(text)),
        stand(rig),
        talk(rig, LinkId{0}),
        map(*rig.links[0].registers),
        drive(
            {.axes = {{.speed = 78, .accel = 1600, .decel = 400, .low = -180, .high = 180}}, .watchdog_us = 200'000}) {
    stand.links().bench(LinkId{0}).silence(true);
  }
  std::uint64_t us() const { return static_cast<std::uint64_t>((stand.now() - Time{}) / 1us); }

  void exchange() {
    const Time now = stand.now();
    const Answer wrote = answer ? answer() : Answer::comes;
    if (const auto out = talk.next(told, now); !out.empty()) {
      if (wrote == Answer::comes || wrote == Answer::late) {
        REQUIRE(out.size() == 7);
        std::vector<sim::DriveSetPoint> points(1);
        points[0].position = get_counts(&out[2], map.tells[2].word, false) / 1000;
        points[0].speed = get_counts(&out[4], map.tells[3].word, false) / 1000;
        drive.tell(out[1], out[0], points, us());
        lamp = (out[6] & 8) != 0;
        ++writes;
      }
      if (wrote != Answer::comes) return fail(wrote);
    }
    if (const auto write = talk.next_write(told, now)) {
      const Answer takes = refuses_actions ? Answer::refused : answer ? answer() : Answer::comes;
      if (takes == Answer::comes) written += words_of(*write) + "\n";
      talk.wrote(takes == Answer::comes, "illegal data address");
      if (takes == Answer::late || takes == Answer::lost) return fail(takes);
    }
    const Answer read = answer ? answer() : Answer::comes;
    if (read != Answer::comes) return fail(read);
    std::array<std::uint16_t, 8> in{};
    in[0] = drive_hangs ? std::uint16_t{7} : static_cast<std::uint16_t>(us() / 1000);
    in[1] = drive.status();
    put_counts(&in[2], map.hears[2].word, drive.position(0) * 1000, false);
    put_counts(&in[4], map.hears[3].word, drive.speed(0) * 1000, false);
    in[6] = static_cast<std::uint16_t>(std::lround(load * 10));
    in[7] = 1;
    if (talk.hear(in, now, now)) {
      const RegistersHeard& heard = talk.heard();
      LinkReport report{.link = LinkId{0},
                        .sequence = heard.number + 1'000'000,
                        .measured = heard.measured,
                        .arrival = now,
                        .axes = heard.axes,
                        .faults = heard.faults,
                        .waits = heard.waits,
                        .inputs = heard.inputs,
                        .actions = heard.actions};
      faults |= heard.faults;
      stand.report(report);
    }
  }
  void fail(Answer how) {
    talk.failed(how == Answer::refused ? registers_refused : registers_came_late);
    if (how != Answer::refused) talk.lost();
    if (how == Answer::lost) next += 300ms;
  }
  void tick() {
    if (stand.now() >= next && !cut) {
      next = stand.now() + 20ms;
      exchange();
    }
    stand.tick();
    drive.advance(us());
    if (hangs) return;
    const Frame& frame = stand.frames()[0];
    told.sequence = frame.sequence;
    told.valid_until = stand.now() + frame.valid_for;
    told.axes.assign(frame.axes.begin(), frame.axes.end());
    told.switches.assign(frame.switches.begin(), frame.switches.end());
    told.order = frame.order;
    while (const auto words = talk.said()) said += *words + "\n";
  }
  void run(double s) {
    for (const Time end = stand.now() + from_seconds(s); stand.now() < end;) tick();
  }
  void press(const char* key, double s = 0.05) {
    stand.press(key);
    run(s);
    stand.release(key);
    run(0.05);
  }
  void make_live() {
    run(0.2);
    press("menu.right");
    run(0.3);
    stand.press("shoulder.right");
    run(0.05);
  }
  void let_go() {
    stand.release("shoulder.right");
    stand.move("stick.left.x", 0);
  }

  Rig rig;
  testing::Stand stand;
  RegisterTalk talk;
  RegisterMap map;
  sim::Drive drive;
  RegistersTold told;
  std::function<Answer()> answer;
  Time next{};
  bool cut = false, hangs = false, drive_hangs = false, lamp = false, refuses_actions = false;
  double load = 20;
  int writes = 0;
  std::uint32_t faults = 0;
  std::string said, written;
};

const std::string drive_actions = R"(
[action.reference]
writes = [{ register = 300, value = 6 }, { coil = 5 }]
cancels = [{ coil = 5, to = "off" }]
moves = ["table"]
until = "cover"
limit_s = 3
[action.air]
writes = [{ register = 301, value = -2 }]
)";

std::string said_of_actions(const Bench& b) { return test::said_of_actions(b.rig, b.stand); }

}  // namespace

TEST_CASE("An action writes register after register, one a cycle; what ends it otherwise than done is written, too") {
  Bench b(test::on_a_drive() + drive_actions);
  b.make_live();
  REQUIRE(b.stand.state() == State::live);
  b.stand.move("stick.left.x", 1);
  b.run(0.5);
  b.stand.type("air");
  b.run(0.1);
  CHECK(b.written == "register 301 = 65534\n");
  CHECK(b.drive.speed(0) > 50);
  b.stand.move("stick.left.x", 0);
  b.run(0.6);
  b.written.clear();
  b.stand.type("reference");
  b.run(0.2);
  CHECK(b.written == "register 300 = 6\ncoil 5 on\n");
  CHECK(said_of_actions(b) ==
        "air begins, for 10 s at most\nair is done\nreference begins, for 3 s at most\nreference is done\n");
  CHECK(b.stand.state() == State::live);
  CHECK(b.faults == 0);
  // Let go before it is done: what began is taken back.
  b.written.clear();
  b.stand.type("reference");
  b.run(0.03);
  b.stand.release("shoulder.right");
  b.run(0.3);
  CHECK(b.written.ends_with("coil 5 off\n"));
  CHECK(said_of_actions(b).ends_with("reference is stopped: enable was released\n"));
  // Not taken: refused, with the far end's words, and nothing trips.
  b.stand.press("shoulder.right");
  b.run(0.1);
  b.refuses_actions = true;
  b.stand.type("air");
  b.run(0.2);
  CHECK(b.said.find("air: register 301 = 65534 was not taken: illegal data address") != std::string::npos);
  CHECK(said_of_actions(b).find("air was refused: turn refused it") != std::string::npos);
  CHECK(b.stand.state() == State::live);
  CHECK(b.faults == 0);
}

TEST_CASE("A number comes out of its registers as it went in, to half a count; what does not fit stays at the end") {
  test::Random random;
  for (int round = 0; round < 20'000; ++round) {
    RegisterWord word;
    word.type = static_cast<RegisterWord::Type>(random.whole(0, 5));
    word.bit = static_cast<std::uint8_t>(random.whole(0, 15));
    const bool low_first = random.chance(0.5);
    const double counts =
        word.type == RegisterWord::Type::bit ? random.whole(0, 1) : random.in(1.2 * word.low() - 10, 1.2 * word.high());
    std::array<std::uint16_t, 3> registers{0, 0, 0x5a5a};
    put_counts(registers.data(), word, counts, low_first);
    const double back = get_counts(registers.data(), word, low_first);
    CAPTURE(static_cast<int>(word.type));
    CAPTURE(counts);
    const double kept = std::clamp(counts, word.low(), word.high());
    if (word.type == RegisterWord::Type::f32)
      CHECK(std::abs(back - kept) <= std::abs(kept) * 1e-7);
    else
      CHECK(std::abs(back - kept) <= 0.5);
    CHECK(registers[2] == 0x5a5a);
    CHECK((word.size() == 2 || registers[1] == 0));
  }
  std::array<std::uint16_t, 2> registers{};
  put_counts(registers.data(), {.type = RegisterWord::Type::i32}, -2, false);
  CHECK(registers == std::array<std::uint16_t, 2>{0xffff, 0xfffe});
  put_counts(registers.data(), {.type = RegisterWord::Type::u32}, 0x12345678, true);
  CHECK(registers == std::array<std::uint16_t, 2>{0x5678, 0x1234});
}

TEST_CASE("A drive is led from state to state until it is on, moves where it is told, and is led off again") {
  Bench b;
  b.run(0.2);
  CHECK(b.drive.phase() == sim::DrivePhase::switch_on_disabled);
  // Enable waits until it is on, and says so.
  b.stand.press("menu.right");
  b.run(0.01);
  CHECK(b.stand.state() == State::ready);
  b.run(0.03);
  b.stand.press("shoulder.right");
  b.run(0.01);
  CHECK(b.stand.state() == State::ready);
  CHECK(b.stand.events().back().obstacle.what == Interlock::switching_on);
  b.stand.release("menu.right").release("shoulder.right");
  b.run(0.3);
  CHECK(b.drive.phase() == sim::DrivePhase::operation_enabled);
  b.stand.press("shoulder.right").press("face.south");
  b.run(0.1);
  CHECK(b.stand.state() == State::live);
  CHECK(b.lamp);
  for (const char* way : {"hat.right", "hat.right", "hat.left"}) b.press(way, 0.2);
  b.run(0.3);
  CHECK(b.stand.command("table").p == doctest::Approx(0.1));
  CHECK(b.drive.position(0) == doctest::Approx(0.1).epsilon(0.01));
  b.stand.move("stick.left.x", 1).run(0);
  b.run(1);
  CHECK(b.drive.speed(0) == doctest::Approx(60).epsilon(0.05));
  b.let_go();
  b.run(0.6);
  CHECK(std::abs(b.drive.speed(0)) < 0.05);
  CHECK(std::abs(b.drive.position(0) - b.stand.command("table").p) < 0.02);
  CHECK(b.faults == 0);
  CHECK(b.stand.state() == State::ready);
  b.press("face.east");
  b.run(0.3);
  CHECK(b.stand.state() == State::stowed);
  CHECK(b.drive.phase() != sim::DrivePhase::operation_enabled);
}

TEST_CASE(
    "Nothing is told before something was heard, nor of a frame that is over; without power it stands where it is") {
  Bench b;
  std::uint32_t number = 0;
  RegistersTold told{++number, Time{1s}, {{Mode::follow, 90'000'000'000, 0}}, {0}};
  CHECK(b.talk.next(told, Time{}).empty());
  std::array<std::uint16_t, 8> in{1, 0x0040};
  put_counts(&in[2], b.map.hears[2].word, 41'500, false);
  CHECK(b.talk.hear(in, Time{10ms}, Time{12ms}));
  CHECK(b.talk.heard().measured == Time{10ms});
  CHECK(b.talk.heard().axes[0].position == 41.5);
  const auto position = [&](Mode mode, Time now) {
    told.axes[0].mode = mode;
    const auto out = b.talk.next(told, now);
    return out.empty() ? -1.0 : get_counts(&out[2], b.map.tells[2].word, false) / 1000;
  };
  CHECK(position(Mode::follow, Time{20ms}) == 90);
  CHECK(position(Mode::off, Time{20ms}) == 41.5);
  CHECK(position(Mode::follow, Time{1s}) == -1);
  // A heartbeat that stands still says nothing; and after a lost connection it has to be heard first.
  CHECK_FALSE(b.talk.hear(in, Time{30ms}, Time{32ms}));
  b.talk.lost();
  CHECK(position(Mode::follow, Time{40ms}) == -1);
  in[0] = 2;
  CHECK(b.talk.hear(in, Time{50ms}, Time{52ms}));
  REQUIRE(b.talk.heard().number == 2);
  CHECK(b.talk.heard().faults == registers_came_back);
  CHECK(position(Mode::follow, Time{60ms}) == 90);
}

TEST_CASE(
    "What goes wrong with a drive trips its zone, and is said; it is reset by a person, and goes on from where it is") {
  struct Case {
    const char* what;
    void (*breaks)(Bench&);
    void (*mends)(Bench&);
    std::uint32_t fault;
    Cause cause;
    const char* said;
  };
  for (const Case& one :
       {Case{"it has a fault", [](Bench& b) { b.drive.fail(); }, [](Bench&) {}, drive_has_fault, Cause::far_end_fault,
             "it has a fault"},
        Case{"its power was away", [](Bench& b) { b.drive.restart(); }, [](Bench&) {}, drive_switched_off,
             Cause::far_end_fault, "it switched off by itself"},
        Case{"an exception", [](Bench& b) { b.answer = [] { return Answer::refused; }; },
             [](Bench& b) { b.answer = nullptr; }, registers_refused, Cause::link_silent, ""},
        Case{"a late answer",
             [](Bench& b) { b.answer = [n = 0]() mutable { return n++ == 0 ? Answer::late : Answer::comes; }; },
             [](Bench& b) { b.answer = nullptr; }, registers_came_late, Cause::far_end_fault, "it answers again"},
        Case{"its heartbeat stands still", [](Bench& b) { b.drive_hangs = true; },
             [](Bench& b) { b.drive_hangs = false; }, 0, Cause::link_silent, ""},
        Case{"the cable is out", [](Bench& b) { b.cut = true; }, [](Bench& b) { b.cut = false; }, drive_has_fault,
             Cause::link_silent, "it has a fault"}}) {
    CAPTURE(one.what);
    Bench b;
    b.make_live();
    REQUIRE(b.stand.state() == State::live);
    b.stand.move("stick.left.x", 1);
    b.run(0.6);
    REQUIRE(b.drive.speed(0) > 50);
    one.breaks(b);
    b.run(1);
    CHECK(b.stand.state() == State::tripped);
    CHECK(b.stand.why("table").cause == one.cause);
    CHECK(b.drive.at_rest());
    one.mends(b);
    b.let_go();
    b.run(2);
    CHECK((b.faults & one.fault) == one.fault);
    CHECK(b.said.find(one.said) != std::string::npos);
    CHECK(b.stand.state() == State::tripped);
    const double stands = b.drive.position(0);
    b.press("menu.centre");
    CHECK(b.stand.state() == State::stowed);
    b.make_live();
    CHECK(b.stand.state() == State::live);
    CHECK(std::abs(b.drive.position(0) - stands) < 0.05);
    b.press("hat.right");
    b.run(0.3);
    CHECK(b.drive.position(0) == doctest::Approx(stands + 0.1).epsilon(0.01));
  }
}

TEST_CASE("A drive that never comes on is a fault after its time") {
  Bench b(test::on_a_drive("tcp = \"127.0.0.1:15999\"", "switch_on_ms = 500"));
  b.run(0.2);
  b.answer = [] { return Answer::comes; };
  b.map.tells[1].word.at = 0;
  b.stand.press("menu.right");
  b.run(0.02);
  b.stand.release("menu.right");
  for (int i = 0; i < 400 && b.stand.state() != State::tripped; ++i) {
    b.drive.restart();  // as if something kept it from switching on
    b.tick();
  }
  CHECK(b.stand.state() == State::tripped);
  CHECK((b.faults & drive_not_on_in_time) != 0);
  CHECK(b.said.find("it is not on after 500 ms") != std::string::npos);
}

TEST_CASE(
    "Late, lost and refused transactions, cuts, and a program that is gone: it stands in time, and never moves "
    "unasked") {
  test::Random random;
  double longest_s = 0, farthest = 0;
  int tripped = 0;
  const Rig rig = test::rig(test::on_a_drive());
  const Predictor predictor(rig, AxisId{0});
  // Where a transaction is lost it may be either of these.
  double stated_s = 0, stated = 0;
  for (const Prediction& one :
       {predictor.unheard(), predictor.of(Cause::link_silent), predictor.of(Cause::enable_released)}) {
    stated_s = std::max(stated_s, one.time_s());
    stated = std::max(stated, one.way());
  }
  for (int round = 0; round < rounds(120, 6000); ++round) {
    CAPTURE(round);
    const int kind = round % 6;
    CAPTURE(kind);
    Bench b;
    b.make_live();
    REQUIRE(b.stand.state() == State::live);
    const bool right = random.chance(0.5);
    b.stand.move("stick.left.x", right ? 1 : -1);
    b.run(random.in(0.4, 0.9));
    const double from = b.drive.position(0), way = right ? 1 : -1, share = random.in(0.02, 0.9);
    const Time failed = b.stand.now();
    if (kind == 0) b.cut = true;
    if (kind == 1) b.hangs = true;
    if (kind == 2) b.drive_hangs = true;
    const Answer how = kind == 3 ? Answer::late : kind == 4 ? Answer::refused : Answer::lost;
    if (kind > 2) b.answer = [&] { return random.chance(share) ? how : Answer::comes; };
    Time moved = failed;
    double last = from;
    const bool lets_go = kind > 2;
    if (lets_go) b.let_go();
    while (b.stand.now() - failed < 2s) {
      b.tick();
      const double at = b.drive.position(0);
      CHECK((at - last) * way > -0.2);  // never the other way
      if (std::abs(at - last) > 1e-6) moved = b.stand.now();
      last = at;
    }
    longest_s = std::max(longest_s, to_seconds(moved - failed));
    farthest = std::max(farthest, std::abs(last - from));
    CHECK(to_seconds(moved - failed) <= stated_s);
    CHECK(std::abs(last - from) <= stated);
    tripped += b.stand.state() == State::tripped ? 1 : 0;
    // Whatever it was: nothing moves by itself once it is well again.
    b.let_go();
    b.answer = nullptr;
    b.cut = b.hangs = b.drive_hangs = false;
    b.run(1.5);
    CHECK(std::abs(b.drive.position(0) - last) < 0.1);
  }
  MESSAGE("at rest after ", longest_s, " s and ", farthest, " deg at most; check states ", stated_s, " s and ", stated,
          " deg; zones tripped ", tripped);
  CHECK(tripped > 0);
}

namespace {

/// A stand-in in a thread of its own, and a link to it, on a real wire.
struct Both {
  explicit Both(const std::string& wire)
      : rig(test::rig(test::on_a_drive(wire, "watchdog_ms = 2000") + drive_actions)),
        drive(rig, LinkId{0}),
        link(rig, LinkId{0}) {
    server = std::thread([this] {
      while (!ends) {
        drive.run(2ms);
        if (breaks.exchange(false)) CHECK(drive.take("cut").empty());
        if (mends.exchange(false)) CHECK(drive.take("mend").empty());
        {
          const std::lock_guard held(mutex);
          for (const std::string& words : drive.seen()) seen += words + "\n";
        }
        at = drive.drive().position(0);
        phase = drive.drive().phase();
        trips = drive.drive().watchdog_trips();
      }
    });
  }
  ~Both() {
    ends = true;
    server.join();
  }
  void turn() {
    const Time now = clock.now();
    reports.clear();
    link.receive(now, reports);
    for (const LinkReport& report : reports) {
      ++heard;
      faults |= report.faults;
      waits = report.waits;
      reported = report.axes[0].position;
      CHECK(report.measured >= measured);
      measured = report.measured;
      CHECK(report.inputs[0].value == 20);
      CHECK(report.inputs[1].value == 1);
      if (!report.actions.empty()) action = report.actions.front();
    }
    if (!hangs) {
      ++frame.sequence;
      frame.sent = frame.due = now;
      frame.valid_for = 1s;  // a busy machine
      frame.axes = {&word, 1};
      frame.switches = switches;
      link.send(frame);
    }
    while (const auto one = link.said()) said += *one + "\n";
    std::this_thread::sleep_for(1ms);
  }
  std::string drive_said() {
    const std::lock_guard held(mutex);
    return seen;
  }
  template <class Holds>
  bool until(Holds holds) {
    for (int i = 0; i < 20'000; ++i, turn())
      if (holds()) return true;
    MESSAGE(said);
    return false;
  }

  Rig rig;
  DriveStandIn drive;
  BootClock clock;
  ModbusLink link;
  AxisWord word{Mode::off, 0, 0};
  std::vector<std::uint8_t> switches{0};
  Frame frame;
  std::vector<LinkReport> reports;
  std::string said;
  std::uint64_t heard = 0;
  std::uint32_t faults = 0;
  bool waits = false, hangs = false;
  double reported = 0;
  Time measured{};
  std::optional<ActionReport> action;
  std::mutex mutex;
  std::string seen;  // by the drive
  std::atomic<bool> ends{false}, breaks{false}, mends{false};
  std::atomic<double> at{0};
  std::atomic<sim::DrivePhase> phase{sim::DrivePhase::switch_on_disabled};
  std::atomic<std::uint32_t> trips{0};
  std::thread server;
};

}  // namespace

TEST_CASE("Over TCP and a serial line: switched on, moved, cut, there again; a heartbeat that stands still stops it") {
  const test::Folder folder;
  test::Random random;
  for (const std::string& wire : {fmt::format("tcp = \"127.0.0.1:{}\"", random.whole(20'000, 30'000)),
                                  fmt::format("serial = \"{}\"\nbaud = 115200", folder / "drive")}) {
    CAPTURE(wire);
    Both both(wire);
    REQUIRE(both.until([&] { return both.heard > 3; }));
    both.word = {Mode::follow, 0, 0};
    CHECK(both.until([&] { return both.phase == sim::DrivePhase::operation_enabled && !both.waits; }));
    both.word.position = 7'500'000'000;
    CHECK(both.until([&] { return std::abs(both.reported - 7.5) < 0.01; }));
    CHECK(both.until([&] { return std::abs(both.at - 7.5) < 0.01; }));
    // A register and a coil besides, for an action.
    both.frame.order = ActionOrder{ActionId{0}, 1, false};
    CHECK(both.until([&] { return both.action == ActionReport{ActionId{0}, ActionReport::Result::done, 1}; }));
    both.frame.order = ActionOrder{ActionId{0}, 1, true};
    CHECK(both.until([&] { return both.said.find("coil 5 off") != std::string::npos; }));
    both.frame.order.reset();
    CHECK(both.until(
        [&] { return both.drive_said().find("register 300 = 6\ncoil 5 on\ncoil 5 off\n") != std::string::npos; }));
    // The engine's frames are no longer: nothing beats for them.
    both.hangs = true;
    CHECK(both.until([&] { return both.trips > 0; }));
    CHECK(both.until([&] { return (both.faults & drive_has_fault) != 0; }));
    both.hangs = false;
    both.word.mode = Mode::off;
    CHECK(both.until([&] { return both.phase == sim::DrivePhase::switch_on_disabled; }));
    // The cable is out, and in again.
    const std::uint64_t before = both.heard;
    both.breaks = true;
    CHECK(both.until([&] { return both.said.find("failed") != std::string::npos; }));
    both.faults = 0;
    both.mends = true;
    CHECK(both.until([&] { return both.heard > before + 10; }));
    if (wire.starts_with("tcp")) CHECK((both.faults & registers_came_back) != 0);
  }
}

TEST_CASE(
    "A far end that goes away and comes back, or answers late, is reached again by itself, and what it says is new") {
  const test::Folder folder;
  test::Random random;
  for (const std::string& wire : {fmt::format("tcp = \"127.0.0.1:{}\"", random.whole(20'000, 30'000)),
                                  fmt::format("serial = \"{}\"\nbaud = 115200", folder / "drive")}) {
    CAPTURE(wire);
    const Rig rig = test::rig(test::on_a_drive(wire, "watchdog_ms = 2000\ntimeout_ms = 300"));
    auto drive = std::make_unique<DriveStandIn>(rig, LinkId{0});
    ModbusLink link(rig, LinkId{0});
    const BootClock clock;
    std::vector<LinkReport> reports;
    std::string said;
    std::uint32_t faults = 0;
    std::uint64_t heard = 0;
    double load = 0;
    const auto until = [&](auto holds) {
      for (int i = 0; i < 20'000; ++i) {
        if (drive)
          drive->run(1ms);
        else
          std::this_thread::sleep_for(1ms);
        reports.clear();
        link.receive(clock.now(), reports);
        for (const LinkReport& report : reports) {
          ++heard;
          faults |= report.faults;
          load = report.inputs[0].value;
        }
        while (const auto one = link.said()) said += *one + "\n";
        if (holds()) return true;
      }
      MESSAGE(said);
      return false;
    };
    REQUIRE(until([&] { return heard > 3; }));
    drive.reset();
    CHECK(until([&] { return said.find("failed") != std::string::npos; }));
    drive = std::make_unique<DriveStandIn>(rig, LinkId{0});
    const std::uint64_t before = heard;
    CHECK(until([&] { return heard > before + 3; }));
    CHECK((faults & registers_came_back) != 0);
    // Each answer comes later than anybody waits: none is taken for that to a later request.
    faults = 0;
    said.clear();
    CHECK(drive->take("slow").empty());
    CHECK(until([&] { return said.find("no answer in time") != std::string::npos; }));
    const std::uint64_t late = heard;
    CHECK(drive->take("input load 77").empty());
    CHECK(drive->take("mend").empty());
    CHECK(until([&] { return heard > late + 5; }));
    CHECK((faults & registers_came_late) != 0);
    CHECK(load == 77);
  }
}

TEST_CASE("A sender that is gone at full speed: the drive's own watchdog stops it in time") {
  test::Random random;
  const int count = rounds(3, 100);
  int in_time = 0, late = 0;
  for (int round = 0; round < count; ++round) {
    CAPTURE(round);
    const Rig rig = test::rig(test::on_a_drive(fmt::format("tcp = \"127.0.0.1:{}\"", random.whole(20'000, 30'000))));
    DriveStandIn drive(rig, LinkId{0});
    auto link = std::make_unique<ModbusLink>(rig, LinkId{0});
    const BootClock clock;
    std::vector<LinkReport> reports;
    std::vector<std::uint8_t> switches{0};
    AxisWord word{Mode::stand, 0, 0};
    Frame frame;
    const auto turn = [&] {
      drive.run(1ms);
      reports.clear();
      link->receive(clock.now(), reports);
      ++frame.sequence;
      frame.sent = frame.due = clock.now();
      frame.valid_for = 100ms;
      frame.axes = {&word, 1};
      frame.switches = switches;
      link->send(frame);
    };
    for (int i = 0; i < 20'000 && drive.drive().phase() != sim::DrivePhase::operation_enabled; ++i) turn();
    REQUIRE(drive.drive().phase() == sim::DrivePhase::operation_enabled);
    const Time began = clock.now();
    while (clock.now() - began < 600ms) {
      const double s = to_seconds(clock.now() - began);
      word = {Mode::follow, static_cast<std::int64_t>(60e9 * s), 60'000'000'000};
      turn();
    }
    if (drive.drive().watchdog_trips() > 0) {  // this machine stood still meanwhile
      ++late;
      continue;
    }
    const double speed = drive.drive().speed(0), from = drive.drive().position(0);
    link.reset();  // its connection and its thread are gone
    const Time gone = clock.now();
    Time moved = gone, last = gone;
    Span own_lateness{};
    double at = from;
    while (clock.now() - gone < 700ms) {
      drive.run(1ms);
      own_lateness = std::max(own_lateness, clock.now() - last - 5ms);
      last = clock.now();
      if (std::abs(drive.drive().position(0) - at) > 1e-6) moved = last;
      at = drive.drive().position(0);
    }
    // Its watchdog is 200 ms, from the last heartbeat; then 78/400 s of its own deceleration.
    const Span limit = 200ms + from_seconds(78 / 400.0) + 10ms;
    if (own_lateness > 5ms)
      ++late;
    else
      in_time += speed > 50 && moved - gone <= limit && drive.drive().watchdog_trips() == 1 ? 1 : 0;
    CHECK(moved - gone <= limit + 3 * own_lateness);
  }
  MESSAGE(in_time, " of ", count, " in time; in ", late, " this machine was late itself");
  CHECK(in_time + late == count);
}

namespace {

/// The drive and a PLC at two addresses of one wire; a lamp and a pump in coils, a cover and a door in discrete inputs.
Rig on_one_line(const std::string& wire) {
  std::string text = test::on_a_drive(wire, "watchdog_ms = 2000\ntimeout_ms = 200");
  text = test::changed(text, "lamp = { at = 106, bit = 3 }", "lamp = { coil = 6 }");
  text = test::changed(text, "cover = { at = 207, bit = 0 }", "cover = { discrete = 3 }");
  for (const char* table : {"[axis.table]\n", "[switch.lamp]\n", "[input.load]\n", "[input.cover]\n"})
    text = test::changed(text, table, std::string(table) + "link = \"turn\"\n");
  return test::rig(text + "[link.plc]\nkind = \"modbus\"\n[link.plc.modbus]\n" + wire + R"(
unit = 2
timeout_ms = 200
[link.plc.modbus.tells]
heartbeat = 10
pump = { coil = 40 }
[link.plc.modbus.hears]
heartbeat = 20
level = { at = 21, type = "u16", counts = [10, 1] }
door = { discrete = 12 }
[switch.pump]
link = "plc"
[input.level]
link = "plc"
unit = "%"
start = 60
[input.door]
link = "plc"
)");
}

}  // namespace

TEST_CASE("A drive and a PLC at two addresses of one wire, with coils and discrete inputs; hung, and with noise") {
  const test::Folder folder;
  test::Random random;
  for (const std::string& wire : {fmt::format("tcp = \"127.0.0.1:{}\"", random.whole(20'000, 30'000)),
                                  fmt::format("serial = \"{}\"\nbaud = 115200", folder / "line")}) {
    CAPTURE(wire);
    const bool is_line = wire.starts_with("serial");
    const Rig rig = on_one_line(wire);
    DriveStandIn far(rig, LinkId{0});
    ModbusWires wires;
    ModbusLink turn(rig, LinkId{0}, wires), plc(rig, LinkId{1}, wires);
    const BootClock clock;
    AxisWord word{Mode::off, 0, 0};
    std::vector<std::uint8_t> lamp{0}, pump{0};
    std::uint32_t sequence = 0;
    std::vector<double> turn_inputs, plc_inputs;
    std::size_t turn_heard = 0, plc_heard = 0;
    std::string seen, said;
    std::vector<LinkReport> reports;
    const auto until = [&](auto holds) {
      for (int i = 0; i < 20'000; ++i) {
        far.run(1ms);
        for (const std::string& words : far.seen()) seen += words + "\n";
        const Time now = clock.now();
        for (ModbusLink* const link : {&turn, &plc}) {
          const bool is_turn = link == &turn;
          reports.clear();
          link->receive(now, reports);
          for (const LinkReport& report : reports) {
            ++(is_turn ? turn_heard : plc_heard);
            std::vector<double>& values = is_turn ? turn_inputs : plc_inputs;
            values.clear();
            for (const InputReport& input : report.inputs) values.push_back(input.value);
          }
          Frame frame;
          frame.sequence = ++sequence;
          frame.sent = frame.due = now;
          frame.valid_for = 1s;
          if (is_turn) frame.axes = {&word, 1};
          frame.switches = is_turn ? lamp : pump;
          link->send(frame);
          while (const auto one = link->said()) said += *one + "\n";
        }
        if (holds()) return true;
      }
      MESSAGE(said << seen);
      return false;
    };
    REQUIRE(until([&] { return turn_heard > 3 && plc_heard > 3; }));
    CHECK(turn_inputs == std::vector<double>{20, 1});
    CHECK(plc_inputs == std::vector<double>{60, 0});
    lamp[0] = pump[0] = 1;
    CHECK(until([&] {
      return seen.find("turn: lamp on") != std::string::npos && seen.find("plc: pump on") != std::string::npos;
    }));
    CHECK(far.take("input door on").empty());
    CHECK(far.take("input cover off").empty());
    CHECK(until([&] { return turn_inputs == std::vector<double>{20, 0} && plc_inputs == std::vector<double>{60, 1}; }));
    // One hangs; a line goes on with the other.
    CHECK(far.take("hung plc").empty());
    const std::size_t before = turn_heard;
    CHECK(until([&] { return said.find("plc: ") != std::string::npos && said.find("failed") != std::string::npos; }));
    if (is_line) CHECK(until([&] { return turn_heard > before + 5; }));
    CHECK(far.take("mend").empty());
    CHECK(far.take("hung nobody") == "there is no link 'nobody' on this wire");
    CHECK(far.take("cut plc") == "'cut' is of the whole wire, and takes no name");
    const std::size_t again = plc_heard;
    CHECK(until([&] { return plc_heard > again + 5; }));
    CHECK(far.take("noisy").empty() == is_line);
    if (!is_line) continue;
    // What noise spoils is no word: nothing is turned, and no input is another.
    said.clear();
    const std::size_t noisy = turn_heard;
    CHECK(until([&] { return said.find("failed") != std::string::npos && turn_heard > noisy + 20; }));
    CHECK(turn_inputs == std::vector<double>{20, 0});
    CHECK(plc_inputs == std::vector<double>{60, 1});
    CHECK(seen.find("lamp off") == std::string::npos);
    CHECK(seen.find("pump off") == std::string::npos);
    CHECK(far.take("mend").empty());
    const std::size_t mended = plc_heard;
    CHECK(until([&] { return plc_heard > mended + 20; }));
  }
}
