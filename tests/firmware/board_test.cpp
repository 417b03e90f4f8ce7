// The far end alone, through its own functions: what it does with what it hears, and with silence.
#include "../../firmware/gyrax_board.h"

#include <gyrax/base/link_types.hpp>
#include <gyrax/wire/board.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <functional>
#include <map>
#include <string>
#include <tuple>
#include <utility>
#include <vector>

using namespace gyrax;

namespace {

constexpr std::uint8_t servo = 0, motor = 1, stepper = 2, lamp = 3, knob = 4, key = 5;

gyrax_channel channel(std::uint8_t kind, double low, double high, double speed, double accel, std::uint8_t becomes) {
  gyrax_channel c{};
  c.name = "pin";
  c.kind = kind;
  c.pin = static_cast<std::uint8_t>(kind - 1);
  c.forward = c.backward = GYRAX_NO_PIN;
  c.limits = {static_cast<std::int32_t>(low * 256),
              static_cast<std::int32_t>(high * 256),
              static_cast<std::uint32_t>(speed * 256),
              static_cast<std::uint32_t>(accel * 256),
              0,
              0,
              becomes};
  return c;
}

struct Far {
  explicit Far(std::uint8_t lamp_becomes = GYRAX_OFF) {
    channels[lamp].limits.becomes = lamp_becomes;
    channels[lamp].limits.place = 256;
    port.user = this;
    port.now_us = [](void* user) { return self(user).now; };
    port.read = [](void* user, std::uint8_t* byte) {
      auto& queue = self(user).in;
      if (queue.empty()) return 0;
      *byte = queue.front();
      queue.erase(queue.begin());
      return 1;
    };
    port.write = [](void* user, const std::uint8_t* bytes, std::size_t size) {
      for (std::size_t i = 0; i < size; ++i)
        if (self(user).receiver.take(bytes[i])) self(user).take();
      return size;
    };
    port.servo = [](void* user, std::uint8_t, std::uint32_t q16) { self(user).pulse = q16 / 65536.0; };
    port.signed_power = [](void* user, std::uint8_t, std::int32_t q16) { self(user).share = q16 / 65536.0; };
    port.power = [](void* user, std::uint8_t, std::uint16_t q16) { self(user).powers(q16 / 65535.0); };
    port.level = [](void* user, std::uint8_t pin, int on) {
      if (pin >= 10)
        self(user).pins(pin, on != 0);
      else
        (pin == lamp ? self(user).lamp_on : self(user).enabled) = on != 0;
    };
    port.steps = [](void* user, std::uint8_t, std::int64_t position, std::uint32_t) {
      self(user).steps = static_cast<double>(position) / 65536;
    };
    port.counted = [](void* user, std::uint8_t) {
      return static_cast<std::int64_t>(std::llround(self(user).steps)) * 65536;
    };
    port.input = [](void* user, std::uint8_t, std::uint8_t kind, std::uint8_t* valid) {
      *valid = self(user).whole ? 1 : 0;
      return kind == GYRAX_DIGITAL ? (self(user).pressed ? 256 : 0) : 77 * 256;
    };
    port.act = [](void* user, std::uint8_t what, const char** words) -> std::uint8_t {
      Far& far = self(user);
      far.acted += what == GYRAX_BEGIN ? std::string("begin ") + *words + "\n" : what == GYRAX_CANCEL ? "cancel\n" : "";
      ++far.calls[what];
      const std::uint8_t state = what == GYRAX_BEGIN ? far.begins_with : far.goes_on_with;
      if (state == GYRAX_FAILED) *words = "no part";
      return state;
    };
    port.store = [](void* user, std::uint8_t, const gyrax_limits* limits) {
      self(user).stored = *limits;
      return 1;
    };
    gyrax_board_begin(&board, &port, channels.data(), static_cast<std::uint8_t>(channels.size()), states.data(), 7,
                      "far");
  }
  static Far& self(void* user) { return *static_cast<Far*>(user); }

