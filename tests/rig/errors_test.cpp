// Every kind of problem has a case here, and what is said of it is held against a file that was read.
#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/session.hpp>
#include <gyrax/logbook/reader.hpp>
#include <gyrax/rig/rig.hpp>

#include "more_errors.hpp"
#include "support/golden.hpp"
#include "support/logbooks.hpp"
#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <filesystem>
#include <functional>
#include <set>
#include <string>
#include <vector>

using namespace gyrax;

namespace {

struct Case {
  Code code;
  std::string what;
  std::function<void()> act;
};

std::string replaced(std::string text, const std::string& from, const std::string& to) {
  const std::size_t at = text.find(from);
  REQUIRE(at != std::string::npos);
  return text.replace(at, from.size(), to);
}

/// The working rig with one thing changed.
std::function<void()> changed(const std::string& from, const std::string& to) {
  return [=] { test::rig(replaced(test::jog_and_step, from, to)); };
}
std::function<void()> added(const std::string& more) {
  return [=] { test::rig(test::jog_and_step + more); };
}
std::function<void()> track(const std::string& text) {
  return [=] { parse_track(text, "pad.evemu"); };
}

const std::string servo = "\n[axis.s]\nunit = \"deg\"\ntravel = [-50, 50]\nspeed = 9\naccel = 9\nstart = 0\nservo = ";

std::vector<Case> cases() {
  std::vector<Case> all{
      {Code::unreadable, "no such file", [] { load_rig("no/such/rig.toml"); }},
      {Code::unreadable, "a folder", [] { load_rig("demo"); }},
      {Code::unreadable, "endless", [] { load_rig("/dev/zero"); }},
      {Code::syntax, "a value is missing", changed("travel = [0, 100]", "travel =")},
      {Code::duplicate_name, "the same key twice", changed("unit = \"mm\"", "unit = \"mm\"\nunit = \"mm\"")},
      {Code::syntax, "a table's name begins with no letter", changed("[handset.pad]", "[?andset.pad]")},
      {Code::syntax, "a key that goes too deep", added("[axis.x.a.b.c.d.e.f.g.h.i.j.k.l.m.n.o]\n")},
      {Code::syntax, "values that lie too deep in one another", added("a = [[[[[[[[[[[[[[[[[0]]]]]]]]]]]]]]]]]\n")},
      {Code::unreadable, "larger than a rig can be", added(std::string(max_rig, '\n'))},
      {Code::version_missing, "no version", changed("gyrax = 1", "")},
      {Code::version_newer, "from the future", changed("gyrax = 1", "gyrax = 2")},
      {Code::unknown_key, "a slip of the pen", changed("travel =", "travle =")},
      {Code::unknown_key, "a section that is none", added("[axes.y]\n")},
      {Code::unknown_key, "in a table in a line", changed("jerk = { accel = 20000,", "jerk = { acel = 20000,")},
      {Code::unknown_key, "a word of an older form", changed("decel = 400", "brake = { accel = 400 }\ndeviation = 1")},
      {Code::unknown_key, "the rate is an override now", added("[rate]\nnotches = [100]\nstart = 100\n")},
      {Code::missing_key, "no speed", changed("speed = 50\n", "")},
      {Code::missing_key, "an axis without increments",
       changed("increments = [0.01, 0.05, 1]\nincrement = 0.05\n", "")},
      {Code::missing_key, "reduced speed that is nowhere described",
       added("[bind]\n\"thumb.left\" = { reduced = \"toggle\" }\n")},
      {Code::missing_key, "a pose without a place", added("[pose.park]\n")},
      {Code::missing_key, "an assumed axis that nobody knows the place of",
       changed("unit = \"mm\"", "unit = \"mm\"\nposition = \"assumed\"")},
      {Code::wrong_type, "a text for a number", changed("speed = 50", "speed = \"fast\"")},
      {Code::wrong_type, "one number for two", changed("travel = [0, 100]", "travel = 100")},
      {Code::wrong_type, "a fraction for a whole number", changed("gyrax = 1", "gyrax = 1.5")},
      {Code::out_of_range, "no speed at all", changed("speed = 50", "speed = 0")},
      {Code::out_of_range, "beyond what is counted", changed("travel = [0, 100]", "travel = [0, 1e12]")},
      {Code::out_of_range, "a goal outside the travel", changed("to = 60", "to = 600")},
      {Code::out_of_range, "millimetres without end", changed("travel = [0, 100]", "travel = \"endless\"")},
      {Code::out_of_range, "stages that go back in time",
       added("[bind]\n\"thumb.left\" = { jog = \"x\", stages = [[0, 10], [1, 50], [0.5, 100]] }\n")},
      {Code::out_of_range, "a pose outside the travel", added("[pose.park]\nx = 101\n")},
      {Code::out_of_range, "catching up faster than the axis can",
       added("[bind]\n\"trigger.left\" = { follow = \"x\", catch_up = 60 }\n")},
      {Code::not_finite, "not a number", changed("speed = 50", "speed = nan")},
      {Code::not_finite, "infinite", changed("accel = 200", "accel = inf")},
      {Code::bad_choice, "a unit that is none", changed("unit = \"mm\"", "unit = \"inch\"")},
      {Code::bad_choice, "a permit that is none", changed("= \"ready\"", "= \"raedy\"")},
      {Code::bad_name, "a name with a space", added("[switch.\"my lamp\"]\n")},
      {Code::unknown_name, "a pose that is not there",
       added("[pose.park]\nx = 1\n\n[bind]\n\"thumb.left\" = { pose = \"prak\" }\n")},
      {Code::unknown_name, "a pose of an axis that is not there", added("[pose.park]\nxx = 1\n")},
      {Code::wrong_control, "a key as a handwheel", added("[bind]\n\"thumb.left\" = { handwheel = \"x\" }\n")},
      {Code::wrong_control, "a stick that grows",
       added("[bind]\n\"stick.left.y\" = { jog = \"x\", stages = [[0, 10]] }\n")},
      {Code::wrong_control, "following a key", added("[bind]\n\"thumb.left\" = { follow = \"x\" }\n")},
      {Code::two_groups, "a pose over two groups",
       added("[axis.y]\nunit = \"mm\"\ntravel = [0, 1]\nspeed = 1\naccel = 1\n[pose.park]\nx = 1\ny = 1\n")},
      {Code::unknown_name, "an axis that is not there", changed("jog = \"x\"", "jog = \"xx\"")},
      {Code::unknown_control, "a control that no handset has", changed("\"stick.left.x\"", "\"stick.left.z\"")},
      {Code::wrong_control, "a dial cannot jog", changed("\"stick.left.x\"", "\"dial.1\"")},
      {Code::wrong_control, "a key cannot be squeezed",
       changed("= \"enable\"", "= { enable = \"all\", squeeze = 80 }")},
      {Code::reversed_range, "travel downwards", changed("travel = [0, 100]", "travel = [100, 0]")},
      {Code::calibration, "a centre outside its ends",
       changed("[handset.pad]",
               "[handset.pad.control]\n\"stick.left.x\" = { minimum = 0, centre = 300, maximum = 255 }")},
      {Code::servo_reach, "trim takes the pulse beyond the end",
       added(servo + "{ ends = [-60, 60], pulse_us = [900, 2100], trim_us = 150 }\n")},
      {Code::not_a_notch, "a start that is no notch", changed("start = 100", "start = 75")},
      {Code::one_effect, "nothing", added("[bind]\n\"thumb.left\" = {}\n")},
      {Code::one_effect, "two things", changed("jog = \"x\"", "jog = \"x\", step = \"x\"")},
      {Code::layer_not_allowed, "stop in a layer only",
       added("[while.\"shoulder.left\"]\n\"thumb.left\" = \"stop\"\n")},
      {Code::wrong_type, "the form that bindings had",
       changed("[bind]\n\"menu.right\" = \"ready\"", "[[bind]]\ncontrol = \"menu.right\"\npermit = \"ready\"")},
      {Code::duplicate_name, "the same keys together, twice",
       added("[in.other]\n\"thumb.left\" = { step = \"x\" }\n[bind]\n\"thumb.right\" = { layer = \"other\" "
             "}\n\"hat.left + hat.up\" = { "
             "jog = \"x\" }\n"
             "\"hat.up + hat.left\" = { jog = \"-x\" }\n")},
      {Code::duplicate_name, "a control bound twice", added("[bind]\n\"face.east\" = { jog = \"x\" }\n")},
      {Code::duplicate_name, "a press beside a gesture", added("[bind]\n\"face.east\".hold = { jog = \"x\" }\n")},
      {Code::bad_choice, "a gesture that is none", added("[bind]\n\"thumb.left\".hodl = { step = \"x\" }\n")},
      {Code::one_effect, "a list of nothing", added("[bind]\n\"thumb.left\" = []\n")},
      {Code::unknown_control, "keys together without blanks",
       added("[bind]\n\"thumb.left+thumb.right\" = { step = \"x\" }\n")},
      {Code::unknown_control, "a held control without quotes",
       added("[while.shoulder.left]\n\"thumb.left\" = { step = \"x\" }\n")},
      {Code::unknown_key, "what stood beside an effect in an older form",
       added(
           "[bind]\n\"thumb.left\" = { step = \"x\", gesture = \"hold\", with = [\"face.west\"], reversed = true }\n")},
      {Code::wrong_type, "a table for a name",
       added("[bind]\n\"thumb.left\" = { step = { axis = \"x\", by = -1 } }\n")},
      {Code::out_of_range, "a step by less than nothing",
       added("[bind]\n\"thumb.left\" = { step = \"x\", by = -1 }\n")},
      {Code::unknown_control, "a name that stands without quotes", added("[bind]\nface.up = { jog = \"x\" }\n")},
      {Code::wrong_control, "one axis for a pair", added("[bind]\n\"stick.right\" = { jog = \"x\" }\n")},
      {Code::wrong_control, "two axes for one control",
       added("[bind]\n\"stick.right.x\" = { jog = [\"x\", \"x\"] }\n")},
      {Code::wrong_control, "a pair of keys that has no opposite",
       [] { test::rig(test::one_axis + "\"hat.x\" = { go = \"x\", to = 3 }\n"); }},
      {Code::bad_choice, "a bare word that is no word to the permit", added("[bind]\n\"thumb.left\" = \"jog\"\n")},
      {Code::missing_binding, "a layer that nothing turns on",
       added("[in.rotary]\n\"thumb.left\" = { jog = \"x\" }\n")},
      {Code::unknown_name, "two handsets, and it is not said which", added("[handset.box]\n")},
      {Code::two_groups, "an axis in two groups", added("[group.a]\naxes = [\"x\"]\n[group.b]\naxes = [\"x\"]\n")},
      {Code::missing_binding, "nothing stops it", changed("= \"stop\"", "= \"reset\"")},
      {Code::one_effect, "one press, two words to the permit",
       changed("\"menu.right\" = \"ready\"", "\"menu.right\" = [\"ready\", \"reset\"]")},
      {Code::one_effect, "a smoothed enable",
       changed("[handset.pad]",
               "[handset.pad]\ncontrol.\"trigger.left\" = { smoothing_ms = 300 }\n[bind]\n\"trigger.left\" = "
               "\"enable\"\n")},
      {Code::bad_choice, "an enable that is tapped",
       changed("\"shoulder.right\" = \"enable\"", "\"shoulder.right\".tap = \"enable\"")},
      {Code::out_of_range, "squeezed before it is pressed",
       changed("[handset.pad]",
               "[handset.pad]\ncontrol.\"trigger.left\" = { press = [70, 60] }\n[bind]\n"
               "\"trigger.left\" = { enable = \"all\", squeeze = 65 }\n")},
      {Code::missing_binding, "a zone that only follows, and nothing stops it",
       [] {
         std::string text = test::one_axis + "[bind]\n\"throttle\" = { follow = \"x\" }\n";
         text.replace(text.find("\"stop\""), 6, "\"stow\"");
         test::rig(text);
       }},
      {Code::wrong_control, "a motor that goes to a place",
       added("[axis.belt]\nunit = \"%\"\naccel = 100\n\n[bind]\n\"thumb.left\" = { go = \"belt\", to = 10 }\n")},
      {Code::two_groups, "a motor among axes",
       added("[axis.belt]\nunit = \"%\"\naccel = 100\n[group.a]\naxes = [\"x\", \"belt\"]\n")},
      {Code::one_effect, "a coupled axis that moves alone",
       added("[axis.y]\nunit = \"mm\"\ntravel = [0, 1]\nspeed = 1\naccel = 1\n[group.a]\naxes = [\"x\", "
             "\"y\"]\ntogether = true\n")},
      {Code::out_of_range, "an override of next to nothing",
       changed("notches = [10, 50, 100]", "notches = [0.01, 50, 100]")},
      {Code::nothing_to_move, "empty", [] { parse_rig("gyrax = 1\n", "rig.toml"); }},
      {Code::include, "a file that is not there", changed("gyrax = 1", "gyrax = 1\ninclude = [\"more.toml\"]")},
      {Code::device, "a track without a device", track("E: 0.1 0003 0000 5\n")},
      {Code::event, "times backwards", track("N: pad\nE: 2.0 0000 0000 0\nE: 1.0 0000 0000 0\n")},
  };
  for (const test::Edit& edit : test::edits)
    all.push_back({edit.code, edit.what, *edit.from == '\0' ? added(edit.to) : changed(edit.from, edit.to)});
  all.push_back({Code::out_of_range, "a session that is shorter than its hands", [] {
                   parse_session("gyrax_session = 1\nlength_s = 2\n[handset.pad]\ntrack = \"demo/pad.evemu\"\n",
                                 "session.toml");
                 }});
  const std::string head = test::packed("{\"gyrax_logbook\":2}\n");
  all.push_back({Code::cut_off, "a logbook that ends in its head",
                 [head] { LogbookReader(head.substr(0, 40), "run.jsonl.zst"); }});
  all.push_back({Code::damaged, "a logbook with a flipped bit in its head", [head] {
                   std::string flipped = head;
                   flipped[40] = static_cast<char>(flipped[40] ^ 4);
                   LogbookReader(flipped, "run.jsonl.zst");
                 }});
  all.push_back({Code::version_newer, "a logbook of a newer program",
                 [] { LogbookReader(test::packed("{\"gyrax_logbook\":3}\n"), "run.jsonl.zst"); }});
  all.push_back({Code::too_many, "more axes than a tick is bounded for", [] {
                   std::string text = test::jog_and_step;
                   for (std::size_t i = 0; i < max_axes; ++i)
                     text +=
                         "[axis.a" + std::to_string(i) + "]\nunit = \"mm\"\ntravel = [0, 1]\nspeed = 1\naccel = 1\n";
                   parse_rig(text, "rig.toml");
                 }});
  all.push_back({Code::too_many, "more rows than are read", [] {
                   std::string text = test::one_axis;
                   for (int i = 0; i < 2050; ++i) text += "\"key." + std::to_string(i) + "\" = \"stop\"\n";
                   parse_rig(text, "rig.toml");
                 }});
  all.push_back({Code::duplicate_name, "described in two files", [] {
                   const std::string folder = std::filesystem::temp_directory_path().string() + "/gyrax-include";
                   std::filesystem::create_directories(folder);
                   write_text(folder + "/more.toml", "gyrax = 1\n[switch.lamp]\n");
                   try {
                     parse_rig(replaced(test::jog_and_step, "gyrax = 1", "gyrax = 1\ninclude = [\"more.toml\"]"),
                               folder + "/rig.toml");
                   } catch (const RigError& e) {
                     std::vector<Problem> here = e.problems();
                     std::filesystem::remove_all(folder);
                     for (Problem& p : here)
                       for (std::string* text : {&p.file, &p.allowed})
                         for (std::size_t at; (at = text->find(folder + "/")) != std::string::npos;)
                           text->erase(at, folder.size() + 1);
                     throw RigError(here);
                   }
                 }});
  return all;
}

}  // namespace

