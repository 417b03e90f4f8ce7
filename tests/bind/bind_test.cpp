#include <gyrax/bind/bind.hpp>

#include <doctest/doctest.h>

using namespace gyrax;
using namespace std::chrono_literals;

namespace {

constexpr HandsetId pad{0};

/// Slots: 0 stick, 1 key a, 2 key b, 3 layer key, 4 trigger.
struct Hands {
  std::vector<HandsetSetup> handsets{HandsetSetup{}};
  std::vector<ControlSetup> controls;
  Signal signal;
  Bind bind;
  std::vector<Request> requests{Request{}};
  std::uint32_t sequence = 0;
  Time now{1s};

  static std::vector<ControlSetup> made() {
    std::vector<ControlSetup> all(5);
    for (std::size_t i = 0; i < all.size(); ++i) all[i] = {pad, id_at<ControlId>(i), Calibration::key(), {}, no<SlotId>, false};
    all[0].calibration = *Calibration::make(ControlKind::centred, -100, 0, 100, false);
    all[4].calibration = *Calibration::make(ControlKind::one_sided, 0, 0, 100, false);
    return all;
  }
  static NotchSetup notches() {
    NotchSetup n;
    n.overrides = {{{10, 50, 100}, 1}};
    n.increments = {{{10'000'000, 50'000'000}, 1}};
    n.numbers = {{OverrideId{0}, {}}, {no<OverrideId>, {CoordinateId{0}}}};
    return n;
  }
  explicit Hands(const std::vector<BindingSetup>& bindings, const std::vector<LayerSetup>& layers = {{SlotId{3}, false}})
      : controls(made()), signal(handsets, controls), bind({bindings, layers, notches(), {}, {}, {}}, controls.size()) {
    say(ControlId::presence, 1);
    for (std::uint16_t i = 0; i < 5; ++i) say(ControlId{i}, 0);
  }
  std::vector<Ask> say(ControlId control, std::int32_t raw) {
    const auto early = bind.pass(now, signal);
    std::vector<Ask> all(early.begin(), early.end());
    const Change change = signal.accept({pad, control, ++sequence, now, now, raw}, now);
    const auto lost = bind.lose(signal.forgotten());
    all.insert(all.end(), lost.begin(), lost.end());
    const auto asks = bind.changed(change, signal);
    all.insert(all.end(), asks.begin(), asks.end());
    return all;
  }
  std::vector<Ask> say(int slot, std::int32_t raw) { return say(id_at<ControlId>(static_cast<std::size_t>(slot)), raw); }
  Request ask() {
    bind.requests(signal, now, requests);
    return requests[0];
  }
};

BindingSetup on(int slot, Effect effect, int layer = -1) {
  BindingSetup b;
  b.slot = id_at<SlotId>(static_cast<std::size_t>(slot));
  b.effect = effect;
  if (layer >= 0) b.layer = id_at<LayerId>(static_cast<std::size_t>(layer));
  if (effect == Effect::override) b.numbers = {NumberId{0}};
  if (effect == Effect::increment) b.numbers = {NumberId{1}};
  return b;
}

}  // namespace

TEST_CASE("A stick asks for a share of the speed; two jogs of one axis add") {
  auto slow = on(1, Effect::jog);
  slow.share = -0.25;
  Hands h({on(0, Effect::jog), slow});
  CHECK_FALSE(h.ask().asked());
  h.say(0, 50);
  CHECK(h.ask().jog == 0.5);
  h.say(1, 1);
  CHECK(h.ask().jog == 0.25);
  h.say(1, 0);
  h.say(0, 0);
  CHECK_FALSE(h.ask().asked());
}

TEST_CASE("A press is one step of the increment in force; holding is no second one") {
  auto back = on(2, Effect::step);
  back.count = -3;
  auto finer = on(3, Effect::increment);
  finer.count = -1;
  Hands h({on(1, Effect::step), back, finer});
  auto asks = h.say(1, 1);
  REQUIRE(asks.size() == 1);
  CHECK(asks[0].by == 50'000'000);
  CHECK(h.say(1, 1).empty());
  CHECK(h.say(1, 0).empty());
  CHECK(h.say(3, 1).front().kind == Ask::Kind::number);
  CHECK(h.say(2, 1).front().by == -30'000'000);
  CHECK(h.say(3, 0).empty());
  CHECK(h.say(3, 1).empty());  // at the end of the list nothing changes, and nothing is announced
}

TEST_CASE("The override moves by notches and stops at both ends") {
  auto down = on(2, Effect::override);
  down.count = -1;
  Hands h({on(1, Effect::override), down});
  CHECK(h.bind.numbers().speed_override(CoordinateId{0}) == 0.5);
  for (const double wanted : {1.0, 1.0}) {
    h.say(1, 1);
    h.say(1, 0);
    CHECK(h.bind.numbers().speed_override(CoordinateId{0}) == wanted);
  }
  for (const double wanted : {0.5, 0.1, 0.1}) {
    h.say(2, 1);
    h.say(2, 0);
    CHECK(h.bind.numbers().speed_override(CoordinateId{0}) == wanted);
  }
}

