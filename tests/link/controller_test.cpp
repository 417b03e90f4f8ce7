// A controller that takes lines: what is told and heard in virtual time, on a wire that carries each byte as slowly as
// 115,200 baud do, against a simulated controller that plans ahead; and both on a real wire.
#include "controller_bench.hpp"
#include "support/folder.hpp"
#include "support/random.hpp"
#include "support/rigs.hpp"

#include <gyrax/base/nano.hpp>
#include <gyrax/link/controller_stand_in.hpp>
#include <gyrax/rig/predictions.hpp>
#include <gyrax/threads/boot_clock.hpp>

#include <doctest/doctest.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>
#include <memory>
#include <string>
#include <vector>

using namespace gyrax;
using namespace std::chrono_literals;
using test::ControllerBench;

namespace {

int rounds(int usual, int more) { return std::getenv("GYRAX_MORE") != nullptr ? more : usual; }

}  // namespace

TEST_CASE("Its modes are set and read back before it is moved; then it goes where it is told, in each dialect") {
  for (const char* dialect : test::dialects) {
    CAPTURE(dialect);
    ControllerBench b(test::on_a_controller(dialect));
    b.make_live();
    CAPTURE(b.said);
    CAPTURE(b.sent);
    CHECK(b.said.find("its modes are set") != std::string::npos);
    REQUIRE(b.stand.state() == State::live);
    CHECK(b.sent.find("G1 ") == std::string::npos);
    CHECK(b.sent.find("G01") == std::string::npos);
    b.press("face.south");
    CHECK(b.far.switched_on(0));
    b.press("hat.right", 0.3);
    b.stand.move("stick.left.x", -1).move("stick.left.y", 0.5);
    b.run(0.7);
    CHECK(b.far.machine().speed(0) < -150);
    b.let_go();
    b.run(0.8);
    CHECK(b.at_rest());
    const double count = b.rig.links[0].dialect->inch ? 25.4e-5 : std::pow(10, -b.rig.links[0].dialect->decimals);
    CHECK(std::abs(b.far.machine().position(0) - b.stand.command("x").p) <= count / 2 + 1e-9);
    CHECK(std::abs(b.far.machine().position(1) - b.stand.command("y").p) <= count / 2 + 1e-9);
    CHECK(b.faults == 0);
    CHECK(b.stand.state() == State::ready);
  }
}

TEST_CASE("A thousand mixed steps end where they are counted to, to the last digit that is sent, and back at zero") {
  for (const char* dialect : test::dialects) {
    CAPTURE(dialect);
    test::Random random;
    ControllerBench b(test::on_a_controller(dialect));
    b.make_live();
    const Dialect& its = *b.rig.links[0].dialect;
    int counted = 0, largest = 2, increment = 0;
    const int steps[] = {1, 10, 100};  // hundredths of a mm
    const auto choose = [&](int to) {
      for (; increment != to; increment += to > increment ? 1 : -1)
        b.press(to > increment ? "thumb.right" : "thumb.left", 0.02);
    };
    increment = 0;
    while (increment < largest && b.rig.setup.notches.increments[0].start > static_cast<std::size_t>(increment))
      ++increment;
    const auto step = [&](bool up) {
      b.press(up ? "hat.right" : "hat.left", 0.02);
      counted += (up ? 1 : -1) * steps[increment];
    };
    const int half = rounds(60, 500);
    for (int i = 0; i < half; ++i) {
      if (i % 10 == 0) choose(random.whole(0, largest));
      step(random.chance(0.5));
    }
    b.run(0.6);
    const auto is_there = [&] {
      const std::int64_t nano = std::int64_t{counted} * 10'000'000;
      CHECK(to_nano(b.stand.command("x").p) == nano);
      const double told = controller_place(
          static_cast<double>(controller_counts(nano, its, true)) / std::pow(10, its.decimals), its, true);
      CHECK(b.far.machine().position(0) == doctest::Approx(told).epsilon(1e-12));
    };
    is_there();
    while (counted != 0) {
      choose(std::abs(counted) >= 100 ? 2 : std::abs(counted) >= 10 ? 1 : 0);
      step(counted < 0);
    }
    b.run(0.6);
    is_there();
    CHECK(std::abs(b.far.machine().position(0)) < 1e-9);
    CHECK(b.faults == 0);
  }
}