TEST_CASE(
    "Each kind of problem is told with its place, what is wrong, what is right (GYRAX_REFRESH=1 writes the file "
    "anew)") {
  std::string told;
  std::set<Code> seen;
  for (const Case& c : cases()) {
    CAPTURE(c.what);
    told += "# " + c.what + "\n";
    try {
      c.act();
      FAIL_CHECK("nothing was found wrong");
    } catch (const FileError& e) {
      const auto has = [&](const Problem& p) { return p.code == c.code; };
      CHECK(std::any_of(e.problems().begin(), e.problems().end(), has));
      seen.insert(c.code);
      told += std::string(e.what()) + "\n";
    }
  }
  for (int i = 0; i < code_count; ++i) {
    const Code code = static_cast<Code>(i);
    CAPTURE(code_name(code));
    CHECK(seen.contains(code));
  }
  test::check_golden("tests/golden/problems.txt", told);
}

TEST_CASE("Everything that is wrong is told at once, in the order of the lines") {
  std::string text = test::jog_and_step;
  text = replaced(text, "speed = 50", "speed = -50");
  text = replaced(text, "accel = 200", "acel = 200");
  text = replaced(text, "jog = \"x\"", "jog = \"w\"");
  try {
    parse_rig(text, "rig.toml");
    FAIL("was read");
  } catch (const RigError& e) {
    REQUIRE(e.problems().size() == 3);  // that accel is missing follows from the second
    for (std::size_t i = 1; i < e.problems().size(); ++i) CHECK(e.problems()[i - 1].line <= e.problems()[i].line);
  }
}