TEST_CASE("A layer counts while its control is held, and takes the control away from the base layer") {
  auto layered = on(1, Effect::step, 0);
  layered.count = 10;
  Hands h({on(1, Effect::step), layered});
  CHECK(h.say(1, 1).front().by == 50'000'000);
  h.say(1, 0);
  h.say(3, 1);
  const auto asks = h.say(1, 1);
  REQUIRE(asks.size() == 1);
  CHECK(asks[0].by == 500'000'000);
}

TEST_CASE("A stick that is deflected while the layer changes does nothing there until it has been at neutral") {
  auto layered = on(0, Effect::jog, 0);
  layered.share = -1;
  Hands h({on(0, Effect::jog), layered});
  h.ask();
  h.say(0, 80);
  CHECK(h.ask().jog == 0.8);
  h.say(3, 1);
  CHECK(h.ask().jog == 0);
  CHECK(h.ask().waiting_for == SlotId{0});
  CHECK(h.ask().asked());
  h.say(0, 0);
  h.ask();
  h.say(0, 80);
  CHECK(h.ask().jog == -0.8);
  h.say(3, 0);  // and the same on the way back
  CHECK(h.ask().jog == 0);
  h.say(0, 0);
  h.ask();
  h.say(0, 40);
  CHECK(h.ask().jog == 0.4);
}

TEST_CASE("A key that was held when its binding came to count does not go") {
  auto layered = on(1, Effect::go, 0);
  layered.goal = 7;
  Hands h({layered});
  h.say(1, 1);
  h.say(3, 1);
  CHECK_FALSE(h.ask().going);
  h.say(1, 0);
  h.say(1, 1);
  CHECK(h.ask().going);
  CHECK(h.ask().goal == 7);
  h.say(3, 0);
  CHECK_FALSE(h.ask().going);
}

TEST_CASE("No request stays behind when the handset goes, or readings are lost") {
  for (const ControlId how : {ControlId::presence, ControlId::gap}) {
    Hands h({on(0, Effect::jog), on(1, Effect::go)});
    h.ask();
    h.say(0, 100);
    h.say(1, 1);
    CHECK(h.ask().going);
    h.say(how, how == ControlId::gap ? 1 : 0);
    CHECK_FALSE(h.ask().asked());
    if (how == ControlId::presence) h.say(ControlId::presence, 1);
    h.say(0, 100);  // still held: known again, but not from neutral
    CHECK(h.ask().jog == 0);
    h.say(1, 1);
    CHECK_FALSE(h.ask().going);
  }
}

TEST_CASE("Stop counts however the key comes to be down; nothing else does") {
  Hands h({on(1, Effect::stop), on(2, Effect::enable), on(4, Effect::stop)});
  CHECK(h.say(1, 1).front().kind == Ask::Kind::stop);
  h.say(ControlId::gap, 1);
  CHECK(h.say(1, 1).front().kind == Ask::Kind::stop);  // first word after a gap: down
  CHECK(h.say(2, 1).empty());                          // an enable that was down already is no press
  CHECK(h.say(2, 0).front().kind == Ask::Kind::release);
  CHECK(h.say(2, 1).front().kind == Ask::Kind::enable);
  CHECK(h.say(4, 90).front().kind == Ask::Kind::stop);
}

TEST_CASE("A trigger that comes back pulled after a gap is no press") {
  Hands h({on(4, Effect::enable)});
  h.say(ControlId::gap, 1);
  CHECK(h.say(4, 80).empty());
  CHECK(h.say(4, 0).front().kind == Ask::Kind::release);
  CHECK(h.say(4, 80).front().kind == Ask::Kind::enable);
}

TEST_CASE("A trigger as a three-position enable: pressed, squeezed, and not enabled again on the way back") {
  auto enable = on(4, Effect::enable);
  enable.squeeze = 0.85;
  Hands h({enable});
  CHECK(h.say(4, 45).empty());
  CHECK(h.say(4, 55).front().kind == Ask::Kind::enable);
  CHECK(h.say(4, 45).empty());  // hysteresis
  CHECK(h.say(4, 90).front().kind == Ask::Kind::squeeze);
  CHECK(h.say(4, 60).empty());
  CHECK(h.say(4, 95).empty());
  CHECK(h.say(4, 10).front().kind == Ask::Kind::release);
  CHECK(h.say(4, 60).front().kind == Ask::Kind::enable);
}

TEST_CASE("Of two layers that are on the later one counts, and only that") {
  auto first = on(1, Effect::step, 0), second = on(1, Effect::step, 1);
  first.count = 10;
  second.count = 100;
  Hands h({on(1, Effect::step), first, second}, {{SlotId{3}, false}, {SlotId{2}, false}});
  const auto stepped = [&] {
    const auto asks = h.say(1, 1);
    h.say(1, 0);
    REQUIRE(asks.size() == 1);
    return asks[0].by / 50'000'000;
  };
  CHECK(stepped() == 1);
  h.say(3, 1);
  CHECK(stepped() == 10);
  h.say(2, 1);
  CHECK(stepped() == 100);
  h.say(3, 0);
  CHECK(stepped() == 100);
  h.say(2, 0);
  CHECK(stepped() == 1);
}