  void take() {
    const wire::Frame& f = receiver.frame();
    answers.push_back(f.kind);
    session = f.kind == wire::Kind::welcome ? f.session : session;
    if (f.kind == wire::Kind::refused) refused = wire::read_refused(f.payload)->why;
    if (f.kind == wire::Kind::print) text = wire::Reader{f.payload}.text();
    if (f.kind == wire::Kind::result) {
      result = *wire::read_result(f.payload);
      text = result.why;
    }
    if (f.kind == wire::Kind::channel) info = *wire::read_channel(f.payload);
    wire::Reader payload{f.payload};
    if (f.kind == wire::Kind::readings) {
      heard = *wire::read_readings(payload);
      for (int i = 0; i < heard.count; ++i) inputs[static_cast<std::size_t>(heard.first + i)] = read_input(payload);
    }
    if (f.kind != wire::Kind::report) return;
    head = *wire::read_report(payload);
    reports.clear();
    for (int i = 0; i < head.count; ++i) reports.push_back(read_report_channel(payload));
  }
  void say(wire::Kind kind, const wire::Writer& out, std::uint8_t address = 7) {
    std::vector<std::uint8_t> bytes(wire::max_frame);
    bytes.resize(wire::pack({kind, address, ++sequence, session, out.payload()}, bytes));
    in.insert(in.end(), bytes.begin(), bytes.end());
    run(1);
  }
  void run(int ms) {
    for (int i = 0; i < ms * 4; ++i) {
      now += 250;
      gyrax_board_run(&board);
    }
  }
  void greet() {
    wire::Writer out;
    session = 0;
    write(out, wire::Greeting{0x1234, 100, "test"});
    say(wire::Kind::greet, out);
  }
  void set(std::uint8_t n, Mode mode, double position, double speed = 0, std::uint32_t age_us = 0) {
    wire::Writer out;
    write(out, wire::SetHead{now - age_us, now + 10'000, 60, n, 1, 0, 5});
    write(out,
          wire::SetChannel{static_cast<std::uint8_t>(mode), static_cast<std::int32_t>(std::llround(position * 65536)),
                           static_cast<std::int32_t>(std::lround(speed * 256))});
    say(wire::Kind::set, out);
  }
  void message(std::uint16_t number, wire::Asked asked, const char* words = "", std::uint32_t age_us = 0) {
    wire::Writer out;
    write(out, wire::Message{now - age_us, 150, number, asked, words});
    refused = {};
    say(wire::Kind::message, out);
  }
  /// Told to stand, then to follow, ten times a frame apart.
  void go(std::uint8_t n, double position, int frames = 30) {
    set(n, Mode::stand, position);
    for (int i = 0; i < frames; ++i) {
      set(n, Mode::follow, position);
      run(9);
    }
  }

  std::uint32_t now = 4'294'000'000;  // its clock wraps a second later
  std::vector<std::uint8_t> in;
  wire::Receiver receiver;
  std::vector<wire::Kind> answers;
  std::vector<wire::ReportChannel> reports;
  wire::ReportHead head;
  wire::Result result;
  std::string acted;
  std::map<int, int> calls;
  std::uint8_t begins_with = GYRAX_UNDER_WAY, goes_on_with = GYRAX_UNDER_WAY;
  wire::ChannelInfo info;
  wire::Refusal refused{};
  std::string text;
  gyrax_limits stored{};
  std::uint16_t sequence = 0;
  std::uint32_t session = 0;
  double pulse = 0, share = 0, steps = 0;
  bool lamp_on = false, enabled = false;
  bool pressed = false, whole = true;  // of its inputs
  std::map<std::size_t, wire::InputReading> inputs;
  wire::ReadingsHead heard;
  std::function<void(std::uint8_t pin, bool on)> pins;  // from 10 on
  std::function<void(double share)> powers;
  gyrax_port port{};
  std::vector<gyrax_channel> channels{channel(GYRAX_SERVO, 900, 2100, 3000, 30000, GYRAX_STAY),
                                      channel(GYRAX_MOTOR, -1, 1, 2, 0, GYRAX_OFF),
                                      channel(GYRAX_STEPPER, -50000, 50000, 8000, 40000, GYRAX_OFF),
                                      channel(GYRAX_SWITCH, 0, 1, 0, 0, GYRAX_OFF),
                                      channel(GYRAX_ANALOG, 0, 100, 0, 0, GYRAX_STAY),
                                      channel(GYRAX_DIGITAL, 0, 1, 0, 0, GYRAX_STAY)};
  std::vector<gyrax_state> states{6};
  gyrax_board board{};
};

}  // namespace

TEST_CASE("Nothing moves before it was greeted and told; the first place of a servo is where it is") {
  Far far;
  far.set(servo, Mode::follow, 1500);
  CHECK(far.refused == wire::Refusal::other_session);
  far.run(100);
  CHECK(far.pulse == 0);
  far.greet();
  CHECK(far.answers.back() == wire::Kind::welcome);
  CHECK(far.session / 65536 == 0x1234);
  far.set(servo, Mode::follow, 1500);  // it was not told to stand since it has power
  far.run(5);
  CHECK(far.pulse == 0);
  CHECK((far.reports[servo].status & wire::by_itself) != 0);
  far.set(servo, Mode::stand, 1500);
  far.run(5);
  CHECK(far.pulse == 0);  // power without a place
  far.set(servo, Mode::follow, 1500);
  far.run(2);
  CHECK(far.pulse == 1500);
  CHECK(far.reports[servo].status == (wire::powered | wire::known));
  CHECK(far.reports[knob].position == 77 * 65536);
  CHECK(far.reports[knob].status == (wire::measured | wire::known));
}

TEST_CASE("Before anybody is there a switch is what it becomes") {
  Far pump(GYRAX_PLACE), light(GYRAX_OFF);
  pump.run(5);
  light.run(5);
  CHECK(pump.lamp_on);
  CHECK_FALSE(light.lamp_on);
  pump.greet();
  pump.set(lamp, Mode::follow, 0);
  pump.run(2);
  CHECK_FALSE(pump.lamp_on);
  pump.run(100);
  CHECK(pump.lamp_on);
}

TEST_CASE("It trusts nobody: no further, no faster and no harder than its own limits") {
  Far far;
  far.greet();
  far.go(servo, 1000, 3);
  double last = far.pulse, last_v = 0, fastest = 0, hardest = 0, highest = 0;
  for (int i = 0; i < 700; ++i) {
    // Far beyond its end, at once, with a speed that makes no sense.
    if (i % 10 == 0) far.set(servo, Mode::follow, 30'000, 8'000'000);
    far.run(1);
    const double v = (far.pulse - last) / (i % 10 == 0 ? 0.002 : 0.001);
    fastest = std::max(fastest, std::abs(v));
    if (i % 10 > 1) hardest = std::max(hardest, std::abs(v - last_v) / 0.001);
    highest = std::max(highest, far.pulse);
    last = far.pulse;
    last_v = v;
  }
  CHECK(highest <= 2100);
  CHECK(highest > 2099);
  CHECK(fastest <= 3000 * 1.01);
  CHECK(hardest <= 30'000 * 1.1);
}

TEST_CASE("In silence each channel becomes what it becomes, and follows nothing before it is told to stand or be off") {
  Far far;
  far.greet();
  far.go(stepper, 100);
  far.set(lamp, Mode::stand, 0);
  far.set(lamp, Mode::follow, 1);
  far.set(motor, Mode::stand, 0);
  far.set(motor, Mode::follow, 0.5);
  far.run(30);
  CHECK(far.lamp_on);
  CHECK(far.enabled);
  CHECK(far.share > 0.05);
  far.run(60);
  CHECK_FALSE(far.lamp_on);
  CHECK_FALSE(far.enabled);
  CHECK(far.steps == 100);
  far.run(500);
  CHECK(far.share == 0);
  far.set(lamp, Mode::follow, 1);
  CHECK_FALSE(far.lamp_on);
  far.set(lamp, Mode::follow, 0);
  far.set(lamp, Mode::follow, 1);
  far.run(2);
  CHECK(far.lamp_on);
}

TEST_CASE("What is too old, comes again, or is of another session is refused and counted; a gap is counted") {
  Far far;
  far.greet();
  far.go(stepper, 100);
  far.set(stepper, Mode::follow, 200, 0, 101'000);
  CHECK(far.refused == wire::Refusal::too_old);
  far.set(stepper, Mode::follow, 100, 0, 99'000);
  CHECK(far.answers.back() == wire::Kind::report);
  const std::uint32_t session = far.session;
  far.session ^= 1;
  far.set(stepper, Mode::follow, 200);
  CHECK(far.refused == wire::Refusal::other_session);
  far.session = session;
  --far.sequence;
  --far.sequence;
  far.set(stepper, Mode::follow, 200);
  CHECK(far.refused == wire::Refusal::again);
  far.sequence = static_cast<std::uint16_t>(far.sequence + 5);
  far.set(stepper, Mode::follow, 100);
  CHECK(far.head.late == 2);
  CHECK(far.head.refused == 1);
  CHECK(far.head.lost == 5);  // one of them was of another session
  far.run(200);
  CHECK(far.steps == 100);
}

TEST_CASE("A stop counts from anybody and for all boards, and holds until it is greeted again") {
  Far far;
  far.greet();
  far.go(stepper, 100);
  wire::Writer out;
  out.u8(1);
  const std::uint32_t session = std::exchange(far.session, 99);
  const std::size_t answers = far.answers.size();
  far.say(wire::Kind::stop, out, wire::all_boards);
  CHECK(far.answers.size() == answers);  // nobody answers what all hear
  far.session = session;
  far.run(5);
  CHECK_FALSE(far.enabled);
  far.set(stepper, Mode::stand, 100);
  CHECK(far.refused == wire::Refusal::is_stopped);
  far.greet();
  far.set(stepper, Mode::stand, 100);
  CHECK(far.answers.back() == wire::Kind::report);
  CHECK(far.head.state == 0);
}

TEST_CASE("Ends are stored without power, never wider than it was built; text comes between") {
  Far far;
  far.greet();
  const auto store = [&](std::int32_t low, std::int32_t high) {
    wire::Writer out;
    out.u8(servo);
    for (const std::int32_t number : {low * 256, high * 256, 2000 * 256, 20000 * 256}) out.i32(number);
    out.u8(0);
    out.i32(0);
    out.u32(0);
    far.refused = {};
    far.say(wire::Kind::store, out);
  };
  store(800, 2000);
  CHECK(far.refused == wire::Refusal::malformed);
  store(1000, 2000);
  CHECK(far.refused == wire::Refusal{});
  CHECK(far.info.low == 1000 * 256);
  CHECK(far.stored.high == 2000 * 256);
  far.go(servo, 1500, 2);
  store(1100, 2000);
  CHECK(far.refused == wire::Refusal::cannot);
  CHECK(gyrax_board_print(&far.board, "warm") == 1);
  CHECK(gyrax_board_print(&far.board, "again") == 0);
  far.run(2);
  CHECK(far.text == "warm");
}

TEST_CASE("A message begins once, goes on while somebody asks, and ends done, failed or cancelled") {
  using wire::Asked, wire::Became;
  Far far;
  far.message(1, Asked::begin, "grip");
  CHECK(far.refused == wire::Refusal::other_session);
  far.greet();
  far.message(1, Asked::begin, "grip");
  CHECK(far.acted == "begin grip\n");
  for (int i = 0; i < 20; ++i) {
    far.run(100);
    far.message(1, i % 2 == 0 ? Asked::go_on : Asked::begin, i % 2 == 0 ? "" : "grip");
    CHECK(far.result.number == 1);
    CHECK(far.result.became == Became::under_way);
  }
  CHECK(far.acted == "begin grip\n");
  CHECK(far.calls[GYRAX_GO_ON] > 1900);  // every millisecond
  far.goes_on_with = GYRAX_DONE;
  far.run(2);
  const int then = far.calls[GYRAX_GO_ON];
  far.message(1, Asked::cancel);
  CHECK(far.result.became == Became::done);  // it was over
  far.run(300);
  CHECK(far.calls[GYRAX_GO_ON] == then);
  // It says why not, at once or later.
  far.begins_with = GYRAX_FAILED;
  far.message(2, Asked::begin, "grip");
  CHECK(far.result.became == Became::failed);
  CHECK(far.text == "no part");
  far.begins_with = GYRAX_UNDER_WAY;
  far.goes_on_with = GYRAX_FAILED;
  far.message(3, Asked::begin, "let go");
  far.run(5);
  far.message(3, Asked::go_on);
  CHECK(far.result.became == Became::failed);
  CHECK(far.text == "no part");
  // What is new ends what was, and whatever ends it ends it once.
  far.goes_on_with = GYRAX_UNDER_WAY;
  const std::function<void()> ends[] = {[&] { far.message(11, Asked::begin, "next"); },
                                        [&] { far.message(10, Asked::cancel); }, [&] { far.run(160); },
                                        [&] { far.greet(); },
                                        [&] {
                                          far.say(wire::Kind::stop, [] {
                                            wire::Writer out;
                                            out.u8(2);
                                            return out;
                                          }());
                                        }};
  for (const auto& end : ends) {
    far.greet();
    far.message(10, Asked::begin, "turn");
    REQUIRE(far.result.became == Became::under_way);
    far.acted.clear();
    end();
    CHECK(far.acted.starts_with("cancel\n"));
    far.run(300);
    CHECK(far.acted.find("cancel\n", 1) == (far.acted.find("next") == std::string::npos ? std::string::npos : 18u));
  }
  far.message(10, Asked::begin, "turn");
  CHECK(far.refused == wire::Refusal::is_stopped);
}

TEST_CASE("A message that is late, malformed or none of its business begins nothing") {
  using wire::Asked;
  Far far;
  far.greet();
  far.message(1, Asked::begin, "grip", 101'000);
  CHECK(far.refused == wire::Refusal::too_old);
  far.message(1, Asked::go_on);
  CHECK(far.refused == wire::Refusal::malformed);
  far.message(1, Asked::begin);
  CHECK(far.refused == wire::Refusal::malformed);
  far.message(1, Asked::begin, std::string(64, 'x').c_str());
  CHECK(far.refused == wire::Refusal::malformed);
  far.message(1, static_cast<Asked>(3), "grip");
  CHECK(far.refused == wire::Refusal::malformed);
  far.message(1, Asked::cancel);  // of what never came
  CHECK(far.result.became == wire::Became::cancelled);
  far.message(1, Asked::begin, "grip");
  CHECK(far.result.became == wire::Became::cancelled);
  CHECK(far.acted.empty());
  far.port.act = nullptr;
  far.message(2, Asked::begin, "grip");
  CHECK(far.refused == wire::Refusal::cannot);
}

TEST_CASE("A motor's share as a sign, as a pair of directions, and as one direction, each with its power") {
  struct Pins {
    bool forward = false, backward = false;
    double power = 0, sign = 0;
  };
  struct Case {
    std::uint8_t forward, backward;
    Pins ahead, back;  // at half of its power
  };
  const Case cases[] = {{GYRAX_NO_PIN, GYRAX_NO_PIN, {false, false, 0, 0.5}, {false, false, 0, -0.5}},
                        {10, 11, {true, false, 0.5, 0}, {false, true, 0.5, 0}},
                        {10, 10, {true, false, 0.5, 0}, {false, false, 0.5, 0}}};
  for (const Case& one : cases) {
    CAPTURE(static_cast<int>(one.forward));
    CAPTURE(static_cast<int>(one.backward));
    Pins pins;
    Far far;
    far.channels[motor].forward = one.forward;
    far.channels[motor].backward = one.backward;
    far.pins = [&](std::uint8_t pin, bool on) { (pin == 10 ? pins.forward : pins.backward) = on; };
    far.powers = [&](double power) { pins.power = power; };
    far.greet();
    for (const double share : {0.5, -0.5}) {
      far.set(motor, Mode::stand, 0);
      for (int i = 0; i < 100; ++i) {
        far.set(motor, Mode::follow, share);
        far.run(9);
      }
      pins.sign = far.share;
      const Pins& wanted = share > 0 ? one.ahead : one.back;
      CHECK(pins.forward == wanted.forward);
      CHECK(pins.backward == wanted.backward);
      CHECK(pins.power == doctest::Approx(wanted.power).epsilon(0.001));
      CHECK(pins.sign == doctest::Approx(wanted.sign).epsilon(0.001));
    }
    far.run(700);  // silence: off
    CHECK_FALSE(pins.forward);
    CHECK_FALSE(pins.backward);
    CHECK(pins.power == 0);
    CHECK(far.share == 0);
  }
}

TEST_CASE(
    "Readings go out by themselves once they are asked for, at once where a key changed, and end a second later") {
  Far far;
  const auto heed = [&](std::uint8_t first, std::uint8_t count, std::uint8_t most) {
    wire::Writer out;
    write(out, wire::Heed{first, count, most, 10});
    far.say(wire::Kind::more, out);
  };
  const auto frames = [&] { return std::ranges::count(far.answers, wire::Kind::readings); };
  heed(knob, 2, 8);
  CHECK(far.refused == wire::Refusal::other_session);
  far.greet();
  far.run(100);
  CHECK(frames() == 0);
  for (const auto& [first, count, most, why] : {std::tuple{5, 2, 8, wire::Refusal::no_such_channel},
                                                {4, 2, 0, wire::Refusal::malformed},
                                                {4, 2, 200, wire::Refusal::malformed}}) {
    heed(static_cast<std::uint8_t>(first), static_cast<std::uint8_t>(count), static_cast<std::uint8_t>(most));
    CHECK(far.refused == why);
  }
  heed(knob, 2, 8);
  far.run(100);
  CHECK(frames() >= 9);
  CHECK(frames() <= 13);
  CHECK(far.inputs[knob].valid);
  CHECK(far.inputs[knob].value == 77 * 256);
  CHECK(far.inputs[key].value == 0);

  // A tap between two readings is two changes, told within two milliseconds; a bounce is none.
  const int before = far.inputs[key].changes;
  far.pressed = true;
  far.run(2);
  CHECK(far.inputs[key].value == 256);
  CHECK(far.inputs[key].changes == before + 1);
  CHECK(far.heard.age_100us <= 20);
  for (int i = 0; i < 3; ++i) {
    far.pressed = !far.pressed;
    far.run(1);
  }
  far.pressed = true;
  far.run(20);
  CHECK(far.inputs[key].changes == before + 1);
  far.pressed = false;
  far.run(7);
  far.pressed = true;
  far.run(7);
  CHECK(far.inputs[key].changes == before + 3);

  far.whole = false;
  far.run(12);
  CHECK_FALSE(far.inputs[knob].valid);

  // One at a time, where a frame takes no more: each gets its turn.
  heed(knob, 2, 1);
  far.inputs.clear();
  far.run(25);
  CHECK(far.inputs.size() == 2);

  const auto then = frames();
  far.run(1100);
  CHECK(frames() > then + 80);
  const auto last = frames();
  far.run(1000);
  CHECK(frames() == last);
}
