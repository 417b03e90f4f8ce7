#include <gyrax/bind/bind.hpp>

#include <doctest/doctest.h>

#include <algorithm>

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
    for (std::size_t i = 0; i < all.size(); ++i)
      all[i] = {pad, id_at<ControlId>(i), Calibration::key(), {}, no<SlotId>, false};
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
  explicit Hands(const std::vector<BindingSetup>& bindings,
                 const std::vector<LayerSetup>& layers = {{SlotId{3}, false}})
      : controls(made()), signal(handsets, controls), bind({bindings, layers, notches(), {}, {}, {}}, controls.size()) {
    say(ControlId::presence, 1);
    for (std::uint16_t i = 0; i < 5; ++i) say(ControlId{i}, 0);
  }
  std::vector<Ask> say(ControlId control, std::int32_t raw) {
    const auto early = bind.pass(now, signal);
    std::vector<Ask> all(early.begin(), early.end());
    const Change change = signal.accept({pad, control, ++sequence, now, now, raw}, now);
    const auto lost = bind.lose(signal.forgotten(), signal);
    all.insert(all.end(), lost.begin(), lost.end());
    const auto asks = bind.changed(change, signal);
    all.insert(all.end(), asks.begin(), asks.end());
    return all;
  }
  std::vector<Ask> say(int slot, std::int32_t raw) {
    return say(id_at<ControlId>(static_cast<std::size_t>(slot)), raw);
  }
  Request ask() {
    bind.requests(signal, now, requests, true);
    return requests[0];
  }
};

BindingSetup on(int slot, Effect effect, int layer = -1) {
  BindingSetup b;
  b.slot = id_at<SlotId>(static_cast<std::size_t>(slot));
  b.effect = std::move(effect);
  if (layer >= 0) b.layer = id_at<LayerId>(static_cast<std::size_t>(layer));
  return b;
}

using namespace effect;

}  // namespace

TEST_CASE("A stick asks for a share of the speed; two jogs of one axis add") {
  Hands h({on(0, Jog{}), on(1, Jog{.share = -0.25})});
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
  Hands h({on(1, Step{}), on(2, Step{.by = -3}), on(3, Increment{.number = NumberId{1}, .by = -1})});
  auto asks = h.say(1, 1);
  REQUIRE(asks.size() == 1);
  CHECK(asks[0].distance == 50'000'000);
  CHECK(h.say(1, 1).empty());
  CHECK(h.say(1, 0).empty());
  CHECK(h.say(3, 1).front().kind == Ask::Kind::number);
  CHECK(h.say(2, 1).front().distance == -30'000'000);
  CHECK(h.say(3, 0).empty());
  CHECK(h.say(3, 1).empty());  // at the end of the list nothing changes, and nothing is announced
}

TEST_CASE("The override moves by notches and stops at both ends") {
  Hands h({on(1, Override{.number = NumberId{0}, .by = 1}), on(2, Override{.number = NumberId{0}, .by = -1})});
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
  Hands h({on(1, Step{}), on(1, Step{.by = 10}, 0)});
  CHECK(h.say(1, 1).front().distance == 50'000'000);
  h.say(1, 0);
  h.say(3, 1);
  const auto asks = h.say(1, 1);
  REQUIRE(asks.size() == 1);
  CHECK(asks[0].distance == 500'000'000);
}

TEST_CASE("A stick that is deflected while the layer changes does nothing there until it has been at neutral") {
  Hands h({on(0, Jog{}), on(0, Jog{.share = -1}, 0)});
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
  Hands h({on(1, Go{.goal = 7}, 0)});
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
    Hands h({on(0, Jog{}), on(1, Go{})});
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
  Hands h({on(1, Stop{}), on(2, Enable{}), on(4, Stop{})});
  CHECK(h.say(1, 1).front().kind == Ask::Kind::stop);
  h.say(ControlId::gap, 1);
  CHECK(h.say(1, 1).front().kind == Ask::Kind::stop);  // first word after a gap: down
  CHECK(h.say(2, 1).empty());                          // an enable that was down already is no press
  CHECK(h.say(2, 0).front().kind == Ask::Kind::release);
  CHECK(h.say(2, 1).front().kind == Ask::Kind::enable);
  CHECK(h.say(4, 90).front().kind == Ask::Kind::stop);
}

TEST_CASE("A trigger that comes back pulled after a gap is no press") {
  Hands h({on(4, Enable{})});
  h.say(ControlId::gap, 1);
  CHECK(h.say(4, 80).empty());
  CHECK(h.say(4, 0).front().kind == Ask::Kind::release);
  CHECK(h.say(4, 80).front().kind == Ask::Kind::enable);
}

TEST_CASE("A trigger as a three-position enable: pressed, squeezed, and not enabled again on the way back") {
  Hands h({on(4, Enable{.squeeze = 0.85})});
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
  Hands h({on(1, Step{}), on(1, Step{.by = 10}, 0), on(1, Step{.by = 100}, 1)},
          {{SlotId{3}, false}, {SlotId{2}, false}});
  const auto stepped = [&] {
    const auto asks = h.say(1, 1);
    h.say(1, 0);
    REQUIRE(asks.size() == 1);
    return asks[0].distance / 50'000'000;
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

TEST_CASE("What a key stood for ends once when nobody knows the key any more") {
  Hands h({on(1, Layer{.layer = LayerId{0}, .to = SwitchTo::momentary}), on(2, Set{.to = SwitchTo::momentary})},
          {{no<SlotId>, false}});
  h.say(1, 1);
  h.say(2, 1);
  CHECK(h.bind.on(LayerId{0}, h.signal));
  const auto asks = h.say(ControlId::gap, 1);
  CHECK_FALSE(h.bind.on(LayerId{0}, h.signal));
  REQUIRE(std::count_if(asks.begin(), asks.end(), [](const Ask& ask) { return ask.kind == Ask::Kind::set; }) == 1);
  // Lost again there is nothing left to end.
  CHECK(h.say(ControlId::gap, 1).empty());
}

TEST_CASE("A long press that nobody saw through to its end does nothing") {
  BindingSetup long_press = on(1, Step{});
  long_press.gesture = Gesture::hold;
  long_press.hold = 600ms;
  Hands h({long_press});
  h.say(1, 1);
  h.now += 100ms;
  h.say(ControlId::gap, 1);
  h.now += 1s;
  CHECK(h.bind.pass(h.now, h.signal).empty());
}
