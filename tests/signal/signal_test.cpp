#include <gyrax/signal/signal.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>

#include <cmath>

using namespace gyrax;
using namespace std::chrono_literals;

namespace {

constexpr HandsetId pad{0};
constexpr ControlId stick_x{0}, stick_y{1}, key{5};

/// A pad with a stick (round dead zone of 10 %) and a key, and the numbering of its readings.
struct Pad {
  std::vector<HandsetSetup> handsets{HandsetSetup{}};
  std::vector<ControlSetup> controls{{pad,
                                      stick_x,
                                      *Calibration::make(ControlKind::centred, -100, 0, 100, false),
                                      {.zone = {0.1, 0, 0}},
                                      SlotId{1},
                                      false},
                                     {pad,
                                      stick_y,
                                      *Calibration::make(ControlKind::centred, -100, 0, 100, true),
                                      {.zone = {0.1, 0, 0}},
                                      SlotId{0},
                                      true},
                                     {pad, key, Calibration::key(), {}, no<SlotId>, false}};
  Signal signal{handsets, controls};
  std::uint32_t sequence = 0;
  Time now{1s};

  Change say(ControlId control, std::int32_t raw) {
    return signal.accept({pad, control, ++sequence, now, now, raw}, now);
  }
  void plug() { say(ControlId::presence, 1); }
  const Sample& x() const { return signal.sample(SlotId{0}); }
  const Sample& y() const { return signal.sample(SlotId{1}); }
  const Sample& pressed() const { return signal.sample(SlotId{2}); }
};

}  // namespace