TEST_CASE("Whatever TOML allows is read, however it is written") {
  const std::string text = R"(gyrax_session = 1
length_s = 1
"quoted".key . 'of names' = 1                   # "\xc3\xa9
3.14.'x' = 2
lists = [1, 2.5, [ "[", '{' ], [
  # a comment "with quotes
  { a."b=c" = [1, 2], d = "}" }, {},
], "\", é", '\', 1e3, 0x1f, +inf, 1979-05-27 07:32:00]
long = """
"" é \
   a"" """"
other = '''it''s [ " '' é'''''
empty = ""
[tables."of.names"]
[[rows]]
[[ rows . 'x' ]]
)";
  CHECK(parse_session(text, "session.toml").length == std::chrono::seconds(1));
}

TEST_CASE("Of very many problems the first are told and the rest is counted; what is very long is cut short") {
  std::string text = test::one_axis;
  for (int i = 0; i < 1500; ++i) text += "\"" + std::string(500, 'x') + std::to_string(i) + "\" = { jog = \"x\" }\n";
  try {
    parse_rig(text, "rig.toml");
    FAIL("was read");
  } catch (const RigError& e) {
    REQUIRE(e.problems().size() == 1001);
    CHECK(sentence(e.problems().back()) == "rig.toml: 500 more problems; mend these first [too_many]");
    for (const Problem& p : e.problems()) CHECK(p.what.size() < 500);
  }
}

