// Eight kinds of handset, as they come from a drawer: each is measured by its own recording, has a rig that makes sense
// of it, and ends where a hand that worked it out says.
#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/measure.hpp>
#include <gyrax/rehearsal/summary.hpp>
#include <gyrax/rig/review.hpp>
#include <gyrax/testing/limit_checker.hpp>

#include "support/golden.hpp"

#include <doctest/doctest.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

using namespace gyrax;

namespace {

struct Ends {
  const char* axis;
  double position;
};
struct Kind {
  const char* name;
  std::vector<Ends> ends;
  std::vector<const char*> on;        // switches
  std::vector<const char*> measured;  // tracks that show it
  std::vector<std::pair<std::uint16_t, const char*>> named;
};

const std::vector<Kind>& kinds() {
  static const std::vector<Kind> all{
      // To the end of travel on a straight line, ten steps of 1 mm back; three of 15 degrees.
      {"two_stick_pad", {{"x", 410}, {"y", 0}, {"turntable", -45}}, {}, {"two_stick_pad"}, {}},
      // To the far end and back to the near one; the lamp toggled five times.
      {"worn_pad", {{"x", 0}}, {"lamp"}, {"worn_pad"}, {}},
      // Turned to the end; the throttle at its end is 30 degrees; z to its end.
      {"joystick", {{"turntable", 180}, {"lamp_tilt", 30}, {"z", 120}}, {}, {"joystick"}, {}},
      // 25 - 4 clicks of 0.02 mm, 3 of 0.2.
      {"dial", {{"z", 1.02}}, {}, {"dial"}, {}},
      // From the end of travel 4 of 1 mm, 3 of 0.1 and 1 of 1 back.
      {"keypad", {{"x", 414.7}}, {}, {"keypad"}, {}},
      // Leaned away by 6 degrees is less than the dead zone of 9; the focus to its end.
      {"hand_stick", {{"y", 0}, {"z", 120}}, {}, {"hand_stick", "hand_stick_tilt"}, {}},
      // The knob at its end; the motor has no place.
      {"knob_box",
       {{"lamp_tilt", 40}},
       {"vacuum"},
       {"knob_box"},
       {{0, "knob.1"}, {1, "knob.2"}, {2, "knob.3"}, {3, "knob.4"}}},
      {"digital_stick", {{"x", 420}, {"y", 0}}, {}, {"digital_stick"}, {}}};
  return all;
}

constexpr const char* one_jog = R"(gyrax = 1
[axis.x]
unit = "mm"
travel = [0, 9]
speed = 9
accel = 9
[handset.h]
calibration = "{}.calibration.toml"
[handset.h.bind]
"face.north" = "ready"
"face.west" = "enable"
"face.east" = "stop"
"face.south" = "reset"
)";

/// The same hands again and again for so long.
Session again(const Session& once, double length_s) {
  Session all = once;
  std::int64_t once_us = 0;
  for (const SessionHandset& handset : once.handsets)
    once_us = std::max(once_us, handset.track.events.back().time_us + 8'000);
  // The same fault three times in a minute would want a long reset.
  for (const SessionHandset& handset : once.handsets)
    if (handset.plugged.size() > 1) once_us = std::max(once_us, std::int64_t{31'000'000});
  const auto times = static_cast<int>(std::ceil(length_s * 1e6 / static_cast<double>(once_us)));
  all.length = std::chrono::microseconds(times * once_us);
  for (std::size_t h = 0; h < all.handsets.size(); ++h) {
    const SessionHandset& from = once.handsets[h];
    SessionHandset& to = all.handsets[h];
    for (int i = 1; i < times; ++i)
      for (InputEvent e : from.track.events) {
        e.time_us += i * once_us;
        to.track.events.push_back(e);
      }
    // From one time to the next it stays plugged in.
    to.plugged.clear();
    for (int i = 0; i < times; ++i)
      for (std::size_t n = 0; n < from.plugged.size(); ++n) {
        const Span offset = std::chrono::microseconds(i * once_us);
        const auto [begin, end] = from.plugged[n];
        if (n == 0 && i > 0)
          to.plugged.back().second = end + offset;
        else
          to.plugged.emplace_back(begin + offset, end + offset);
      }
    to.plugged.back().second = std::min(to.plugged.back().second, Time{all.length});
  }
  return all;
}

/// How often a zone became live, and what stopped it.
struct Stops final : TickWatcher {
  int lives = 0, steady = 0;
  void tick(const TickSample&, std::span<const Event> events) override {
    for (const Event& e : events) {
      lives += e.kind == Event::Kind::state && e.state == State::live ? 1 : 0;
      steady += e.kind == Event::Kind::steady || e.cause == Cause::handset_steady ? 1 : 0;
    }
  }
};

std::string at(const std::string& name) { return "demo/handsets/" + name; }

}  // namespace

