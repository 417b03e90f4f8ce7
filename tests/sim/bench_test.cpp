#include <gyrax/sim/bench.hpp>

#include <doctest/doctest.h>

using namespace gyrax;
using namespace std::chrono_literals;

namespace {

struct Machine {
  sim::BenchSetup setup;
  sim::Bench bench;
  Time now{};
  static sim::BenchSetup made() {
    sim::BenchSetup s;
    s.axes = {{.lag_s = 0.01, .speed = 100, .decel = 500}};
    s.switches = 1;
    return s;
  }
  Machine() : setup(made()), bench(setup) {}
  void send(double p, Mode mode = Mode::follow, Span valid = 50ms) {
    const AxisWord word{mode, static_cast<std::int64_t>(p * 1e9)};
    const std::uint8_t on = 1;
    bench.receive(
        {.link = LinkId{0}, .sequence = 1, .sent = now, .valid_for = valid, .axes = {&word, 1}, .switches = {&on, 1}});
  }
  void run(Span span) {
    for (const Time end = now + span; now < end;) bench.advance(now += 1ms);
  }
};

}  // namespace

TEST_CASE("It follows with a lag, no faster than it can") {
  Machine m;
  m.send(50, Mode::follow, 10s);
  m.run(100ms);
  CHECK(m.bench.speed(0) == 100);
  CHECK(m.bench.position(0) == doctest::Approx(10).epsilon(0.02));
  m.run(2s);
  CHECK(m.bench.position(0) == doctest::Approx(50));
  CHECK(m.bench.switched_on(0));
}

TEST_CASE("It stops by itself when it hears nothing for longer than the last frame is valid") {
  Machine m;
  m.send(50);
  m.run(50ms);
  CHECK(m.bench.speed(0) == 100);
  m.run(201ms);  // 100 / 500 s later
  CHECK(m.bench.speed(0) == 0);
  const double rest = m.bench.position(0);
  m.run(1s);
  CHECK(m.bench.position(0) == rest);
}

TEST_CASE("It can be told to fall silent, stick, or run the wrong way") {
  Machine m;
  m.run(10ms);
  CHECK(m.bench.next_report(m.now) != nullptr);
  while (m.bench.next_report(m.now) != nullptr) {
  }
  m.bench.silence(true);
  m.run(50ms);
  CHECK(m.bench.next_report(m.now) == nullptr);
  m.send(50);
  m.run(20ms);
  CHECK(m.bench.speed(0) == 0);  // the wire is cut both ways
  m.bench.silence(false);
  m.bench.break_axis(0, sim::AxisFault::reversed);
  m.send(50, Mode::follow, 1s);
  m.run(100ms);
  CHECK(m.bench.position(0) < 0);
  m.bench.break_axis(0, sim::AxisFault::stuck);
  const double stuck = m.bench.position(0);
  m.run(100ms);
  CHECK(m.bench.position(0) == stuck);
}

TEST_CASE("Reports are late by their delay, count up, and tell where it is to the last step of its scale") {
  Machine m;
  m.send(1.23456, Mode::follow, 10s);
  m.run(500ms);
  const LinkReport* last = nullptr;
  std::uint32_t before = 0;
  while (const LinkReport* report = m.bench.next_report(m.now)) {
    if (before != 0) CHECK(report->sequence == before + 1);
    before = report->sequence;
    CHECK(report->arrival - report->measured == 2ms);
    last = report;
  }
  REQUIRE(last != nullptr);
  CHECK(last->axes[0].position == doctest::Approx(1.235));
}
