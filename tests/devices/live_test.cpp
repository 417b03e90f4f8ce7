// Handsets through a real libevdev and a real libudev, with umockdev for the kernel: listing, reading at 1 kHz, drops,
// unplugging at full speed, coming back, nodes that are announced twice or vanish.
#include "mock_device.hpp"

#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/live.hpp>
#include <gyrax/handset/plugged.hpp>
#include <gyrax/handset/reading_thread.hpp>
#include <gyrax/link/simulated.hpp>
#include <gyrax/live/runner.hpp>
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/hands.hpp>

#include "support/json_paths.hpp"
#include "support/rigs.hpp"

#include <doctest/doctest.h>
#include <fmt/format.h>
#include <linux/input.h>

#include <algorithm>
#include <functional>
#include <map>
#include <thread>

using namespace gyrax;
using test::MockDevice;
using test::Testbed;

namespace {

void pause(int ms) { std::this_thread::sleep_for(std::chrono::milliseconds(ms)); }

Device pad(const std::string& unique = "", const std::string& port = "usb-0000:00:14.0-1/input0") {
  Device made = testing::Hands(1).track().device;
  made.unique = unique;
  made.port = port;
  made.other[EV_FF] = {FF_RUMBLE};
  made.other[EV_LED] = {LED_MISC};
  return made;
}

/// The engine's side of the queue: everything that came, and what each control says last.
struct Taken {
  LiveHandsets& from;
  std::vector<HandsetItem> items;
  std::map<std::pair<int, std::string>, int> last{};
  std::map<int, std::uint32_t> sequence{};
  std::uint64_t lost = 0, readings = 0;

  void drain() {
    for (HandsetItem item; from.pop(item);) take(item);
  }
  void take(const HandsetItem& item) {
    items.push_back(item);
    if (item.kind != HandsetItem::Kind::reading) return;
    const Reading& r = item.reading;
    const int seat = static_cast<int>(index(r.handset));
    if (r.control == ControlId::presence) {
      last[{seat, "presence"}] = r.raw;
      if (r.raw == 1) sequence[seat] = r.sequence - 1;
    } else if (r.control == ControlId::gap) {
      ++last[{seat, "gaps"}];
      lost += static_cast<std::uint64_t>(r.raw);
    } else {
      ++readings;
      last[{seat, control_name(r.control)}] = r.raw;
    }
    lost += r.sequence - sequence[seat] - 1;
    sequence[seat] = r.sequence;
    CHECK(r.event <= r.arrival);
  }
  /// Waits until it holds, at most some seconds of a busy machine.
  bool until(const std::function<bool()>& holds) {
    for (int i = 0; i < 10'000; ++i) {
      drain();
      if (holds()) return true;
      pause(1);
    }
    return false;
  }
  bool says(int seat, const std::string& what, int value) {
    return until([&] {
      const auto at = last.find({seat, what});
      return at != last.end() && at->second == value;
    });
  }
};

struct Bench {
  Testbed bed;
  BootClock clock;
};

/// A bench with one pad, plugged in, without a rig.
struct OnePad {
  OnePad() { mock.plug(); }
  Bench b;
  LiveHandsets handsets{Seats::open(), b.clock};
  Taken taken{handsets, {}};
  MockDevice mock{b.bed, 5, pad()};
};

}  // namespace

TEST_CASE("umockdev stands in for the kernel") {
  const Testbed bed;
  REQUIRE(Testbed::there());
}