TEST_CASE("What is measured of each is what its calibration says, to the last letter") {
  for (const Kind& kind : kinds())
    for (const char* shown : kind.measured) {
      CAPTURE(shown);
      Track track = read_track(at(std::string(shown) + ".show.evemu"));
      for (const auto& [code, name] : kind.named) track.device.named[{std::uint16_t{3}, code}] = name;
      const DeviceCalibration measured = measure(track, 0);
      const std::string path = at(std::string(shown) + ".calibration.toml");
      const Text text = read_text(path, max_calibration);
      if (text.error) continue;  // the dial has nothing to calibrate
      CHECK(write_calibration(measured) == text.text);
      CHECK(write_calibration(parse_calibration(text.text, path)) == text.text);
      test::check_golden("tests/golden/measured_" + std::string(shown) + ".txt", measured_text(measured));
    }
}

TEST_CASE("A dead zone is the same number where it is measured and where the rig is checked") {
  int sticks = 0;
  for (const char* shown : {"worn_pad", "two_stick_pad", "hand_stick", "joystick", "digital_stick"}) {
    const DeviceCalibration measured = load_calibration(at(std::string(shown) + ".calibration.toml"));
    std::string text = fmt::format(one_jog, shown);
    for (const MeasuredControl& m : measured.controls)
      if (m.name.starts_with("stick.")) text += "\"" + m.name + "\" = { jog = \"x\" }\n";
    const std::string told = measured_text(measured), checked = review_text(parse_rig(text, at("any.toml")));
    for (const std::string stick : {"stick.left", "stick.right"}) {
      const std::string begin = stick + " as a stick: ";
      const std::size_t from = told.find(begin);
      if (from == std::string::npos) continue;
      const std::string zone = told.substr(from + begin.size(), told.find('\n', from) - from - begin.size());
      for (const char* half : {".x", ".y"}) {
        CAPTURE(shown + (" " + stick) + half);
        CHECK(checked.find(fmt::format("  {:<22} {}", stick + half, zone)) != std::string::npos);
        ++sticks;
      }
    }
  }
  CHECK(sticks == 14);
}

TEST_CASE("Each ends where it was worked out to end, within its limits all the way, and is told as it always was") {
  for (const Kind& kind : kinds()) {
    CAPTURE(kind.name);
    const Session session = load_session(at(std::string(kind.name) + ".session.toml"));
    const Rig rig = fit(load_rig(at(std::string(kind.name) + ".toml")), session.devices());
    const Rehearsal done = rehearse(rig, session);
    for (std::size_t a = 0; a < rig.axes.size(); ++a) {
      CAPTURE(rig.axes[a].name);
      const AxisTrace& trace = done.trace.axes[a];
      for (const Ends& ends : kind.ends)
        if (ends.axis == rig.axes[a].name) CHECK(to_nano(trace.back().position) == to_nano(ends.position));
      CHECK(trace.back().speed == 0);
      if (rig.axes[a].motor) continue;  // its place means nothing, and starts anew each time
      testing::LimitChecker checker(rig.setup.axes[a].limits);
      checker.start(trace[0].position);
      for (std::size_t t = 1; t < trace.size(); ++t)
        checker.tick(trace[t].position, trace[t].speed, trace[t].accel, to_seconds(done.trace.length_of(t)));
      CHECK(checker.worst() == 0);
    }
    for (std::size_t s = 0; s < rig.switches.size(); ++s) {
      const bool wanted =
          std::any_of(kind.on.begin(), kind.on.end(), [&](const char* name) { return rig.switches[s] == name; });
      CHECK((done.trace.switches[s].back() != 0) == wanted);
    }
    const Summary summary = summarise(rig, session, done);
    CHECK(summary.good());
    CHECK(done.readings_lost == (std::string(kind.name) == "joystick" ? 3u : 0u));
    test::check_golden("tests/golden/handset_" + std::string(kind.name) + ".txt",
                       text(rig, summary) + "\n" + review_text(rig));
  }
}

