#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/decoder.hpp>
#include <gyrax/rehearsal/player.hpp>
#include <gyrax/testing/hands.hpp>

#include "support/random.hpp"
#include "support/rigs.hpp"

#include <doctest/doctest.h>
#include <linux/input-event-codes.h>

#include <algorithm>
#include <filesystem>
#include <set>

using namespace gyrax;

namespace {

const std::string head =
    "# EVEMU 1.3\nN: Pad # one\nI: 0003 1209 0001 0100\nP: 00\nB: 00 0b\nB: 01 00 00\nA: 00 -100 100 0 0 0\nA: 10 -1 1 "
    "0 0\n";

Device pad() {
  Device d;
  d.name = "pad";
  d.keys = {BTN_SOUTH, BTN_TL};
  d.absolute[ABS_X] = {-100, 100, 0, 0, 0};
  d.absolute[ABS_HAT0X] = {-1, 1, 0, 0, 0};
  return d;
}

struct Decoding {
  EventDecoder decoder{HandsetId{0}, pad()};
  std::vector<Reading> out;
  Time now{};
  Decoding() {
    decoder.plugged(now, out);
    out.clear();
  }
  Decoding& event(std::uint16_t type, std::uint16_t code, std::int32_t value) {
    now += std::chrono::milliseconds(1);
    decoder.event({0, type, code, value}, now, now, out);
    return *this;
  }
  std::string text() {
    std::string all;
    for (const Reading& r : out) {
      const bool own = index(r.control) < all_controls().size();
      all += (own                           ? control_name(r.control)
              : r.control == ControlId::gap ? "gap"
                                            : "presence") +
             "=" + std::to_string(r.raw) + " ";
    }
    out.clear();
    return all;
  }
};

}  // namespace

TEST_CASE("Every control has one name, and every name one control") {
  std::set<std::string> names;
  for (const ControlName& c : all_controls()) {
    CHECK(names.insert(c.name).second);
    CHECK(find_control(c.name) == &c);
    CHECK(find_control(c.type, c.code, c.hat_side) == &c);
    CHECK(control_name(c.id) == c.name);
  }
  CHECK(all_controls().size() <= max_controls);
  CHECK(find_control(EV_KEY, BTN_DPAD_UP)->name == "hat.up");  // a second code for the same place
  CHECK(find_control("stick.left.y")->reversed);
  CHECK(nearest_control("stick.lefft.x") == "stick.left.x");
  CHECK(kernel_code(*find_control("face.south")) == "BTN_SOUTH");
}

TEST_CASE("A frame's readings come with its end, in order and numbered") {
  Decoding d;
  d.event(EV_ABS, ABS_X, 50).event(EV_KEY, BTN_SOUTH, 1);
  CHECK(d.out.empty());
  d.event(EV_SYN, SYN_REPORT, 0);
  REQUIRE(d.out.size() == 2);
  CHECK(d.out[1].sequence == d.out[0].sequence + 1);
  CHECK(d.out[0].event < d.out[0].arrival);
  CHECK(d.text() == "stick.left.x=50 face.south=1 ");
}

TEST_CASE("A hat is four keys; repeats and unknown codes are nothing") {
  Decoding d;
  d.event(EV_ABS, ABS_HAT0X, -1).event(EV_SYN, SYN_REPORT, 0);
  CHECK(d.text() == "hat.left=1 ");
  d.event(EV_ABS, ABS_HAT0X, 1).event(EV_SYN, SYN_REPORT, 0);
  CHECK(d.text() == "hat.left=0 hat.right=1 ");
  d.event(EV_ABS, ABS_HAT0X, 0).event(EV_SYN, SYN_REPORT, 0);
  CHECK(d.text() == "hat.right=0 ");
  d.event(EV_KEY, BTN_SOUTH, 2).event(EV_MSC, MSC_SCAN, 7).event(EV_SYN, SYN_REPORT, 0);
  CHECK(d.text().empty());
  d.event(EV_REL, REL_DIAL, -3).event(EV_SYN, SYN_REPORT, 0);
  CHECK(d.text() == "dial.1=-3 ");
}