TEST_CASE("A rig's files have a bound together") {
  const std::string folder = std::filesystem::temp_directory_path().string() + "/gyrax-large";
  std::filesystem::create_directories(folder);
  std::string includes;
  for (const char* name : {"a.toml", "b.toml"}) {
    write_text(folder + "/" + name, "gyrax = 1\n" + std::string(max_rig / 2, '\n'));
    includes += std::string(includes.empty() ? "" : ", ") + '"' + name + '"';
  }
  std::string said;
  try {
    parse_rig(replaced(test::jog_and_step, "gyrax = 1", "gyrax = 1\ninclude = [" + includes + "]"),
              folder + "/rig.toml");
  } catch (const RigError& e) {
    said = e.what();
  }
  std::filesystem::remove_all(folder);
  CHECK(said.find("b.toml' the rig's files have more than 1048576 bytes (1 MiB) [include]") != std::string::npos);
}

TEST_CASE("A letter beyond ASCII belongs into quotes and comments; elsewhere it is told, whatever stands before it") {
  const struct {
    std::string text;
    int line;
  } wrong[] = {{"gyrax = 1\nachse_\xc3\xa4 = 1\n", 2},
               {"gyrax = \xcf\x99n[link]\n", 1},
               {"title = \"a\\\"\xc3\xa9\" # \xc3\xa9\nb = '''\xc3\xa9\n'\xc3\xa9'''\n\xe2\x80\x83"
                "c = 1\n",
                4},
               {"title = \"open\n\xc2\xa0x = 1\n", 2},
               {"gyrax = 1\"\"\"o\xef\xbb\xa1g\n", 1},
               {"gyrax = 1\nn = 1'\x01-\xce\xa0p\n", 2},
               {"title = \"a\"\"\xc3\xa9\"\n", 1},
               {"gyrax = 39.\"P\xef\xb6\xbf\n", 1},
               {"gyrax = 1[\"\xef\xb6\xbf\n", 1},
               {"a = [1, {b.\"c\" = 2}, 3.\"\xef\xb6\xbf\n", 1},
               {"gyrax == =\"\xef\xb6\xbf\n", 1},
               {"title = \"\"\"a\"\\\xef\xb9\xbf\\L\n", 1},
               {"title = \"\"\"\na\\\n\t\xef\xb9\xbf\"\"\"\n", 2}};
  for (const auto& c : wrong) {
    CAPTURE(c.text);
    try {
      parse_rig(c.text, "rig.toml");
      FAIL("taken");
    } catch (const RigError& error) {
      CHECK(error.problems().front().code == Code::syntax);
      CHECK(error.problems().front().line == c.line);
    }
  }
  CHECK(parse_rig("\xef\xbb\xbf" + test::jog_and_step + "\n# \xc3\xa9\n", "rig.toml").axes.size() == 1);
  for (const char* title : {"\"\"\"\xc3\xa9\"\" \"\"\"\"\"", "'''\xc3\xa9\n'' ''''", "\"\" # \"\xc3\xa9"}) {
    CAPTURE(title);
    const std::string text = std::string("gyrax = 1\ntitle = ") + title + "\n\"include\" = [\n  # \xc3\xa9\n]\n";
    CHECK(parse_rig(text + test::jog_and_step.substr(test::jog_and_step.find("gyrax = 1") + 10), "rig.toml")
              .axes.size() == 1);
  }
}