TEST_CASE(
    "Letting go at full speed: it stands within the time and the way that were stated, and is where it was told") {
  for (const char* dialect : test::dialects) {
    CAPTURE(dialect);
    const Rig rig = test::rig(test::on_a_controller(dialect));
    const Prediction stated = Predictor(rig, AxisId{0}).of(Cause::enable_released);
    test::Random random;
    double longest_s = 0, farthest = 0, most_queued = 0;
    const int many = rounds(12, 334);
    for (int round = 0; round < many; ++round) {
      ControllerBench b(test::on_a_controller(dialect));
      b.there.delay_us = b.back.delay_us = static_cast<std::uint64_t>(random.whole(0, 6000));
      b.make_live();
      REQUIRE(b.stand.state() == State::live);
      const double share = random.chance(0.7) ? 1 : random.in(0.3, 1);
      const bool both = random.chance(0.5);
      b.stand.move("stick.left.x", random.chance(0.5) ? share : -share);
      if (both) b.stand.move("stick.left.y", random.in(-1, 1));
      b.run(random.in(0.05, 1));
      const double from = b.far.machine().position(0);
      b.let_go();
      const Time let_go = b.stand.now();
      most_queued = std::max(most_queued, b.far.machine().way_left());
      while (!(b.at_rest() && b.stand.command("x").v == 0) && b.stand.now() - let_go < 5s) b.tick();
      longest_s = std::max(longest_s, to_seconds(b.stand.now() - let_go));
      farthest = std::max(farthest, std::abs(b.far.machine().position(0) - from));
      CHECK(b.faults == 0);
      CHECK(b.stand.state() == State::ready);
    }
    MESSAGE(std::string(dialect) << ", let go " << many << " times: at rest after " << longest_s << " s and "
                                 << farthest << " mm at most; stated " << stated.time_s() << " s and " << stated.way()
                                 << " mm; queued " << most_queued << " mm at most");
    CHECK(longest_s <= stated.time_s());
    CHECK(farthest <= stated.way());
  }
}

TEST_CASE("A steady jog is steady; it begins soon after the stick moved; three axes take fifty moves a second") {
  ControllerBench b;
  b.make_live();
  const Time moved = b.stand.now();
  b.stand.move("stick.left.x", 1).move("stick.left.y", 0.6).move("stick.right.y", 0.5);
  while (b.far.machine().speed() == 0 && b.stand.now() - moved < 1s) b.tick();
  const double began_s = to_seconds(b.stand.now() - moved);
  CHECK(began_s <= 0.060);
  b.run(0.8);
  const std::uint64_t moves = b.talk.counts().moves;
  double least = 1e9, most = 0;
  const Time from = b.stand.now();
  while (b.stand.now() - from < 1s) {
    b.tick();
    least = std::min(least, b.far.machine().speed(0));
    most = std::max(most, b.far.machine().speed(0));
  }
  const double ripple = (most - least) / (most + least) * 2;
  const std::uint64_t a_second = b.talk.counts().moves - moves;
  MESSAGE("began after " << began_s * 1e3 << " ms; " << a_second << " moves a second of three axes; speed " << least
                         << " to " << most << " mm/s, ripple " << ripple * 100 << " %");
  CHECK(ripple <= 0.03);
  CHECK(a_second >= 49);
  CHECK(b.faults == 0);
}