TEST_CASE("A pad's keys, sticks and hat come as they were sent, with their times, at 1 kHz, none lost") {
  OnePad p;
  Taken& taken = p.taken;
  MockDevice& mock = p.mock;
  REQUIRE(taken.says(0, "presence", 1));
  mock.key(BTN_SOUTH, 1);
  mock.key(BTN_SOUTH, 2);  // key repeat is no press
  mock.move(ABS_HAT0X, -1);
  REQUIRE(taken.says(0, "hat.left", 1));
  CHECK(taken.last[{0, "face.south"}] == 1);
  mock.move(ABS_HAT0X, 1);
  REQUIRE(taken.says(0, "hat.right", 1));
  CHECK(taken.last[{0, "hat.left"}] == 0);
  CHECK(taken.last.count({0, "stick.left.x"}) == 0);  // a placeholder is no reading

  const std::size_t before = taken.items.size();
  constexpr int sent = 2000;
  for (int i = 0; i < sent; ++i) {
    mock.move(ABS_X, i * 10 - 10'000);
    std::this_thread::sleep_for(std::chrono::microseconds(900));
    taken.drain();
  }
  REQUIRE(taken.says(0, "stick.left.x", (sent - 1) * 10 - 10'000));
  CHECK(taken.items.size() == before + sent);
  CHECK(taken.lost == 0);
  for (std::size_t i = before + 1; i < taken.items.size(); ++i)
    CHECK(taken.items[i].reading.event >= taken.items[i - 1].reading.event);
}

TEST_CASE("A drop is a gap, and then the whole state is told: what was released meanwhile, and no placeholder") {
  Bench b;
  LiveHandsets handsets(Seats::open(), b.clock);
  Taken taken{handsets, {}};
  MockDevice mock(b.bed, 5, pad());
  mock.hold(BTN_TL, true);
  mock.plug();
  REQUIRE(taken.says(0, "presence", 1));
  REQUIRE(taken.says(0, "shoulder.left", 1));  // held while it was plugged in: told so, not as up
  mock.key(BTN_SOUTH, 1);
  mock.move(ABS_X, 700);
  REQUIRE(taken.says(0, "stick.left.x", 700));
  mock.hold(BTN_SOUTH, false);
  mock.rest_at(ABS_X, 77);
  mock.drop();
  REQUIRE(taken.says(0, "gaps", 1));
  REQUIRE(taken.says(0, "stick.left.x", 77));
  CHECK(taken.last[{0, "face.south"}] == 0);
  CHECK(taken.last[{0, "hat.left"}] == 0);
  CHECK(taken.last.count({0, "stick.right.x"}) == 0);
}

TEST_CASE("A flood from one pad is taken in turns: another pad's key comes with the first of them") {
  Bench b;
  LiveHandsets handsets(Seats::open(), b.clock);
  Taken taken{handsets, {}};
  MockDevice left(b.bed, 5, pad("A1")), right(b.bed, 6, pad("B2", "usb-0000:00:14.0-2/input0"));
  left.plug();
  REQUIRE(taken.says(0, "presence", 1));
  right.plug();
  REQUIRE(taken.says(1, "presence", 1));
  constexpr int sent = 4000;
  std::thread flood([&] {
    for (int i = 1; i <= sent; ++i) left.move(ABS_X, i);
  });
  pause(20);  // as many wait as the made-up device keeps
  right.key(BTN_EAST, 1);
  std::size_t turns = 0, most = 0;
  for (bool pressed = false; !pressed && turns < 100; ++turns) {
    pause(1);
    const std::size_t before = taken.items.size();
    taken.drain();
    most = std::max(most, taken.items.size() - before);
    pressed = taken.last[{1, "face.east"}] == 1;
  }
  CHECK(turns < 10);
  CHECK(most <= 256);
  REQUIRE(taken.says(0, "stick.left.x", sent));
  flood.join();
  CHECK(taken.lost == 0);
}

TEST_CASE(
    "A thread that reads for a program: nothing is dropped while the program is busy; what does not fit is counted") {
  Bench b;
  LiveHandsets handsets(Seats::open(), b.clock);
  ReadingThread reading(handsets, 64);
  MockDevice mock(b.bed, 5, pad());
  mock.plug();
  const auto drain = [&] {
    std::vector<HandsetItem> items;
    for (HandsetItem item; reading.pop(item);) items.push_back(item);
    return items;
  };
  const auto waits_for = [&](auto holds) {
    for (int i = 0; i < 10'000; ++i, pause(1))
      if (holds()) return true;
    return false;
  };
  const auto shows = [&](int value) {
    return waits_for([&] {
      const SeenHandsets& seen = handsets.look();
      for (const SeenHandset& seat : seen.seats)
        for (const SeenControl& one : seat.controls)
          if (seat.present && control_name(one.control) == "stick.left.x") return one.known && one.raw == value;
      return false;
    });
  };
  REQUIRE(waits_for([&] { return !handsets.look().seats.empty() && handsets.look().seats[0].present; }));
  REQUIRE(waits_for([&] { return !drain().empty(); }));
  for (int i = 1; i <= 50; ++i) mock.move(ABS_X, i);
  REQUIRE(shows(50));
  CHECK(handsets.look().seats[0].drops == 0);
  CHECK(reading.lost() == 0);
  std::int32_t taken = 0;
  CHECK(waits_for([&] {
    for (const HandsetItem& item : drain()) taken = item.reading.raw;
    return taken == 50;
  }));
  for (int i = 1; i <= 400; ++i) mock.move(ABS_X, i);
  REQUIRE(shows(400));
  CHECK(handsets.look().seats[0].drops == 0);
  CHECK(waits_for([&] { return reading.lost() == 400 - 64; }));
  const auto rest = drain();
  REQUIRE(rest.size() == 64);
  CHECK(rest.front().reading.raw == 1);
}

TEST_CASE("Unplugged at full speed and announced twice: gone once; back in its own place") {
  Bench b;
  LiveHandsets handsets(Seats::open(), b.clock);
  Taken taken{handsets, {}};
  MockDevice left(b.bed, 5, pad("A1")), right(b.bed, 6, pad("B2", "usb-0000:00:14.0-2/input0"));
  left.plug(3);
  REQUIRE(taken.says(0, "presence", 1));
  right.plug();
  REQUIRE(taken.says(1, "presence", 1));
  for (int i = 0; i < 200; ++i) {
    left.move(ABS_X, i);
    std::this_thread::sleep_for(std::chrono::microseconds(200));
    taken.drain();
  }
  left.unplug();
  REQUIRE(taken.says(0, "presence", 0));
  right.unplug();
  REQUIRE(taken.says(1, "presence", 0));
  const auto presences = std::count_if(taken.items.begin(), taken.items.end(), [](const HandsetItem& item) {
    return item.kind == HandsetItem::Kind::reading && item.reading.control == ControlId::presence;
  });
  CHECK(presences == 4);
  right.plug();
  REQUIRE(taken.says(1, "presence", 1));
  CHECK(taken.last[{0, "presence"}] == 0);
  left.plug();
  REQUIRE(taken.says(0, "presence", 1));
  // Gone without a word of it.
  left.vanish();
  REQUIRE(taken.says(0, "presence", 0));
  left.plug();
  REQUIRE(taken.says(0, "presence", 1));
}

TEST_CASE("A keypad is taken from the others while it is wanted, once no key is down, and given back") {
  Bench b;
  Device keypad;
  keypad.name = "Bench keypad (made up)";
  keypad.vendor = 0x1209;
  keypad.product = 2;
  keypad.keys = {KEY_KP1, KEY_KP2, KEY_KPENTER};
  LiveHandsets handsets(Seats::open(), b.clock);
  Taken taken{handsets, {}};
  MockDevice mock(b.bed, 7, keypad);
  mock.plug();
  REQUIRE(taken.says(0, "presence", 1));
  mock.key(KEY_KPENTER, 1);
  REQUIRE(taken.says(0, "key.kp_enter", 1));
  handsets.grab_keypads(true);
  pause(80);
  CHECK(mock.driver().grabs == 0);
  mock.key(KEY_KPENTER, 0);
  REQUIRE(taken.until([&] { return mock.driver().grabs == 1; }));
  REQUIRE(taken.until([&] { return handsets.look().seats.at(0).grabbed; }));
  handsets.grab_keypads(false);
  REQUIRE(taken.until([&] { return mock.driver().ungrabs == 1; }));
}

TEST_CASE("A sign shakes the pad and blinks its light") {
  OnePad p;
  LiveHandsets& handsets = p.handsets;
  Taken& taken = p.taken;
  MockDevice& mock = p.mock;
  REQUIRE(taken.says(0, "presence", 1));
  handsets.sign(HandsetId{0}, Sign::tripped);
  REQUIRE(taken.until(
      [&] { return mock.driver().effects == 1 && mock.driver().writes >= 3; }));  // played; light on; light off
}

TEST_CASE("A line in the rig turns the signs off") {
  Bench b;
  SeatWish quiet;
  quiet.signs = false;
  LiveHandsets handsets(Seats({quiet}), b.clock);
  Taken taken{handsets, {}};
  MockDevice mock(b.bed, 5, pad());
  mock.plug();
  REQUIRE(taken.says(0, "presence", 1));
  handsets.sign(HandsetId{0}, Sign::tripped);
  mock.key(BTN_SOUTH, 1);
  REQUIRE(taken.says(0, "face.south", 1));
  pause(50);
  CHECK(mock.driver().effects == 0);
  CHECK(mock.driver().writes == 0);
}

TEST_CASE("A node that cannot be opened any more when it is heard of is no handset, and nothing else suffers") {
  Bench b;
  LiveHandsets handsets(Seats::open(), b.clock);
  Taken taken{handsets, {}};
  MockDevice dead(b.bed, 5, pad("A1")), good(b.bed, 6, pad("B2"));
  dead.plug_dead();
  good.plug();
  REQUIRE(taken.says(0, "presence", 1));
  CHECK(handsets.look().seats.size() <= 1);
  CHECK(taken.last.count({1, "presence"}) == 0);
}

TEST_CASE(
    "Unplugged at full speed: a controlled stop from there, its times told; plugged in again nothing moves by itself") {
  Bench b;
  std::string text = test::jog_and_step;
  text.insert(text.find("[handset.pad]\n") + 14, "max_age_ms = 5000\n");
  text.insert(text.find("kind = \"simulated\"\n") + 19, "silence_ms = 5000\nvalid_ms = 5000\n");
  // A tick that a busy machine is late with moves the axis a long way at once.
  text.insert(text.find("[axis.x]\n") + 9, "following_error = 1000\n");
  const Rig rig = test::rig(text + "[tick]\nmax_ms = 1000\n");
  LiveHandsets handsets(Seats(rig.seats), b.clock);
  DeviceHands hands(handsets);
  SimulatedLinks links(rig);
  Runner::Options options;
  options.real_time = false;
  Runner runner(rig, hands, links, b.clock, options);
  std::thread engine([&] { runner.run(); });
  const auto until = [&](auto holds) {
    for (int i = 0; i < 20'000; ++i, pause(1))
      if (holds(runner.look())) return true;
    return false;
  };
  const auto told = [&] {
    std::string all;
    const RunView view = runner.look();
    for (std::uint64_t i = 0; i < view.events_so_far; ++i)
      all += fmt::format("{:.3f} s {}\n", to_seconds(view.events[i].at), say(rig, view.events[i]));
    return all;
  };
  const auto is = [&](State state) { return until([&](const RunView& v) { return v.zones[0].state == state; }); };
  MockDevice mock(b.bed, 5, pad());
  mock.plug();
  CHECK(until([](const RunView& v) { return v.handsets[0] == HandsetHealth::present; }));
  for (const int value : {9000, 0}) {
    mock.move(ABS_X, value);
    mock.move(ABS_Y, value);
  }
  mock.key(BTN_START, 1);
  CHECK_MESSAGE(is(State::ready), told());
  mock.key(BTN_TR, 1);
  CHECK_MESSAGE(is(State::live), told());
  mock.move(ABS_X, 29500);
  CHECK(until([](const RunView& v) { return v.axes[0].command.v == 50; }));
  const Time unplugged = b.clock.now();
  const double before = runner.look().axes[0].command.p;
  mock.unplug();
  CHECK(is(State::tripped));
  const RunView view = runner.look();
  CHECK(view.axes[0].command.v == 0);
  CHECK(view.zones[0].cause == Cause::handset_gone);
  Time noticed{}, tripped{};
  for (std::uint64_t i = 0; i < view.events_so_far; ++i) {
    const Event& e = view.events[i];
    if (e.kind == Event::Kind::state && e.state == State::stopping) noticed = e.at;
    if (e.kind == Event::Kind::state && e.state == State::tripped) tripped = e.at;
  }
  MESSAGE(fmt::format("unplugged at 50 mm/s: noticed after {:.1f} ms, commanded speed zero after {:.1f} ms",
                      to_seconds(noticed - unplugged) * 1e3, to_seconds(tripped - unplugged) * 1e3));
  CHECK(noticed >= unplugged);
  CHECK(tripped >= noticed);
  // However long the ticks were: 50 mm/s with 400 mm/s² takes v²/2a at least.
  CHECK(view.axes[0].command.p - before >= 50.0 * 50.0 / 800.0);
  mock.plug();
  CHECK(until([](const RunView& v) { return v.handsets[0] == HandsetHealth::present; }));
  mock.key(BTN_TR, 1);
  mock.move(ABS_X, 29500);
  pause(100);
  CHECK(runner.look().axes[0].command.v == 0);
  CHECK(runner.look().zones[0].state == State::tripped);
  runner.end();
  engine.join();
}

TEST_CASE("A recording holds what the devices sent, and can be rehearsed from") {
  OnePad p;
  LiveHandsets& handsets = p.handsets;
  Taken& taken = p.taken;
  MockDevice& mock = p.mock;
  REQUIRE(taken.says(0, "presence", 1));
  mock.move(ABS_X, 111);
  REQUIRE(taken.says(0, "stick.left.x", 111));
  handsets.start_recording();
  REQUIRE(taken.until([&] { return handsets.look().recording; }));
  mock.move(ABS_Y, -222);
  REQUIRE(taken.says(0, "stick.left.y", -222));
  mock.unplug();
  REQUIRE(taken.says(0, "presence", 0));
  const auto [recorded, length] = handsets.stop_recording();
  REQUIRE(recorded.size() == 1);
  CHECK(recorded[0].name == "pad");
  REQUIRE(recorded[0].plugged.size() == 1);
  CHECK(recorded[0].plugged[0].first == Time{});
  CHECK(recorded[0].plugged[0].second < Time{length});
  const auto& events = recorded[0].track.events;
  REQUIRE(events.size() == 4);  // where x was, its report; y, its report
  CHECK(events[0].value == 111);
  CHECK(events[2].value == -222);
}

TEST_CASE(
    "What is plugged in: grouped by product, with what each node can do, and what to do where it cannot be read") {
  Bench b;
  Device tilt;
  tilt.name = "Bench pad (made up) tilt";
  tilt.vendor = 0x1209;
  tilt.product = 1;
  tilt.properties = {INPUT_PROP_ACCELEROMETER};
  tilt.absolute = {{ABS_X, {}}, {ABS_Y, {}}, {ABS_Z, {}}};
  MockDevice mock(b.bed, 5, pad("A1"), "1-1"), second(b.bed, 6, tilt, "1-1");
  CHECK(plugged_products().empty());
  CHECK(plugged_text({}).find("No gamepad, joystick or dial is plugged in") != std::string::npos);
  mock.plug();
  second.plug();
  b.bed.add(
      "P: /devices/pci0000:00/0000:00:14.0/usb1/1-1/1-1:1.5/power_supply/pad_battery\nE: SUBSYSTEM=power_supply\nA: "
      "capacity=80\\n\nA: "
      "status=Discharging\\n\n");
  auto products = plugged_products();
  REQUIRE(products.size() == 1);
  REQUIRE(products[0].nodes.size() == 2);
  CHECK(products[0].kind == DeviceKind::gamepad);
  const std::string text = plugged_text(products);
  CAPTURE(text);
  CHECK(text.find("/dev/input/event5    gamepad: 2 sticks, 2 triggers, a hat, 11 keys; rumble, a light") !=
        std::string::npos);
  CHECK(text.find("tilt sensor: 3 axes") != std::string::npos);
  CHECK(text.find("battery 80 % (Discharging)") != std::string::npos);
  CHECK(text.find("device = { id = \"1209:0001\", name = \"Bench pad (made up)\" }") != std::string::npos);
  products[0].nodes[0].readable = false;
  products[0].nodes[0].trouble = "it belongs to root";
  CHECK(plugged_text(products).find("NOT READABLE: it belongs to root") != std::string::npos);
  test::JsonPaths seen;
  test::add_paths(nlohmann::json::parse(plugged_json(products)), "", seen);
  const test::JsonPaths rows = test::documented(read_text("docs/json.md", 1 << 20).text, "handsets");
  for (const auto& field : seen) {
    CAPTURE(field.first);
    CHECK(!test::row_of(rows, field.first).empty());
  }
  CHECK(seen.size() + 1 >= rows.size());  // but for the battery that is not there
}
