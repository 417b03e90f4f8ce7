// The live loop on recorded hands, in real time: what it does does not depend on how fast this machine is.
#include <gyrax/link/link.hpp>
#include <gyrax/link/simulated.hpp>
#include <gyrax/live/runner.hpp>
#include <gyrax/logbook/replay.hpp>
#include <gyrax/testing/hands.hpp>

#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <unistd.h>
#include <algorithm>
#include <filesystem>
#include <thread>

using namespace gyrax;
using namespace std::chrono_literals;

namespace {

/// A second and a half: sticks moved and let go, ready, enabled, and pushed to the right until the end.
Session session() {
  testing::Hands hands(3);
  hands.wait(0.1).push("stick.left.x", 0.3, 0.05).push("stick.left.y", 0.3, 0.05);
  hands.push("stick.left.x", 0, 0.05).push("stick.left.y", 0, 0.05).wait(0.1);
  hands.tap("menu.right").wait(0.05).down("shoulder.right").wait(0.1).push("stick.left.x", 1, 0.05, 3);
  Session made;
  made.title = "hands";
  made.length = 3s;
  made.handsets.push_back({"pad", hands.track(), "", {{Time{}, Time{3s}}}});
  return made;
}

/// jog_and_step for a machine that may be slow: nothing here trips because a tick, a reading or a frame is late.
Rig patient_rig() {
  std::string text = test::jog_and_step;
  const auto after = [&](const std::string& what, const std::string& more) {
    text.insert(text.find(what) + what.size(), more);
  };
  after("[handset.pad]\n", "max_age_ms = 60_000\n");
  after("kind = \"simulated\"\n", "silence_ms = 60_000\nvalid_ms = 60_000\n");
  return test::rig(text + "[tick]\nmax_ms = 1000\n");
}

bool saw(const RunView& view, Event::Kind kind, State state) {
  const std::size_t count = std::min<std::size_t>(view.events_so_far, RunView::kept_events);
  return std::any_of(view.events.begin(), view.events.begin() + static_cast<std::ptrdiff_t>(count),
                     [&](const Event& e) { return e.kind == kind && e.state == state; });
}

}  // namespace

TEST_CASE("Live: ready, enabled, jogging; told to end it comes to rest, then power is off; its logbook replays") {
  const Session hands = session();
  const Rig rig = fit(patient_rig(), hands.devices());
  PlayedHands played(hands, rig);
  SimulatedLinks links(rig);
  const std::string path =
      (std::filesystem::temp_directory_path() / ("gyrax-live-" + std::to_string(::getpid()) + ".jsonl.zst")).string();
  double fastest = 0;
  {
    LogbookWriter log(rig, path);
    const BootClock clock;
    Runner::Options options;
    options.log = &log;
    options.real_time = false;
    Runner runner(rig, played, links, clock, options);
    std::thread engine([&] { runner.run(); });
    for (int i = 0; i < 20'000 && !(fastest > 40); ++i) {
      fastest = std::max(fastest, runner.look().axes[0].command.v);
      std::this_thread::sleep_for(1ms);
    }
    runner.end();
    engine.join();
    const RunView& view = runner.look();
    CHECK(view.ended);
    CHECK(view.axes[0].command.mode == Mode::off);
    CHECK(view.axes[0].command.v == 0);
    CHECK(view.zones[0].state == State::stowed);
    CHECK(view.zones[0].cause == Cause::program_ends);
    CHECK(view.axes[0].command.p < 100);
    CHECK(saw(view, Event::Kind::state, State::live));
    CHECK(view.readings > 20);
    CHECK(view.lateness.ticks + 1 == view.ticks);
    const auto closed = log.close("over");
    CHECK(closed.ticks + closed.lost == view.ticks);
  }
  CHECK(fastest > 40);
  const Replayed again = Replay(path).run({});
  CAPTURE(again.difference);
  CHECK(again.same);
  std::filesystem::remove(path);
}