TEST_CASE("What goes wrong with a controller stops it, trips its zone and is said; a person resets, and it goes on") {
  struct Case {
    const char* what;
    void (*breaks)(ControllerBench&);
    std::uint32_t fault;
    const char* said;
    const char* dialect = "brook";
  };
  for (const Case& one :
       {Case{"a line is refused", [](ControllerBench& b) { b.far.refuse_next(); }, controller_error,
             "it refuses of 'G1 "},
        Case{"a line gets lost", [](ControllerBench& b) { b.far.lose_lines(1); }, controller_error, "was expected'",
             "fern"},
        Case{"it answers twice", [](ControllerBench& b) { b.far.answer_twice(1); }, controller_strange_answer,
             "of a line that was not sent"},
        Case{"an alarm", [](ControllerBench& b) { b.far.raise_alarm("limit"); }, controller_alarm,
             "it has an alarm: 'alarm: limit'"},
        Case{"it begins anew", [](ControllerBench& b) { b.far.restart(); }, controller_began_anew,
             "it begins: 'Brook 1.0'"},
        Case{"it is paused", [](ControllerBench& b) { b.far.machine().pause(true); }, controller_paused,
             "it is paused by itself"},
        Case{"it is silent", [](ControllerBench& b) { b.far.be_silent(true); }, controller_lost_answer,
             "has no answer"},
        Case{"the cable is out", [](ControllerBench& b) { b.cut = true; }, controller_lost_answer, "has no answer"},
        Case{"somebody turns its speed down", [](ControllerBench& b) { b.far.machine().scale(0.2); }, 0, ""}}) {
    CAPTURE(one.what);
    ControllerBench b(test::on_a_controller(one.dialect));
    b.make_live();
    REQUIRE(b.stand.state() == State::live);
    b.stand.move("stick.left.x", 1);
    b.run(0.6);
    REQUIRE(b.far.machine().speed() > 170);
    one.breaks(b);
    b.run(2);
    CAPTURE(b.said);
    CHECK(b.stand.state() == State::tripped);
    CHECK(b.at_rest());
    CHECK(b.far.machine().queued() == 0);
    const double stands = b.far.machine().position(0);
    b.far.be_silent(false);
    b.far.machine().scale(1);
    b.cut = false;
    b.let_go();
    b.run(1);
    CHECK((b.faults & one.fault) == one.fault);
    CHECK(b.said.find(one.said) != std::string::npos);
    const bool keeps_place = one.fault != 0 && (one.fault & (controller_alarm | controller_began_anew)) == 0;
    CHECK((b.said.find("; its last move went to X") != std::string::npos) == keeps_place);
    CHECK(b.stand.state() == State::tripped);
    b.far.clear();
    b.far.machine().pause(false);
    b.run(1);
    CHECK(b.far.machine().position(0) == stands);
    b.press("menu.centre");
    CHECK(b.stand.state() == State::stowed);
    b.make_live();
    CHECK(b.stand.state() == State::live);
    CHECK(b.far.machine().position(0) == stands);
    b.press("hat.right");
    b.run(0.4);
    CHECK(std::abs(b.far.machine().position(0) - stands - 0.01) < 0.001);
  }
}

TEST_CASE("Who does not answer is told of once, and waited for") {
  ControllerBench b;
  b.far.be_silent(true);
  b.run(3);
  CHECK(b.said == "gantry: it does not answer\n");
  CHECK(b.sent.find_first_not_of('\x05') == std::string::npos);
  b.press("menu.right");
  CHECK(b.stand.state() == State::stowed);
  b.far.be_silent(false);
  b.make_live();
  CHECK(b.stand.state() == State::live);
}

TEST_CASE("A line that gets lost where lines are not counted leaves no way out, and is found as soon as it stands") {
  ControllerBench b;
  b.make_live();
  b.stand.move("stick.left.x", 1);
  b.run(0.6);
  b.far.lose_lines(1);
  b.run(0.3);
  CHECK(b.stand.state() == State::live);
  b.stand.move("stick.left.x", 0);
  b.run(1);
  CHECK(b.stand.state() == State::tripped);
  CHECK(b.said.find("has no answer") != std::string::npos);
  CHECK(std::abs(b.far.machine().position(0) - b.stand.command("x").p) < 0.001);
}

