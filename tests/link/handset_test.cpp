// A handset of one's own parts: the very code of a board on a real wire, and the readings that come of it.
#include "support/folder.hpp"
#include "support/random.hpp"

#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/decoder.hpp>
#include <gyrax/handset/live.hpp>
#include <gyrax/link/stand_in.hpp>
#include <gyrax/testing/hands.hpp>
#include <gyrax/wire/board.hpp>
#include <gyrax/wire/served_port.hpp>

#include <doctest/doctest.h>
#include <linux/input-event-codes.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <chrono>
#include <map>
#include <optional>
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
    REQUIRE(stand_in.take("pause").empty());
    server = std::thread([this] {
      while (!ends) {
        stand_in.run(5ms);
        if (plays) CHECK(stand_in.take("play").empty());
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
      if (r.control == ControlId::presence) {
        absences += present && r.raw == 0 ? 1 : 0;
        present = r.raw != 0;
      }
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
  int gaps = 0, absences = 0;
  bool present = false;
  std::atomic<bool> ends{false}, over{false}, plays{false};
  std::atomic<int> fault{-1};
  std::thread server;
};

/// A board that a test plays itself, over UDP: it answers greetings and questions, and says the readings it is told to.
struct Played {
  struct Input {
    const char* name;
    wire::ChannelKind kind;
  };
  Played(int port, std::vector<Input> has)
      : inputs(std::move(has)), place{{.serial = {}, .tcp = {}, .udp = "127.0.0.1:" + std::to_string(port)}, 1} {}

  void send(wire::Kind kind, const wire::Writer& out) {
    std::array<std::uint8_t, wire::max_frame> bytes;
    const std::size_t size = wire::pack({kind, 1, ++sequence, session, out.payload()}, bytes);
    served.write(std::span(bytes).first(size));
  }
  void serve() {
    std::array<std::uint8_t, 512> room;
    for (const std::uint8_t byte : served.read(room)) {
      if (!in.take(byte)) continue;
      const wire::Frame& frame = in.frame();
      wire::Reader payload{frame.payload};
      wire::Writer out;
      heard = frame.sequence;
      heard_at = clock_us();
      if (frame.kind == wire::Kind::greet) {
        session = std::uint32_t{payload.u16()} << 16 | 7;
        out.u16(static_cast<std::uint16_t>(session >> 16));
        out.u32(clock_us());
        out.u8(128);
        out.u8(static_cast<std::uint8_t>(inputs.size()));
        out.text("played");
        send(wire::Kind::welcome, out);
      } else if (frame.kind == wire::Kind::ask) {
        const std::uint8_t n = payload.u8();
        out.u32(clock_us());
        out.u8(n);
        out.u8(static_cast<std::uint8_t>(inputs[n].kind));
        out.u8(0);
        for (const std::int32_t number : {0, 0, 1023 * 256, 0, 0}) out.i32(number);  // position, ends, speed, accel
        out.u8(0);
        out.i32(0);
        out.u32(0);
        out.text(inputs[n].name);
        send(wire::Kind::channel, out);
      } else if (frame.kind == wire::Kind::more) {
        asked = true;
      }
    }
  }
  /// `values`: by channel; nullopt: not valid.
  void say(std::uint16_t number, const std::vector<std::optional<int>>& values, std::uint8_t changes,
           std::uint32_t age_us = 0) {
    wire::Writer out;
    out.u32(clock_us() - age_us);
    out.u16(heard);
    out.u32(heard_at);
    out.u16(number);
    out.u16(0);
    out.u8(0);
    out.u8(static_cast<std::uint8_t>(values.size()));
    for (const auto& value : values) {
      out.u8(static_cast<std::uint8_t>(changes << 1 | (value ? 1 : 0)));
      out.i32(value.value_or(0) * 256);
    }
    send(wire::Kind::readings, out);
  }
  template <class Holds>
  bool until(Holds holds) {
    for (int i = 0; i < 10'000; ++i) {
      serve();
      for (HandsetItem item; handsets.pop(item);)
        if (item.kind == HandsetItem::Kind::reading) readings.push_back(item.reading);
      if (holds()) return true;
      std::this_thread::sleep_for(1ms);
    }
    return false;
  }
  int count(const char* control, int raw) const {
    const ControlId id = find_control(control)->id;
    return static_cast<int>(
        std::ranges::count_if(readings, [&](const Reading& r) { return r.control == id && r.raw == raw; }));
  }
  int gaps() const { return static_cast<int>(std::ranges::count(readings, ControlId::gap, &Reading::control)); }
  std::uint32_t clock_us() const { return static_cast<std::uint32_t>((clock.now() - Time{}) / 1us) + 4'000'000'000u; }
  bool noted(const char* words) {
    return until([&] {
      for (const std::string& note : handsets.look().notes)
        if (note.find(words) != std::string::npos) return true;
      return false;
    });
  }

  std::vector<Input> inputs;
  WiredPlace place;
  wire::ServedPort served{place.wire};
  BootClock clock;
  wire::Receiver in;
  std::uint16_t sequence = 0, heard = 0;
  std::uint32_t session = 0, heard_at = 0;
  bool asked = false;
  LiveHandsets handsets{Seats::open({place}), clock};
  std::vector<Reading> readings;
};

}  // namespace

TEST_CASE("What a recording's hands do comes off the wire, spoiled or not: each press, each count, where sticks are") {
  const Track track = in_hands();
  const Sums wanted = sums_of(track);
  CHECK(wanted.at("face.south") == 20);
  CHECK(wanted.at("dial.1") == 45);
  for (const bool is_noisy : {false, true}) {
    CAPTURE(is_noisy);
    bool whole = false;
    // Where this machine stands still for so long that the handset is gone, or nobody can tell what happened, that is
    // told; otherwise all of it is there.
    for (int round = 0; round < 5 && !whole; ++round) {
      Served served(track);
      // What hands did before it was there is nobody's press.
      REQUIRE(served.until([&] { return served.present; }));
      served.fault = is_noisy ? 1 : 0;  // one byte in a hundred
      served.plays = true;
      REQUIRE(served.until([&] { return served.over.load(); }));
      served.fault = 0;
      CHECK(served.until([&] { return served.has(wanted) || served.gaps > 0 || served.absences > 0; }));
      whole = served.gaps == 0 && served.absences == 0;
      if (!whole) continue;
      const SeenHandset& seen = served.handsets.look().seats.at(0);
      CHECK(seen.device.name == "Bench stick (made up)");
      CHECK(seen.node == served.place.words());
      // It says something a hundred times a second, whether or not it is touched.
      const std::uint64_t before = served.readings;
      CHECK(served.until([&] { return served.readings > before + 100; }));
    }
    CHECK(whole);
  }
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

TEST_CASE("What is a wire, in words") {
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

TEST_CASE(
    "Readings of a wire that come again, late or too old; inputs that are not valid; keys that nobody can follow") {
  test::Random random;
  Played board(random.whole(20'000, 50'000), {{"face.south", wire::ChannelKind::digital},
                                              {"stick.left.x", wire::ChannelKind::analog},
                                              {"stick.lefd.y", wire::ChannelKind::analog},
                                              {"dial.1", wire::ChannelKind::digital},
                                              {"face.south", wire::ChannelKind::digital}});
  REQUIRE(board.until([&] { return board.asked; }));
  CHECK(board.noted("its channel 2: there is no control 'stick.lefd.y'; did you mean 'stick.left.y'?"));
  CHECK(board.noted("its channel 3: dial.1 is a digital input there, and has to be an encoder"));
  CHECK(board.noted("its channel 4: another one has the place of face.south already"));
  std::uint16_t number = 100;
  const auto say = [&](std::optional<int> key, std::optional<int> stick, int changes, std::uint32_t age_us = 0) {
    board.say(number++, {key, stick, 0, 0, 0}, static_cast<std::uint8_t>(changes), age_us);
  };
  REQUIRE(board.until([&] {
    say(0, 512, 0);
    return board.count("stick.left.x", 512) > 3;
  }));
  // A press and its release between two readings.
  say(0, 600, 2);
  REQUIRE(board.until([&] { return board.count("stick.left.x", 600) == 1; }));
  CHECK(board.count("face.south", 1) == 1);
  // The same once more, and an older one: nothing.
  board.say(static_cast<std::uint16_t>(number - 1), {1, 900, 0, 0, 0}, 3);
  board.say(static_cast<std::uint16_t>(number - 5), {1, 900, 0, 0, 0}, 3);
  say(0, 601, 2);
  REQUIRE(board.until([&] { return board.count("stick.left.x", 601) == 1; }));
  CHECK(board.count("stick.left.x", 900) == 0);
  CHECK(board.count("face.south", 1) == 1);
  CHECK(board.gaps() == 0);
  // What was held up on its way is as old as it is.
  std::this_thread::sleep_for(300ms);
  say(0, 602, 2, 290'000);
  REQUIRE(board.until([&] { return board.count("stick.left.x", 602) == 1; }));
  const Reading& old = *std::ranges::find_if(board.readings, [](const Reading& r) { return r.raw == 602; });
  CHECK(old.arrival - old.event > 280ms);
  // Nobody can tell what ten changes were; nor what a wire that is broken would say.
  say(0, 603, 12);
  CHECK(board.until([&] { return board.gaps() == 1; }));
  CHECK(board.until([&] {
    say(0, 604, 12);
    return board.count("stick.left.x", 604) > 0;
  }));
  say(0, std::nullopt, 12);
  CHECK(board.until([&] { return board.gaps() == 2; }));
  const auto after = board.readings.size();
  CHECK(board.until([&] {
    say(0, std::nullopt, 12);
    return board.readings.size() > after + 5;
  }));
  for (std::size_t i = after; i < board.readings.size(); ++i)
    CHECK(board.readings[i].control != find_control("stick.left.x")->id);
  CHECK(board.until([&] {
    say(0, 700, 12);
    return board.count("stick.left.x", 700) > 0;
  }));
  CHECK(board.gaps() == 2);
}

TEST_CASE("A board on a handset's wire that is no handset is told, and left alone") {
  test::Random random;
  Played board(random.whole(20'000, 50'000), {{"P0.1", wire::ChannelKind::servo}});
  CHECK(board.noted("a board answers, and none of its inputs is a control"));
  const std::uint32_t session = board.session;
  std::this_thread::sleep_for(400ms);
  CHECK(board.until([&] { return true; }));
  CHECK(board.session == session);
}
