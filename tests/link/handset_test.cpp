// A handset of one's own parts: the very code of a board on a real wire, and the readings that come of it.
#include "support/folder.hpp"

#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/decoder.hpp>
#include <gyrax/handset/live.hpp>
#include <gyrax/link/stand_in.hpp>
#include <gyrax/testing/hands.hpp>

#include <doctest/doctest.h>
#include <linux/input-event-codes.h>

#include <atomic>
#include <chrono>
#include <map>
#include <string>
#include <thread>
#include <vector>

using namespace gyrax;
using namespace std::chrono_literals;

namespace {

/// A pad with a dial, in hands that press, let go, turn and move for a while.
Track in_hands() {
  Track track;
  track.device.name = "Bench stick (made up)";
  track.device.keys = {BTN_SOUTH, BTN_EAST, BTN_TR};
  track.device.relative = {REL_DIAL};
  track.device.absolute[ABS_X] = {-512, 511, 0, 0, 0};
  track.device.absolute[ABS_HAT0Y] = {-1, 1, 0, 0, 0};
  std::int64_t at = 100'000;
  const auto event = [&](int type, int code, int value) {
    track.events.push_back({at, static_cast<std::uint16_t>(type), static_cast<std::uint16_t>(code), value});
  };
  for (int i = 0; i < 60; ++i) {
    event(EV_ABS, ABS_X, (i * 97) % 1000 - 500);
    event(EV_KEY, i % 3 == 0 ? BTN_SOUTH : BTN_EAST, 1);
    event(EV_REL, REL_DIAL, i % 4 == 0 ? -3 : 2);
    at += 7000;  // faster than its readings come
    event(EV_KEY, i % 3 == 0 ? BTN_SOUTH : BTN_EAST, 0);
    event(EV_ABS, ABS_HAT0Y, i % 3 - 1);
    at += 7000;
  }
  event(EV_ABS, ABS_X, 0);
  event(EV_ABS, ABS_HAT0Y, 0);
  return track;
}

/// Presses of each key, counts of each dial, and where each stick is in the end.
using Sums = std::map<std::string, int>;

Sums sums_of(const Track& track) {
  Sums sums;
  std::vector<Reading> readings;
  EventDecoder decoder(HandsetId{0}, track.device);
  decoder.plugged(Time{}, readings);
  readings.clear();
  for (const InputEvent& event : track.events) {
    decoder.event(event, Time{}, Time{}, readings);
    decoder.event({event.time_us, EV_SYN, SYN_REPORT, 0}, Time{}, Time{}, readings);
  }
  for (const Reading& r : readings) {
    const ControlName& control = all_controls()[index(r.control)];
    int& sum = sums[control.name];
    if (control.kind == ControlKind::centred)
      sum = r.raw;
    else if (control.kind == ControlKind::counts || r.raw == 1)
      sum += r.raw;
  }
  return sums;
}

struct Served {
  explicit Served(const Track& track) : stand_in(track, place) {
    server = std::thread([this] {
      while (!ends) {
        stand_in.run(5ms);
        if (const int now = fault.exchange(-1); now >= 0)
          CHECK(stand_in.take(now == 0 ? "mend" : now == 1 ? "noisy" : now == 2 ? "cut" : "restart").empty());
        over = stand_in.is_over();
      }
    });
  }
  ~Served() {
    ends = true;
    server.join();
  }
  void take_all() {
    for (HandsetItem item; handsets.pop(item);) {
      if (item.kind != HandsetItem::Kind::reading) continue;
      const Reading& r = item.reading;
      CHECK(r.event <= r.arrival);
      CHECK((r.control == ControlId::presence || r.sequence == last + 1));
      last = r.sequence;
      if (r.control == ControlId::presence) present = r.raw != 0;
      gaps += r.control == ControlId::gap ? 1 : 0;
      if (index(r.control) >= all_controls().size()) continue;
      ++readings;
      latest = r;
      const ControlName& control = all_controls()[index(r.control)];
      int& sum = sums[control.name];
      if (control.kind == ControlKind::centred) sum = r.raw;
      if (control.kind == ControlKind::counts) sum += r.raw;
      if (control.kind != ControlKind::key) continue;
      // A press is a change that was seen from up to down.
      const bool was_down = std::exchange(down[control.name], r.raw == 1);
      sum += r.raw == 1 && !was_down ? 1 : 0;
    }
  }
  bool has(const Sums& wanted) {
    for (const auto& [control, sum] : wanted)
      if (sums[control] != sum) return false;
    return true;
  }
  template <class Holds>
  bool until(Holds holds) {
    for (int i = 0; i < 10'000; ++i) {
      take_all();
      if (holds()) return true;
      std::this_thread::sleep_for(2ms);
    }
    return false;
  }