TEST_CASE(
    "Whose modes are not as they were set is told nothing more; what moves by itself is stopped before anything") {
  ControllerBench wrong;
  wrong.there.spoils = [](std::string& bytes) {
    if (const std::size_t at = bytes.find("G90"); at != std::string::npos) bytes[at + 2] = '1';
  };
  wrong.run(1);
  CHECK(wrong.said.find("its modes are 'G21 G91 G94', and G90 is not among them") != std::string::npos);
  wrong.press("menu.right");
  CHECK(wrong.stand.state() != State::ready);
  CHECK((wrong.faults & controller_wrong_modes) != 0);
  CHECK(wrong.sent.find("G1 ") == std::string::npos);
  wrong.there.spoils = nullptr;
  wrong.make_live();
  wrong.run(2);
  wrong.let_go();
  wrong.make_live();
  CHECK(wrong.stand.state() == State::live);

  ControllerBench moves;
  const std::vector<double> far_away{150, 100, 0};
  REQUIRE(moves.far.machine().move(far_away, 50));
  moves.run(1);
  CHECK(moves.said.find("it moves, and nobody here told it to") != std::string::npos);
  CHECK(moves.at_rest());
  CHECK(moves.far.machine().position(0) < 40);
  moves.make_live();
  CHECK(moves.stand.state() == State::live);
}

TEST_CASE(
    "What says that it still moves after a stop is stopped by all means, and does not know where it is any more") {
  ControllerBench b;
  b.make_live();
  b.stand.move("stick.left.x", 1);
  b.run(0.6);
  b.there.spoils = [](std::string& bytes) { std::erase_if(bytes, [](char c) { return c == '\x12' || c == '\x14'; }); };
  const std::vector<double> to{600, 500, 0};
  REQUIRE(b.far.machine().move(to, 20));
  b.stand.press("face.east");
  b.run(4);
  CHECK(b.said.find("it does not stop, and is told again") != std::string::npos);
  CHECK(b.at_rest());
  CHECK(b.far.machine().state() == sim::ControllerState::alarm);
  CHECK((b.faults & controller_alarm) != 0);
  b.press("menu.right");
  CHECK(b.stand.state() == State::stowed);
}

TEST_CASE("Where its stop would lose the position of what moves it is paused first, and told to stop once it rests") {
  ControllerBench b;
  for (int round = 0; round < 3; ++round) {
    CAPTURE(round);
    b.make_live();
    b.stand.move("stick.left.x", round == 1 ? -1 : 1);
    b.run(0.6);
    REQUIRE(b.far.machine().speed() > 100);
    b.far.seen();
    b.stand.press("face.east");
    const std::uint64_t before = b.far.stops();
    for (int i = 0; i < 500 && b.far.stops() == before; ++i) b.tick();
    CHECK(b.far.stops() == before + 1);
    CHECK(b.far.machine().speed() == 0);
    CHECK(b.far.seen().front() == "it is told to pause");
    b.stand.release("face.east");
    b.let_go();
    b.run(1);
    CHECK(b.faults == 0);
    CHECK(b.at_rest());
    CHECK(b.far.machine().queued() == 0);
  }
  // One that somebody paused is told to stop at once, and one that does not pause by all means.
  b.make_live();
  CHECK(b.stand.state() == State::live);
  b.far.machine().pause(true);
  b.run(0.6);
  CHECK((b.faults & controller_paused) != 0);
  CHECK(b.far.machine().state() == sim::ControllerState::idle);
  b.let_go();
  b.press("menu.centre");
  b.make_live();
  b.stand.move("stick.left.x", 1);
  b.run(0.6);
  b.there.spoils = [](std::string& bytes) { std::erase(bytes, '\x12'); };
  b.stand.press("face.east");
  b.run(3);
  CHECK(b.at_rest());
}