TEST_CASE("The worn pad rests at 12 %, and yet it is at rest; it reaches full speed both ways") {
  const Session session = load_session(at("worn_pad.session.toml"));
  const Rig rig = fit(load_rig(at("worn_pad.toml")), session.devices());
  const Rehearsal done = rehearse(rig, session);
  const AxisTrace& x = done.trace.axes[0];
  double fastest = 0, slowest = 0;
  for (const AxisSample& one : x) {
    fastest = std::max(fastest, one.speed);
    slowest = std::min(slowest, one.speed);
  }
  CHECK(fastest == 180);
  CHECK(slowest == -180);
  // Live from 2.4 s; the first push comes at 4 s: until then nothing moved, and nothing was asked.
  for (std::size_t t = 0; t < done.trace.tick_of(Time{from_seconds(3.8)}); ++t) REQUIRE(x[t].speed == 0);
  // The same without its calibration is no use: it never gets ready.
  const RigSource& source = rig.sources.front();
  std::string text = source.text;
  const std::size_t from = text.find("calibration ="), to = text.find('\n', from);
  const Rig uncalibrated = fit(parse_rig(text.erase(from, to - from), source.path), session.devices());
  const Rehearsal useless = rehearse(uncalibrated, session);
  for (const State state : useless.trace.zones[0]) REQUIRE(state == State::stowed);
}

#ifdef NDEBUG
constexpr double long_s = 3600;
#else
constexpr double long_s = 120;  // every tick is worked out twice, and checked
#endif

TEST_CASE("In an hour of each no hand is taken for a radio that repeats itself") {
  for (const Kind& kind : kinds()) {
    CAPTURE(std::string(kind.name));
    const Session session = again(load_session(at(std::string(kind.name) + ".session.toml")), long_s);
    Rig rig = fit(load_rig(at(std::string(kind.name) + ".toml")), session.devices());
    for (HandsetSetup& handset : rig.setup.handsets) handset.max_steady = usual_max_steady;
    Stops stops;
    TickWatcher* const watchers[] = {&stops};
    rehearse(rig, session, watchers);
    CHECK(stops.steady == 0);
    CHECK(stops.lives >= long_s / 60);
  }
}

TEST_CASE("What trembles and stands still is not believed for long: a pad that falls silent in the middle of a push") {
  const auto stopped_after = [](const char* name, double silent_from_s, bool trembles) {
    Session session = load_session(at(std::string(name) + ".session.toml"));
    auto& events = session.handsets.front().track.events;
    std::erase_if(events,
                  [&](const InputEvent& e) { return e.time_us > static_cast<std::int64_t>(silent_from_s * 1e6); });
    session.length = from_seconds(silent_from_s + 12);
    session.handsets.front().plugged = {{Time{}, Time{session.length}}};
    Rig rig = fit(load_rig(at(std::string(name) + ".toml")), session.devices());
    rig.setup.handsets.front().max_steady = usual_max_steady;
    for (ControlSetup& control : rig.setup.controls) control.trembles = control.trembles && trembles;
    rig.setup.axes[0].limits = *AxisLimits::make(0, 1e5, {180, 900, 9000, 900, 18000});
    const Rehearsal done = rehearse(rig, session);
    for (const Event& e : done.events)
      if (e.kind == Event::Kind::state && e.cause == Cause::handset_steady) return to_seconds(e.at) - silent_from_s;
    return 1e9;
  };
  // The worn pad pushes its stick from 4 s on; between two of its reports there were 16 ms at most.
  CHECK(stopped_after("worn_pad", 4.6, true) == doctest::Approx(1.0).epsilon(0.02));
  CHECK(stopped_after("worn_pad", 4.6, false) == doctest::Approx(10.0).epsilon(0.02));
}

TEST_CASE("A device that is not the one that was measured is refused, or allowed with a warning") {
  const Session session = load_session(at("worn_pad.session.toml"));
  const Rig rig = load_rig(at("worn_pad.toml"));
  auto devices = session.devices();
  devices.at("pad").unique = "77";
  try {
    fit(rig, devices);
    FAIL("another device was taken");
  } catch (const RigError& error) {
    CHECK(error.problems().at(0).what ==
          "demo/handsets/worn_pad.calibration.toml was measured on Old bench pad (made up) (1209:0003), and this is "
          "Old bench pad (made up) "
          "(1209:0003, unique id 77)");
  }
  Rig open = rig;
  open.seats[0].calibrated->any_device = true;
  const Rig fitted = fit(open, devices);
  REQUIRE(fitted.remarks.size() == 1);
  CHECK(fitted.remarks[0].ends_with("; the rig allows it"));
}