TEST_CASE("More readings than a tick takes wait for the next; a calibration goes before what follows it") {
  class Flood final : public Hands {
   public:
    explicit Flood(const Rig& rig) {
      HandsetItem item;
      item.kind = HandsetItem::Kind::calibrate;
      item.slot = SlotId{0};
      for (std::size_t s = 0; s < rig.slots.size(); ++s)
        if (rig.slots[s].name == "stick.left.x") item.slot = id_at<SlotId>(s);
      stick = item.slot;
      item.calibration = *Calibration::make(ControlKind::centred, -1000, 0, 1000, false);
      items.push_back(item);
      const auto say = [&](ControlId control, std::int32_t raw) {
        HandsetItem reading;
        reading.reading = {HandsetId{0}, control, static_cast<std::uint32_t>(items.size()), Time{}, Time{}, raw};
        items.push_back(reading);
      };
      say(ControlId::presence, 1);
      for (int i = 0; i < 5000; ++i) say(rig.setup.controls[index(stick)].control, i % 1000);
      say(rig.setup.controls[index(stick)].control, 1000);
    }
    bool next(HandsetItem& item, Time) noexcept override {
      if (at == items.size()) return false;
      item = items[at++];
      return true;
    }
    std::vector<HandsetItem> items;
    std::size_t at = 0;
    SlotId stick = no<SlotId>;
  };
  const Rig rig = patient_rig();
  Flood flood(rig);
  SimulatedLinks links(rig);
  const BootClock clock;
  Runner::Options options;
  options.real_time = false;
  options.max_readings = 100;
  Runner runner(rig, flood, links, clock, options);
  std::thread engine([&] { runner.run(); });
  while (runner.look().readings < 5002) std::this_thread::sleep_for(1ms);
  const RunView view = runner.look();
  runner.end();
  engine.join();
  CHECK(view.ticks >= 51);
  CHECK(view.readings_lost[0] == 0);
  CHECK(view.samples[index(flood.stick)].value == 1);
}

TEST_CASE("A real stop counts while a recording plays, and ends it; a real pad's other keys do nothing") {
  /// A pad that presses what it is told to, at its time.
  class Pad final : public Hands {
   public:
    bool next(HandsetItem& item, Time now) noexcept override {
      if (at == items.size() || items[at].reading.event > now) return false;
      item = items[at++];
      return true;
    }
    void say(ControlId control, std::int32_t raw, Time when) {
      HandsetItem item;
      item.reading = {HandsetId{0}, control, static_cast<std::uint32_t>(items.size()), when, when, raw};
      items.push_back(item);
    }
    std::vector<HandsetItem> items;
    std::size_t at = 0;
  };
  const Session recorded = session();
  const Rig rig = fit(test::rig(test::jog_and_step), recorded.devices());
  for (const bool stops : {false, true}) {
    CAPTURE(stops);
    Pad pad;
    pad.say(ControlId::presence, 1, Time{});
    pad.say(find_control("hat.right")->id, 1, Time{1100ms});
    pad.say(find_control(stops ? "face.east" : "face.west")->id, 1, Time{1300ms});
    SupervisedHands hands(recorded, rig, pad);
    Engine engine(rig.setup);
    TickBuffers out(rig.setup);
    SimulatedLinks links(rig);
    std::vector<Reading> readings;
    bool told = false, lived = false;
    for (Time now{}; now < Time{2s}; now += 2ms) {
      readings.clear();
      for (HandsetItem item; hands.next(item, now);) {
        REQUIRE(item.kind == HandsetItem::Kind::reading);
        readings.push_back(item.reading);
      }
      engine.tick({now, readings, links.reports(now)}, out.view());
      links.send(out.frames);
      for (Event event; out.events.read(event);)
        told = told ||
               (event.kind == Event::Kind::state && event.cause == Cause::stop_key && event.state == State::stopping);
      lived = lived || engine.permit(ZoneId{0}).live();
    }
    CHECK(lived);
    CHECK(told == stops);
    CHECK(hands.stopped() == stops);
    CHECK(engine.permit(ZoneId{0}).live() == !stops);
    if (stops) CHECK(out.commands[0].v == 0);
    if (!stops) CHECK(out.commands[0].v > 10);
  }
}