TEST_CASE("No feed is above what an axis may, whatever is asked for; nor is it told more than it takes") {
  test::Random random;
  for (int round = 0; round < rounds(4, 40); ++round) {
    ControllerBench b;
    std::size_t most_bytes = 0;
    b.make_live();
    for (int i = 0; i < 12; ++i) {
      b.stand.move("stick.left.x", random.in(-1, 1)).move("stick.left.y", random.in(-1, 1));
      if (random.chance(0.3)) b.press("hat.right", 0.02);
      b.run(random.in(0.02, 0.4));
      most_bytes = std::max(most_bytes, b.there.under_way.size());
    }
    double at[3] = {0, 0, 0};
    int checked = 0;
    for (std::size_t from = b.sent.find("G1 "); from != std::string::npos; from = b.sent.find("G1 ", from + 1)) {
      const std::string line = b.sent.substr(from, b.sent.find('\n', from) - from);
      const double feed = *wire::number_of(std::string_view(line).substr(line.find('F') + 1));
      double way = 0, ways[3] = {0, 0, 0};
      for (int axis = 0; axis < 3; ++axis) {
        const std::size_t letter = line.find("XYZ"[axis]);
        if (letter == std::string::npos) continue;
        const std::size_t end = line.find(' ', letter);
        const double place = *wire::number_of(std::string_view(line).substr(letter + 1, end - letter - 1));
        ways[axis] = place - at[axis];
        at[axis] = place;
        way += ways[axis] * ways[axis];
      }
      way = std::sqrt(way);
      CAPTURE(line);
      for (int axis = 0; axis < 3; ++axis)
        CHECK(std::abs(ways[axis]) / way * feed / 60 <=
              b.rig.setup.axes[static_cast<std::size_t>(axis)].limits.speed() * (1 + 1e-9));
      ++checked;
    }
    CAPTURE(b.said);
    CAPTURE(static_cast<int>(b.stand.state()));
    CAPTURE(static_cast<int>(b.stand.why("x").cause));
    CHECK(checked > 50);
    CHECK(most_bytes <= 400);
    CHECK(b.faults == 0);
  }
}

TEST_CASE("It goes where the command went; in turns and reversals it stays beside that way, and comes to its end") {
  test::Random random;
  double farthest = 0;
  for (int round = 0; round < rounds(4, 60); ++round) {
    ControllerBench b(test::on_a_controller(test::dialects[round % 3]));
    b.make_live();
    std::deque<std::array<double, 2>> way;
    const auto beside = [&](double x, double y) {
      double nearest = 1e9;
      for (std::size_t i = 1; i < way.size(); ++i) {
        const auto [x0, y0] = way[i - 1];
        const auto [x1, y1] = way[i];
        const double dx = x1 - x0, dy = y1 - y0, length = dx * dx + dy * dy;
        const double share = length > 0 ? std::clamp(((x - x0) * dx + (y - y0) * dy) / length, 0.0, 1.0) : 0;
        nearest = std::min(nearest, std::hypot(x - x0 - share * dx, y - y0 - share * dy));
      }
      return nearest;
    };
    for (int i = 0; i < 10; ++i) {
      b.stand.move("stick.left.x", random.in(-1, 1)).move("stick.left.y", random.in(-1, 1));
      for (const Time end = b.stand.now() + from_seconds(random.in(0.05, 0.5)); b.stand.now() < end;) {
        b.tick();
        way.push_back({b.stand.command("x").p, b.stand.command("y").p});
        constexpr std::size_t remembered = 400;  // ticks, which are 0.8 s
        if (way.size() > remembered) way.pop_front();
        if (way.size() > 1)
          farthest = std::max(farthest, beside(b.far.machine().position(0), b.far.machine().position(1)));
      }
    }
    b.stand.move("stick.left.x", 0).move("stick.left.y", 0);
    b.run(1);
    CHECK(b.stand.state() == State::live);
    CHECK(std::hypot(b.far.machine().position(0) - b.stand.command("x").p,
                     b.far.machine().position(1) - b.stand.command("y").p) < 0.01);
  }
  MESSAGE("beside its way by " << farthest << " mm at most");
  // A chord over a move of 20 ms at the axes' greatest acceleration: a·T²/8, on both axes; and the last decimals.
  CHECK(farthest <= std::sqrt(2) * 1400 * 0.022 * 0.022 / 8 + 0.02);
}

