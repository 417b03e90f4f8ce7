// Gestures against a model that knows the whole future: it looks at a finished list of presses and releases.
#include <gyrax/bind/gesture.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <vector>

using namespace gyrax;
using namespace std::chrono_literals;

namespace {

struct Told {
  Gesture gesture;
  std::int64_t at_ms;
  bool over;
  bool operator==(const Told&) const = default;
};
struct Press {
  std::int64_t down_ms, up_ms;
};

/// By the words of the documentation, press by press.
std::vector<Told> model(const std::vector<Press>& presses, const Rivals& rivals) {
  constexpr std::int64_t tap = 250, gap = 250, chord = 80;
  const std::int64_t hold = rivals.hold.count() / 1'000'000;
  std::vector<Told> told;
  for (std::size_t i = 0; i < presses.size(); ++i) {
    const auto& [down, up] = presses[i];
    const bool is_tap = up - down <= tap;
    const auto say = [&](Gesture g, std::int64_t at, bool over) { told.push_back({g, at, over}); };
    if (!rivals.any()) {
      say(Gesture::press, down, false);
    } else if (hold > 0 && up - down >= hold) {
      say(Gesture::hold, down + hold, false);
    } else if (is_tap && rivals.double_tap) {
      const bool again = i + 1 < presses.size() && presses[i + 1].down_ms <= up + gap;
      say(Gesture::release, up, true);
      if (again) {
        ++i;
        say(Gesture::double_tap, presses[i].down_ms, false);
        say(Gesture::release, presses[i].up_ms, true);
      } else {
        say(rivals.tap ? Gesture::tap : Gesture::press, up + gap, true);
      }
      continue;
    } else if (hold == 0 && (rivals.tap || rivals.double_tap ? !is_tap : up - down > chord)) {
      say(Gesture::press, down + (rivals.tap || rivals.double_tap ? tap : chord), false);
    } else {
      say(is_tap && rivals.tap ? Gesture::tap : Gesture::press, up, true);
    }
    say(Gesture::release, up, true);
  }
  return told;
}

std::vector<Told> real(const std::vector<Press>& presses, const Rivals& rivals, test::Random& random) {
  Gestures gestures(2, {});
  const SlotId key{1};
  std::vector<Told> told;
  const auto take = [&](std::span<const Gestures::Outcome> outcomes) {
    for (const auto& o : outcomes) told.push_back({o.gesture, o.at.time_since_epoch().count() / 1'000'000, o.over});
  };
  const auto at = [](std::int64_t ms) { return Time{std::chrono::milliseconds(ms)}; };
  std::int64_t now = 0;
  // Ticks come whenever they do; the stamps alone count.
  const auto pass_to = [&](std::int64_t until) {
    while (now < until) {
      now = std::min(until, now + 1 + static_cast<std::int64_t>(random.in(0, 120)));
      take(gestures.pass(at(now)));
    }
  };
  for (const auto& [down, up] : presses) {
    pass_to(down);
    take(gestures.press(key, at(down), rivals));
    pass_to(up);
    take(gestures.release(key, at(up)));
  }
  pass_to(now + 5000);
  return told;
}

}  // namespace

TEST_CASE("Gestures are what a model says that sees the whole, under any timing and with any rivals") {
  test::Random random;
  for (int i = 0; i < 20'000; ++i) {
    Rivals rivals{random.in(0, 1) < 0.5, random.in(0, 1) < 0.5, random.in(0, 1) < 0.3, {}};
    if (random.in(0, 1) < 0.5) rivals.hold = std::chrono::milliseconds(300 + static_cast<int>(random.in(0, 700)));
    std::vector<Press> presses;
    std::int64_t t = 100;
    const auto some = [&] {
      // Often exactly on a bound.
      const double kind = random.in(0, 1);
      return kind < 0.1    ? 250
             : kind < 0.15 ? 80
             : kind < 0.25 ? rivals.hold.count() / 1'000'000 + 1
                           : 1 + static_cast<std::int64_t>(random.in(0, 900));
    };
    for (int p = 0; p < 6; ++p) {
      const std::int64_t down = t, up = down + some();
      presses.push_back({down, up});
      t = up + some();
    }
    auto wanted = model(presses, rivals), is = real(presses, rivals, random);
    // A tap that waits for a second one is told late; by its time it belongs before what came after.
    const auto earlier = [](const Told& a, const Told& b) { return a.at_ms < b.at_ms; };
    std::stable_sort(wanted.begin(), wanted.end(), earlier);
    std::stable_sort(is.begin(), is.end(), earlier);
    REQUIRE((is == wanted));
    // However it turned out, no press waited longer than it says.
    for (const Told& told : is)
      if (told.gesture == Gesture::press) {
        const auto began =
            std::find_if(presses.rbegin(), presses.rend(), [&](const Press& p) { return p.down_ms <= told.at_ms; });
        REQUIRE(std::chrono::milliseconds(told.at_ms - began->down_ms) <= rival_delay(rivals, {}));
      }
  }
}

TEST_CASE("A plain press is told in the same moment; beside rivals the delay is stated") {
  Gestures gestures(1, {});
  const auto told = gestures.press(SlotId{0}, Time{5ms}, {});
  REQUIRE(told.size() == 1);
  CHECK(told[0].at == Time{5ms});
  CHECK(rival_delay({}, {}) == 0ms);
  CHECK(rival_delay({.tap = true}, {}) == 250ms);
  CHECK(rival_delay({.double_tap = true}, {}) == 500ms);
  CHECK(rival_delay({.chord = true}, {}) == 80ms);
  CHECK(rival_delay({.double_tap = true, .hold = 800ms}, {}) == 800ms);
}

TEST_CASE("A long hold shows how far it is") {
  Gestures gestures(1, {});
  gestures.press(SlotId{0}, Time{1s}, {.hold = 2s});
  CHECK(gestures.hold_share(SlotId{0}, Time{1s}) == 0);
  CHECK(gestures.hold_share(SlotId{0}, Time{1500ms}) == 0.25);
  CHECK(gestures.pass(Time{2999ms}).empty());
  CHECK(gestures.pass(Time{3s}).size() == 1);
  CHECK(gestures.hold_share(SlotId{0}, Time{3s}) == 0);
}

TEST_CASE("What time decides for several keys comes in the order of time") {
  Gestures gestures(3, {});
  gestures.press(SlotId{0}, Time{1s}, {.hold = 2s});
  gestures.press(SlotId{1}, Time{1100ms}, {.hold = 500ms});
  gestures.press(SlotId{2}, Time{1200ms}, {.hold = 1s});
  const auto told = gestures.pass(Time{5s});
  REQUIRE(told.size() == 3);
  CHECK(told[0].slot == SlotId{1});
  CHECK(told[1].slot == SlotId{2});
  CHECK(told[2].slot == SlotId{0});
}