TEST_CASE("What comes between SYN_DROPPED and the next SYN_REPORT is not believed; the gap is told") {
  Decoding d;
  d.event(EV_ABS, ABS_X, 50).event(EV_SYN, SYN_DROPPED, 0).event(EV_KEY, BTN_SOUTH, 1);
  CHECK(d.out.empty());
  d.event(EV_SYN, SYN_REPORT, 0);
  CHECK(d.text() == "gap=1 ");
  CHECK(d.decoder.gaps() == 1);
  d.event(EV_ABS, ABS_X, 60).event(EV_SYN, SYN_REPORT, 0);
  CHECK(d.text() == "stick.left.x=60 ");
}

TEST_CASE("Plugged in: keys and hats are told as up, sticks are not told at all") {
  EventDecoder decoder(HandsetId{0}, pad());
  std::vector<Reading> out;
  decoder.plugged(Time{}, out);
  std::set<std::string> told;
  for (const Reading& r : out)
    if (r.control != ControlId::presence) told.insert(control_name(r.control));
  CHECK(told == std::set<std::string>{"face.south", "shoulder.left", "hat.left", "hat.right"});
  CHECK(out.front().control == ControlId::presence);
}

TEST_CASE("A track: description and events, as evemu writes them") {
  const Track t = parse_track(head + "E: 0.000001 0003 0000 -50\t# EV_ABS / ABS_X\nE: 1.5 0000 0000 0\n", "t");
  CHECK(t.device.name == "Pad # one");
  CHECK(t.device.vendor == 0x1209);
  CHECK(t.device.absolute.at(0).maximum == 100);
  CHECK(t.device.absolute.at(0x10).resolution == 0);  // an older version's line, without it
  REQUIRE(t.events.size() == 2);
  CHECK(t.events[0].time_us == 1);
  CHECK(t.events[0].value == -50);
}

TEST_CASE("A track is written and read back the same") {
  testing::Hands hands(3);
  hands.push("stick.left.x", -0.7, 0.2).tap("hat.up").push("trigger.right", 1, 0.1);
  const Track made = hands.track(), back = parse_track(write_track(made), "t");
  CHECK(back.device.keys == made.device.keys);
  CHECK(back.device.absolute.size() == made.device.absolute.size());
  REQUIRE(back.events.size() == made.events.size());
  CHECK(write_track(back) == write_track(made));
  CHECK(made.events.size() > 50);
}

TEST_CASE("Tracks that cannot be are refused with their line") {
  const struct {
    const char* what;
    std::string text;
    int line;
    Code code;
  } cases[] = {
      {"cut in the middle of an event", head + "E: 0.000001 0003 00", 9, Code::syntax},
      {"cut where the line still looks whole", head + "E: 0.000001 0003 0000 5", 9, Code::syntax},
      {"a word for a number", head + "E: 0.1 0003 0000 x\n", 9, Code::syntax},
      {"a number too large", head + "E: 0.1 0003 0000 99999999999\n", 9, Code::syntax},
      {"times backwards", head + "E: 2.0 0 0 0\nE: 1.0 0 0 0\n", 10, Code::event},
      {"no such line", head + "Q: 1\n", 9, Code::syntax},
      {"an event type beyond all", head + "B: ff 00\n", 9, Code::syntax},
      {"something after the number", head + "E: 0.1 0003 0000 5 6\n", 9, Code::syntax},
      {"no name", "E: 0.1 0003 0000 5\n", 1, Code::device},
      {"empty", "", 0, Code::device},
      {"bytes", std::string("\0\xff\x01", 3), 1, Code::syntax},
  };
  for (const auto& c : cases) {
    CAPTURE(c.what);
    try {
      parse_track(c.text, "t.evemu");
      FAIL("was read");
    } catch (const SessionError& e) {
      CHECK(e.problems().front().line == c.line);
      CHECK(e.problems().front().code == c.code);
      CHECK_FALSE(e.problems().front().allowed.empty());
    }
  }
}