TEST_CASE(
    "A wire that spoils, loses, doubles and delays: nothing moves that was not asked for, and it stands in time") {
  test::Random random;
  const Rig rig = test::rig(test::on_a_controller("fern"));
  const Predictor predictor(rig, AxisId{0});
  double stated_s = 0;
  for (const Prediction& one :
       {predictor.unheard(), predictor.of(Cause::link_silent), predictor.of(Cause::far_end_fault)})
    stated_s = std::max(stated_s, one.time_s());
  // Its link has to miss an answer first.
  stated_s += rig.links[0].number("answer_ms") / 1e3;
  int tripped = 0;
  double longest_s = 0;
  for (int round = 0; round < rounds(40, 1000); ++round) {
    CAPTURE(round);
    ControllerBench b(test::on_a_controller("fern"));
    b.make_live();
    REQUIRE(b.stand.state() == State::live);
    const int way = random.whole(0, 6);
    const double often = random.in(0.001, 0.2);
    const auto spoils = [&random, way, often](std::string& bytes) {
      if (bytes.empty() || !random.chance(often)) return;
      const auto at = static_cast<std::size_t>(random.whole(0, static_cast<int>(bytes.size()) - 1));
      switch (way) {
        case 0: bytes[at] = static_cast<char>(bytes[at] ^ 1 << random.whole(0, 7)); break;
        case 1: bytes.erase(at); break;
        case 2: bytes.erase(at, 1); break;
        case 3: bytes += bytes; break;
        case 4: bytes.clear(); break;
        default:
          for (char& c : bytes) c = static_cast<char>(random.whole(0, 255));
      }
    };
    b.stand.move("stick.left.x", 1);
    b.run(random.in(0, 0.7));
    b.there.spoils = b.back.spoils = spoils;
    if (way == 6) b.there.delay_us = b.back.delay_us = static_cast<std::uint64_t>(random.whole(10'000, 900'000));
    double low = b.far.machine().position(0), high = low;
    const Time began = b.stand.now();
    for (const Time end = began + 3s; b.stand.now() < end && b.stand.state() == State::live;) {
      if (b.stand.now() - began > 500ms) b.stand.move("stick.left.x", 0);
      b.tick();
      low = std::min(low, b.stand.command("x").p);
      high = std::max(high, b.stand.command("x").p);
      REQUIRE(b.far.machine().position(0) >= low - 0.05);
      REQUIRE(b.far.machine().position(0) <= high + 0.05);
      REQUIRE(b.far.machine().position(1) == 0);
    }
    const bool has_tripped = b.stand.state() != State::live;
    tripped += has_tripped ? 1 : 0;
    const Time stops = b.stand.now();
    if (!has_tripped) b.let_go();
    while (b.stand.now() - stops < 2s) {
      b.tick();
      if (!b.at_rest()) longest_s = std::max(longest_s, to_seconds(b.stand.now() - stops));
      REQUIRE(b.far.machine().position(0) >= low - 0.05);
      REQUIRE(b.far.machine().position(0) <= high + 45);
    }
    CHECK(b.at_rest());
  }
  MESSAGE(tripped << " tripped; at rest " << longest_s << " s after that at most, stated " << stated_s << " s");
  CHECK(longest_s <= stated_s);
  CHECK(tripped > 0);
}