TEST_CASE("Several sources at once: their items come in the order in which they arrived, and signs reach all of them") {
  class Source final : public Hands {
   public:
    Source(std::uint16_t handset, std::vector<int> at_ms) : handset_(HandsetId{handset}), at_ms_(std::move(at_ms)) {}
    bool next(HandsetItem& item, Time now) noexcept override {
      if (told_ == at_ms_.size() || Time{1ms * at_ms_[told_]} > now) return false;
      const Time at{1ms * at_ms_[told_++]};
      item = {};
      item.reading = {handset_, ControlId{0}, static_cast<std::uint32_t>(told_), at, at, 1};
      return true;
    }
    void sign(HandsetId, Sign) noexcept override { ++signs; }
    int signs = 0;

   private:
    HandsetId handset_;
    std::vector<int> at_ms_;
    std::size_t told_ = 0;
  };
  Source first(0, {1, 4, 5, 90}), second(1, {2, 3, 6, 7}), none(2, {});
  SeveralHands hands({&first, &second, &none});
  std::string order;
  for (HandsetItem item; hands.next(item, Time{50ms});) order += index(item.reading.handset) == 0 ? 'a' : 'b';
  CHECK(order == "abbaabb");
  HandsetItem item;
  CHECK_FALSE(hands.next(item, Time{50ms}));
  REQUIRE(hands.next(item, Time{90ms}));
  CHECK(item.reading.arrival == Time{90ms});
  CHECK(hands.wake_descriptor() >= 0);
  hands.sign(HandsetId{0}, Sign::blocked);
  CHECK(first.signs + second.signs + none.signs == 3);
}

TEST_CASE("Links are made by their kind, and stand side by side") {
  const Rig rig = test::rig(test::jog_and_step);
  REQUIRE(rig.links.size() == 1);
  CHECK(rig.links[0].kind == "simulated");
  RigLinks made(rig);
  SimulatedLinks simulated(rig);
  for (Time now{}; now < Time{100ms}; now += 2ms) {
    const auto one = made.reports(now), other = simulated.reports(now);
    REQUIRE(one.size() == other.size());
    for (std::size_t i = 0; i < one.size(); ++i) REQUIRE(one[i].sequence == other[i].sequence);
  }
  std::vector<std::unique_ptr<Link>> own;
  own.push_back(std::make_unique<SimulatedLink>(rig, LinkId{0}));
  RigLinks given(std::move(own));
  CHECK(given.reports(Time{10ms}).size() == SimulatedLinks(rig).reports(Time{10ms}).size());
  Rig strange = rig;
  strange.links[0].kind = "pigeon";
  CHECK_THROWS_AS(RigLinks{strange}, std::runtime_error);
}

TEST_CASE("A reading that arrives while a tick begins is no reading from the future") {
  class Late final : public Hands {
   public:
    explicit Late(const BootClock& clock, ControlId stick) : clock_(clock), stick_(stick) {}
    bool next(HandsetItem& item, Time) noexcept override {
      asked_ = !asked_;
      if (!asked_ || sequence_ == 200) return false;  // one a tick, stamped as it is taken
      const Time now = clock_.now();
      item.reading = {HandsetId{0},  sequence_ == 0 ? ControlId::presence : stick_,
                      sequence_ + 1, now,
                      now,           sequence_ == 0 ? 1 : 5000};
      ++sequence_;
      return true;
    }

   private:
    BootClock clock_;
    ControlId stick_;
    std::uint32_t sequence_ = 0;
    bool asked_ = false;
  };
  const Rig rig = patient_rig();
  std::size_t stick = 0;
  while (rig.slots[stick].name != "stick.left.x") ++stick;
  const BootClock clock;
  Late hands(clock, rig.setup.controls[stick].control);
  SimulatedLinks links(rig);
  Runner::Options options;
  options.real_time = false;
  Runner runner(rig, hands, links, clock, options);
  std::thread engine([&] { runner.run(); });
  while (runner.look().readings < 200) std::this_thread::sleep_for(1ms);
  runner.end();
  engine.join();
  CHECK(runner.look().handsets[0] == HandsetHealth::present);
  CHECK(runner.look().samples[stick].known);
  CHECK(runner.look().readings_lost[0] == 0);
}