TEST_CASE("A track cut anywhere is an error or a shorter track, never a crash; noise too") {
  testing::Hands hands(5);
  hands.push("stick.left.x", 1, 0.05).tap("face.south");
  const std::string whole = write_track(hands.track());
  int read = 0;
  for (std::size_t cut = 0; cut < whole.size(); cut += 7) {
    try {
      const Track t = parse_track(std::string_view(whole).substr(0, cut), "t");
      CHECK(t.events.size() <= hands.track().events.size());
      ++read;
    } catch (const SessionError&) {
    }
  }
  CHECK(read > 0);
  test::Random random;
  for (int i = 0; i < 500; ++i) {
    std::string noisy = whole;
    for (int k = 0; k < 4; ++k)
      noisy[static_cast<std::size_t>(random.whole(0, static_cast<int>(noisy.size()) - 1))] =
          static_cast<char>(random.whole(0, 255));
    try {
      parse_track(noisy, "t");
    } catch (const SessionError& e) {
      CHECK(e.problems().size() <= 20);
    }
  }
}

TEST_CASE("Sessions that cannot be are refused, each with its code; unknown keys are skipped") {
  const std::string start = "gyrax_session = 1\nlength_s = 5\nsomething_newer = 3\n";
  const struct {
    std::string text;
    Code code;
  } cases[] = {
      {"length_s = 5\n", Code::version_missing},
      {"gyrax_session = 2\nlength_s = 5\n", Code::version_newer},
      {"gyrax_session = 1\n", Code::missing_key},
      {"gyrax_session = 1\nlength_s = nan\n", Code::not_finite},
      {"gyrax_session = 1\nlength_s = 1e9\n", Code::out_of_range},
      {start + "[[fault]]\nkind = \"silent\"\nlink = \"l\"\n", Code::missing_key},
      {start + "[[fault]]\nat_s = 1\nkind = \"sulks\"\nlink = \"l\"\n", Code::bad_choice},
      {start + "[[fault]]\nat_s = 1\nkind = \"stuck\"\nlink = \"l\"\n", Code::missing_key},
      {start + "[handset.pad]\n", Code::missing_key},
      {start + "[handset.pad]\ntrack = \"none.evemu\"\n", Code::unreadable},
      {start + "[handset.pad]\ntrack = \"none.evemu\"\nplugged_s = [[2, 1]]\n", Code::wrong_type},
      {start + "[handset.pad]\ntrack = \"none.evemu\"\nplugged_s = 3\n", Code::wrong_type},
      {"gyrax_session = \n", Code::syntax},
  };
  for (const auto& c : cases) {
    CAPTURE(c.text);
    try {
      parse_session(c.text, "s.toml");
      FAIL("was read");
    } catch (const SessionError& e) {
      CHECK(std::any_of(e.problems().begin(), e.problems().end(), [&](const Problem& p) { return p.code == c.code; }));
    }
  }
  CHECK(parse_session(start, "s.toml").length == std::chrono::seconds(5));
}

TEST_CASE("A session's tracks have a bound together, held before they are read") {
  const std::string folder = std::filesystem::temp_directory_path().string() + "/gyrax-tracks";
  std::filesystem::create_directories(folder);
  write_text(folder + "/a.evemu", "N: pad\n");
  write_text(folder + "/b.evemu", "N: pad\n");
  std::filesystem::resize_file(folder + "/b.evemu", max_track - 6);  // a hole, and one byte too many with the other
  std::string said;
  try {
    parse_session(
        "gyrax_session = 1\nlength_s = 5\n[handset.a]\ntrack = \"a.evemu\"\n[handset.b]\ntrack = \"b.evemu\"\n",
        folder + "/s.toml");
  } catch (const SessionError& error) {
    said = error.what();
  }
  std::filesystem::remove_all(folder);
  CHECK(said.find("handset.b.track: the session's tracks are too long; at most 268435456 bytes (256 MiB) together "
                  "[too_many]") != std::string::npos);
}

TEST_CASE("A session for another rig is refused, with the line and what was probably meant") {
  const std::string start = "gyrax_session = 1\nlength_s = 5\n\n";
  const Session s = parse_session(start + "[[fault]]\nat_s = 1\nkind = \"silent\"\nlink = \"machin\"\n", "s.toml");
  try {
    Player(s, test::rig(test::jog_and_step));
    FAIL("was taken");
  } catch (const SessionError& e) {
    CHECK(e.problems().front().guess == "machine");
    CHECK(e.problems().front().line == 4);
  }
}