TEST_CASE("Live, on a pseudo-terminal at 115,200 baud: let go, and gone, at full speed; both stand in time") {
  const test::Folder folder;
  const int count = rounds(4, 100);
  int in_time = 0, late = 0;
  double longest_stop_s = 0, longest_gone_s = 0;
  for (int round = 0; round < count; ++round) {
    CAPTURE(round);
    const bool gone = round % 2 == 1;
    const Rig rig =
        test::rig(test::on_a_controller("fern", "answer_ms = 3000", fmt::format("serial = \"{}\"", folder / "gantry")));
    const FarEnd far_end = far_end_of(rig, LinkId{0});
    ControllerStandIn controller(rig, LinkId{0});
    auto link = std::make_unique<ControllerLink>(rig, LinkId{0});
    const BootClock clock;
    std::vector<LinkReport> reports;
    std::array<AxisWord, 3> words{};
    std::vector<std::uint8_t> switches{0};
    std::string said;
    Frame frame;
    bool waits = true;
    Time last = clock.now();
    Span own_lateness{};
    const auto turn = [&] {
      controller.run(1ms);
      own_lateness = std::max(own_lateness, clock.now() - last - 5ms);
      last = clock.now();
      if (!link) return;
      reports.clear();
      link->receive(clock.now(), reports);
      for (const LinkReport& report : reports) waits = report.waits;
      while (const auto one = link->said()) said += *one + "\n";
      ++frame.sequence;
      frame.sent = frame.due = clock.now();
      frame.axes = words;
      frame.switches = switches;
      link->send(frame);
    };
    CAPTURE(said);
    for (int i = 0; i < 20'000 && waits; ++i) turn();
    REQUIRE_FALSE(waits);
    for (AxisWord& word : words) word.mode = Mode::stand;
    turn();
    // Up to full speed at the axis's own acceleration, and on.
    constexpr double v = 180, a = 900;
    const Time began = clock.now();
    own_lateness = Span{};
    double at = 0;
    const auto follow = [&](double p, double speed) {
      words[0] = {Mode::follow, to_nano(p), to_nano(speed)};
      at = p;
      turn();
    };
    for (double s = 0; s < 0.8; s = to_seconds(clock.now() - began))
      follow(s < v / a ? a * s * s / 2 : v * v / (2 * a) + v * (s - v / a), std::min(a * s, v));
    const Time let_go = clock.now();
    const double from = at;
    if (gone) link.reset();
    Span own_stop{};
    if (!gone) {
      constexpr double b = 1400;
      own_stop = from_seconds(v / b);
      for (double s = 0; s < v / b; s = to_seconds(clock.now() - let_go))
        follow(from + v * s - b * s * s / 2, v - b * s);
      follow(from + v * v / (2 * b), 0);
    }
    Time moved = let_go;
    double place = controller.far_end().machine().position(0);
    while (clock.now() - let_go < 600ms) {
      turn();
      if (std::abs(controller.far_end().machine().position(0) - place) > 1e-6) moved = last;
      place = controller.far_end().machine().position(0);
    }
    const Span limit = own_stop + from_seconds(gone ? far_end.runs_out_s : far_end.queue_s);
    (gone ? longest_gone_s : longest_stop_s) =
        std::max(gone ? longest_gone_s : longest_stop_s, to_seconds(moved - let_go));
    if (own_lateness > 5ms) {
      ++late;
      CHECK(moved - let_go <= limit + 5 * own_lateness);
      continue;
    }
    CHECK(moved - let_go <= limit);
    in_time += moved - let_go <= limit ? 1 : 0;
    if (!gone) CHECK(place == doctest::Approx(at).epsilon(1e-4));
  }
  MESSAGE(in_time, " of ", count, " in time; in ", late, " this machine was late itself; let go: at rest after ",
          longest_stop_s, " s, gone: ", longest_gone_s, " s");
  CHECK(in_time + late == count);
}