TEST_CASE("Calibration: each side by its own end, ends exact, direction turned") {
  const auto c = *Calibration::make(ControlKind::centred, -80, 10, 130, false);
  CHECK(c.normalise(10) == 0);
  CHECK(c.normalise(130) == 1);
  CHECK(c.normalise(-80) == -1);
  CHECK(c.normalise(70) == 0.5);    // (70 - 10) / 120
  CHECK(c.normalise(-35) == -0.5);  // (-35 - 10) / 90
  CHECK(c.normalise(2'000'000'000) == 1);
  CHECK(c.normalise(-2'000'000'000) == -1);
  const auto turned = *Calibration::make(ControlKind::centred, -80, 10, 130, true);
  CHECK(turned.normalise(130) == -1);
  CHECK_FALSE(std::signbit(turned.normalise(10)));
  const auto trigger = *Calibration::make(ControlKind::one_sided, 0, 0, 255, false);
  CHECK(trigger.normalise(0) == 0);
  CHECK(trigger.normalise(255) == 1);
  CHECK((*Calibration::make(ControlKind::one_sided, 0, 0, 255, true)).normalise(255) == 0);
}

TEST_CASE("Calibration refuses what has no room between its ends") {
  CHECK_FALSE(Calibration::make(ControlKind::centred, 0, 0, 10, false));
  CHECK_FALSE(Calibration::make(ControlKind::centred, 0, 10, 10, false));
  CHECK_FALSE(Calibration::make(ControlKind::one_sided, 5, 0, 5, false));
  CHECK_FALSE(Calibration::make(ControlKind::one_sided, 0, 0, Calibration::max_raw + 1, false));
  CHECK(Calibration::make(ControlKind::centred, -Calibration::max_raw, 0, Calibration::max_raw, false));
}

TEST_CASE("A control is unknown until it reports, after a plug, after a gap, and is not neutral meanwhile") {
  Pad p;
  CHECK_FALSE(p.x().known);
  p.say(stick_x, 50);  // not plugged in: nobody said this
  CHECK_FALSE(p.x().known);
  p.plug();
  CHECK_FALSE(p.x().neutral());
  p.say(stick_x, 0);
  CHECK(p.x().neutral());
  CHECK_FALSE(p.y().known);
  p.say(ControlId::gap, 3);
  CHECK_FALSE(p.x().neutral());
  CHECK(p.signal.lost(pad) == 3);
  p.say(stick_x, 0);
  CHECK(p.x().neutral());
  p.say(ControlId::presence, 0);
  CHECK_FALSE(p.x().known);
  CHECK(p.signal.health(pad, p.now) == HandsetHealth::absent);
}

TEST_CASE("A jump of the sequence is a gap, wherever it begins; a second announcement is none") {
  Pad p;
  p.sequence = 0xfffffffe;
  p.plug();                            // any start
  CHECK(p.say(stick_x, 0).lost == 0);  // wraps
  p.sequence += 4;
  CHECK(p.say(stick_x, 0).lost == 4);
  CHECK(p.signal.lost(pad) == 4);
  CHECK(p.say(ControlId::presence, 1).kind == Change::Kind::nothing);
  CHECK(p.x().known);
}

TEST_CASE("A key's first word is a state, not a press") {
  Pad p;
  p.plug();
  CHECK(p.say(key, 1).kind == Change::Kind::held);
  CHECK(p.say(key, 0).kind == Change::Kind::key);
  const Change press = p.say(key, 1);
  CHECK(press.kind == Change::Kind::key);
  CHECK(press.pressed);
  CHECK(p.say(key, 1).kind == Change::Kind::nothing);
}

TEST_CASE("Readings that cannot be are faults, and what they are about is unknown then") {
  Pad p;
  p.plug();
  struct Case {
    const char* what;
    Reading reading;
    ReadingFault fault;
  };
  const std::uint32_t s = p.sequence;
  const Case cases[] = {
      {"from the future", {pad, stick_x, s + 1, p.now, p.now + 1ns, 0}, ReadingFault::clock},
      {"arrived before it happened", {pad, stick_x, s + 1, p.now, p.now - 1ns, 0}, ReadingFault::clock},
      {"before the last one", {pad, stick_x, s + 1, p.now - 1ms, p.now, 0}, ReadingFault::clock},
      {"far beyond the end", {pad, stick_x, s + 1, p.now, p.now, 151}, ReadingFault::implausible},
      {"a key that is 2", {pad, key, s + 2, p.now, p.now, 2}, ReadingFault::implausible},
  };
  for (const Case& c : cases) {
    CAPTURE(c.what);
    p.say(stick_x, 50);
    p.say(key, 0);
    Reading reading = c.reading;
    reading.sequence = p.sequence + 1;
    CHECK(p.signal.accept(reading, p.now).fault == c.fault);
    const SlotId slot = reading.control == stick_x ? SlotId{0} : SlotId{2};
    CHECK_FALSE(p.signal.sample(slot).known);
    CHECK(p.signal.forgotten().size() >= 1);
  }
  CHECK(p.signal.accept({pad, stick_x, s + 3, p.now, p.now, 0}, p.now + 101ms).fault ==
        ReadingFault::clock);  // too old
  CHECK(p.signal.accept({HandsetId{9}, stick_x, 1, p.now, p.now, 0}, p.now).kind == Change::Kind::nothing);
}

TEST_CASE("Presence does not age: a handset whose plugging in or going is heard late is not lost sight of") {
  Pad p;
  const Time then = p.now;
  p.now += 1s;
  CHECK(p.signal.accept({pad, ControlId::presence, 1, then, then, 1}, p.now).kind == Change::Kind::present);
  CHECK(p.signal.accept({pad, key, 2, then, then, 0}, p.now).fault == ReadingFault::clock);
  CHECK(p.signal.health(pad, p.now) == HandsetHealth::present);
  CHECK(p.signal.accept({pad, ControlId::presence, 3, then, then, 0}, p.now).kind == Change::Kind::absent);
}

TEST_CASE("A control's ends change while its handset is away, and only then") {
  Pad p;
  const auto wider = *Calibration::make(ControlKind::centred, -200, 0, 200, false);
  CHECK(p.signal.calibrate(SlotId{0}, wider));
  CHECK_FALSE(p.signal.calibrate(SlotId{2}, wider));
  p.plug();
  CHECK_FALSE(p.signal.calibrate(SlotId{0}, *Calibration::make(ControlKind::centred, -100, 0, 100, false)));
  p.say(stick_y, 0);
  p.say(stick_x, 200);
  CHECK(p.x().value == 1);
}

TEST_CASE("Silence is a loss only for a handset that reports steadily") {
  Pad p;
  p.plug();
  CHECK(p.signal.health(pad, p.now + 1h) == HandsetHealth::present);
  p.handsets[0].max_silence = 100ms;
  Signal steady(p.handsets, p.controls);
  steady.accept({pad, ControlId::presence, 1, p.now, p.now, 1}, p.now);
  CHECK(steady.health(pad, p.now + 100ms) == HandsetHealth::present);
  CHECK(steady.health(pad, p.now + 100ms + 1ns) == HandsetHealth::silent);
  CHECK(steady.health(pad, p.now - 1ns) == HandsetHealth::silent);  // a clock that ran backwards proves nothing
}

TEST_CASE("At rest nothing moves for any noise inside the dead zone") {
  Pad p;
  p.plug();
  test::Random random;
  for (int i = 0; i < 5'000; ++i) {
    const double r = random.in(0, 9.9), angle = random.in(0, 6.28318);
    p.say(stick_x, static_cast<std::int32_t>(r * std::cos(angle)));
    p.say(stick_y, static_cast<std::int32_t>(r * std::sin(angle)));
    REQUIRE(p.x().neutral());
    REQUIRE(p.y().neutral());
  }
  p.say(stick_y, 0);
  p.say(stick_x, 11);  // 1 % beyond the edge
  CHECK(p.x().value > 0);
  p.say(stick_y, 11);
  CHECK(p.y().value < 0);  // reversed
}

namespace {

/// Controls of any setup, said one after the other.
struct Box {
  std::vector<HandsetSetup> handsets{HandsetSetup{}};
  Signal signal;
  std::uint32_t sequence = 0;
  Time now{1s};
  explicit Box(std::vector<ControlSetup> controls) : signal(handsets, controls) { say(ControlId::presence, 1); }
  Change say(ControlId control, std::int32_t raw) {
    return signal.accept({pad, control, ++sequence, now, now, raw}, now);
  }
  Change say(int control, std::int32_t raw) { return say(id_at<ControlId>(static_cast<std::size_t>(control)), raw); }
  double value(int slot) const { return signal.sample(id_at<SlotId>(static_cast<std::size_t>(slot))).value; }
};

ControlSetup centred(int control) {
  ControlSetup c;
  c.control = id_at<ControlId>(static_cast<std::size_t>(control));
  c.calibration = *Calibration::make(ControlKind::centred, -1000, 0, 1000, false);
  return c;
}

ControlSetup made(VirtualControl::How how, std::initializer_list<int> parts) {
  ControlSetup c = centred(0);
  c.control = no<ControlId>;
  c.virtual_control.how = how;
  std::size_t i = 0;
  for (const int part : parts) c.virtual_control.parts[i++] = id_at<SlotId>(static_cast<std::size_t>(part));
  if (how == VirtualControl::How::key) c.calibration = Calibration::key();
  return c;
}

}  // namespace

TEST_CASE("A bouncing key is pressed once, at once; what it is when the bouncing is over counts") {
  ControlSetup bouncy;
  bouncy.debounce = 8ms;
  Box box({bouncy});
  box.say(0, 0);
  box.now += 20ms;
  CHECK(box.say(0, 1).pressed);  // the press is not delayed
  for (int i = 0; i < 3; ++i) {
    box.now += 1ms;
    CHECK(box.say(0, i % 2).kind == Change::Kind::nothing);
  }
  box.now += 3ms;
  box.signal.advance(box.now);
  CHECK(box.signal.also_changed().empty());  // still inside
  box.now += 2ms;
  box.signal.advance(box.now);  // it was up when the bouncing ended: the release is not lost
  REQUIRE(box.signal.also_changed().size() == 1);
  CHECK_FALSE(box.signal.also_changed()[0].pressed);
  CHECK(box.signal.also_changed()[0].at == Time{1s} + 28ms);
}

TEST_CASE("A dial with four counts a detent gives one for each, whatever bounces about an edge") {
  ControlSetup dial;
  dial.calibration = Calibration::counts(false);
  dial.detent = 4;
  Box box({dial});
  test::Random random;
  std::int64_t place = 0, told = 0, detents = 0, outputs = 0;
  for (int i = 0; i < 2000; ++i) {
    const int way = random.in(0, 1) < 0.6 ? 1 : -1;
    detents += way;
    // Each detent in its own way: at once, count by count, with a count back and forth.
    for (const int count : random.in(0, 1) < 0.5 ? std::vector<int>{4} : std::vector<int>{1, 1, -1, 1, 1, 1}) {
      const std::int32_t out = box.say(0, way * count).counts;
      REQUIRE(out * way >= 0);
      outputs += out != 0 ? 1 : 0;
      told += out;
      place += way * count;
    }
    REQUIRE(place == 4 * detents);
    REQUIRE(told == detents);
    REQUIRE(outputs == i + 1);  // one for each detent, and none in between
  }
  CHECK(box.say(0, 400).counts == 100);
}

TEST_CASE("A smoothed control goes on between its readings, by its own delay, and ends exactly where it is held") {
  ControlSetup slow = centred(0);
  slow.smoothing_s = 0.05;
  Box box({slow});
  box.say(0, 0);
  box.signal.advance(box.now);
  box.say(0, 1000);  // at once at its end
  CHECK(box.value(0) == 0);
  double last = 0;
  for (int i = 0; i < 400; ++i) {
    box.now += 2ms;
    box.signal.advance(box.now);
    REQUIRE(box.value(0) >= last);
    last = box.value(0);
    if (i == 24) CHECK(last == doctest::Approx(1 - std::pow(0.05 / 0.052, 25)));
  }
  CHECK(last == 1);
  CHECK(box.signal.also_changed().empty());  // nothing changes any more
}

TEST_CASE("Made controls: known with all their parts, changed with each of them, gone with any") {
  Box box({centred(0), centred(1), made(VirtualControl::How::difference, {0, 1}), made(VirtualControl::How::key, {0})});
  const Sample& lever = box.signal.sample(SlotId{2});
  const Sample& pull = box.signal.sample(SlotId{3});
  box.say(0, 750);
  CHECK_FALSE(lever.known);
  CHECK(pull.pressed);  // beyond 60 %
  REQUIRE(box.signal.also_changed().size() == 1);
  CHECK(box.signal.also_changed()[0].kind == Change::Kind::held);  // nobody saw it come there
  box.say(1, 500);
  CHECK(lever.known);
  CHECK(lever.value == 0.25);
  box.say(0, 450);
  CHECK(pull.pressed);  // until below 40 %
  box.say(0, 390);
  CHECK_FALSE(pull.pressed);
  CHECK(box.signal.also_changed().size() == 2);
  box.say(ControlId::gap, 1);
  CHECK_FALSE(lever.known);
  CHECK_FALSE(pull.known);
}

TEST_CASE("A tilt is looked at when all its accelerations are told; a handset that falls is a fault") {
  Box box({centred(0), centred(1), centred(2), made(VirtualControl::How::tilt_x, {0, 1, 2})});
  for (const auto& [control, raw] : {std::pair{0, -500}, {1, 0}, {2, 866}}) box.say(control, raw);
  box.signal.advance(box.now);
  CHECK(box.signal.also_changed().empty());
  CHECK(box.value(3) == doctest::Approx(0.5235987756).epsilon(1e-4));  // 30 degrees of one radian
  for (const auto& [control, raw] : {std::pair{0, -50}, {2, 90}}) {
    box.say(control, raw);
    for (const Change& change : box.signal.also_changed()) CHECK(change.fault == ReadingFault::none);
  }
  box.signal.advance(box.now);
  REQUIRE(box.signal.also_changed().size() == 1);
  CHECK(box.signal.also_changed()[0].fault == ReadingFault::implausible);
}

TEST_CASE("A control that is made of two handsets' goes with either of them") {
  const std::vector<HandsetSetup> handsets(2);
  std::vector<ControlSetup> controls{centred(0), centred(0), made(VirtualControl::How::mean, {0, 1})};
  controls[1].handset = HandsetId{1};
  for (const HandsetId gone : {HandsetId{0}, HandsetId{1}}) {
    Signal signal(handsets, controls);
    std::uint32_t sequence[2] = {};
    const auto say = [&](HandsetId handset, ControlId control, std::int32_t raw) {
      signal.accept({handset, control, ++sequence[index(handset)], Time{1s}, Time{1s}, raw}, Time{1s});
    };
    for (const HandsetId handset : {HandsetId{0}, HandsetId{1}}) {
      say(handset, ControlId::presence, 1);
      say(handset, ControlId{0}, 500);
    }
    CHECK(signal.sample(SlotId{2}).value == 0.5);
    say(gone, ControlId::presence, 0);
    CHECK_FALSE(signal.sample(SlotId{2}).known);
  }
}