  test::Folder folder;
  WiredPlace place{{.serial = folder / "stick", .tcp = {}, .udp = {}}, 1};
  HandsetStandIn stand_in;
  BootClock clock;
  LiveHandsets handsets{Seats::open({place}), clock};
  Sums sums;
  std::map<std::string, bool> down;
  std::uint32_t last = 0;
  std::uint64_t readings = 0;
  Reading latest{};
  int gaps = 0;
  bool present = false;
  std::atomic<bool> ends{false}, over{false};
  std::atomic<int> fault{-1};
  std::thread server;
};

}  // namespace

TEST_CASE("What a recording's hands do comes off the wire: each press, each count, where each stick is") {
  const Track track = in_hands();
  Served served(track);
  REQUIRE(served.until([&] { return served.over.load(); }));
  const Sums wanted = sums_of(track);
  CHECK(served.until([&] { return served.has(wanted); }));
  for (const auto& one : wanted) {
    CAPTURE(one.first);
    CHECK(served.sums[one.first] == one.second);
  }
  CHECK(wanted.at("face.south") == 20);
  CHECK(wanted.at("dial.1") == 45);
  CHECK(served.gaps == 0);
  const SeenHandset& seen = served.handsets.look().seats.at(0);
  CHECK(seen.device.name == "Bench stick (made up)");
  CHECK(seen.node == served.place.words());
  // It says something a hundred times a second, whether or not it is touched.
  const std::uint64_t before = served.readings;
  CHECK(served.until([&] { return served.readings > before + 100; }));
}

TEST_CASE("Frames that are spoiled lose no press and no count of a handset on a wire") {
  const Track track = in_hands();
  Served served(track);
  REQUIRE(served.until([&] { return served.present; }));
  served.fault = 1;  // one byte in a hundred
  REQUIRE(served.until([&] { return served.over.load(); }));
  served.fault = 0;
  const Sums wanted = sums_of(track);
  // A gap is told where it was away for so long that nobody knows what happened; otherwise all of it is there.
  CHECK(served.until([&] { return served.has(wanted) || served.gaps > 0; }));
}

TEST_CASE("A handset on a wire whose cable is out, or whose power went, is gone; and it comes back by itself") {
  for (const int fault : {2, 3}) {
    CAPTURE(fault);
    Served served(in_hands());
    REQUIRE(served.until([&] { return served.readings > 50; }));
    served.fault = fault;
    CHECK(served.until([&] { return !served.present; }));
    served.fault = 0;
    CHECK(served.until([&] { return served.present; }));
    const std::uint64_t before = served.readings;
    CHECK(served.until([&] { return served.readings > before + 50; }));
  }
}

TEST_CASE("Names on a board that are no controls, and inputs of the wrong kind, are told") {
  const auto told = [](const char* text) { return wired_place(text).has_value(); };
  CHECK(told("serial:/dev/ttyACM0"));
  CHECK(told("serial:/dev/ttyACM0@57600"));
  CHECK(told("tcp:box.local:7325"));
  CHECK(told("udp:[::1]:7325"));
  for (const char* wrong : {"", "serial", "serial:", "serial:/dev/x@1", "serial:/dev/x@", "serial:@9600", "tcp:box",
                            "udp:box:0", "usb:1", "tcp:box:70000"}) {
    CAPTURE(wrong);
    CHECK_FALSE(told(wrong));
  }
}
