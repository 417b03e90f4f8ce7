// No reader takes more memory than it states, whatever it is given.
#include "support/logbooks.hpp"
#include "support/stated_memory.hpp"

#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/calibration_file.hpp>
#include <gyrax/handset/session.hpp>
#include <gyrax/logbook/reader.hpp>
#include <gyrax/rig/review.hpp>

#include <doctest/doctest.h>
#include <fmt/format.h>

#include <functional>

namespace gyrax {
namespace {

struct Case {
  std::string name, text;
};

/// `start`, then as many of `piece` as make up `bytes`, then `end`.
std::string many(const std::string& start, const std::string& piece, const std::string& end,
                 std::size_t bytes = 60'000) {
  std::string text = start;
  while (text.size() + piece.size() + end.size() <= bytes) text += piece;
  return text + end;
}

/// The same with numbered pieces: `{}` in them becomes 0, 1, 2 …
std::string counted(const std::string& start, const std::string& piece) {
  std::string text = start;
  for (int i = 0; text.size() < 60'000; ++i) text += fmt::format(fmt::runtime(piece), i);
  return text;
}

/// What costs a reader of TOML most: values that are short in a file and large in memory, things that are wrong in
/// every line, depth, long names.
std::vector<Case> toml_cases(const std::string& head) {
  const std::string name(20'000, 'n');
  return {
      {"numbers", many(head + "a = [", "0,", "]\n")},
      {"lists", many(head + "a = [", "[],", "]\n")},
      {"tables", many(head + "a = [", "{a=0},", "]\n")},
      {"deep tables", many(head + "a = [", "{a.a.a.a.a.a.a.a.a.a.a.a.a.a.a=0},", "]\n")},
      {"deeper tables", many(head + "a = [", "{a.a.a.a.a.a={a.a.a.a={a.a.a={a.a=0}}}},", "]\n")},
      {"keys", counted(head, "k{}=0\n")},
      {"headers", counted(head, "[t{}]\n")},
      {"dotted headers", counted(head, "[a.b{}.c.d.e.f]\n")},
      {"lists never closed", many(head + "a = ", "[", "\n")},
      {"one key", many(head, "a.", "a = 1\n", 1'000'000)},
      {"one header", many(head + "[", "a.", "a]\n", 1'000'000)},
      {"one header of names in quotes", many(head + "[", "\"=\".", "a]\n", 1'000'000)},
      {"names", many(head + "include = [", "\"a\",", "]\n")},
      {"no UTF-8", many(head, "\xff", "")},
      {"bindings", counted(head + "[bind]\n", "k{}=\"stop\"\n")},
      {"rows of faults", many(head, "[[fault]]\n", "")},
      {"unknown keys in rows", many(head, "[[fault]]\nx=1\n", "")},
      {"one control's list", many(head + "[bind]\n\"face.east\" = [", "{x=1,y=1},", "]\n", 60'000)},
      {"axes", counted(head, "[axis.a{}]\n")},
      {"layers", counted(head, "[layer.l{}]\n")},
      {"handsets", counted(head, "[handset.h{}]\n")},
      {"controls", counted(head, "[handset.h.control.\"c{}\"]\nminimum=0\n")},
      {"measured controls", counted(head, "[control.\"c{}\"]\ncode=\"x\"\n")},
      {"a long name", counted(head + "[axis." + name + "]\n", "k{}=1\n")},
      {"a long name of unknown control", counted(head + "[bind]\n", "\"" + name + "{}\"={{jog=\"x\"}}\n")},
  };
}

template <class Read>
void hold(const Case& one, std::size_t most, Read read) {
  CAPTURE(one.name);
  CHECK(test::memory_of([&] {
          try {
            read(one.text);
          } catch (const FileError& error) {
            CHECK(!error.problems().empty());
          }
        }) <= most);
}

}  // namespace

TEST_CASE("readers of TOML take no more memory than they state") {
  for (const Case& one : toml_cases("gyrax = 1\n"))
    hold(one, test::toml_memory.of(one.text.size()), [](const std::string& text) { parse_rig(text, "rig.toml"); });
  for (const Case& one : toml_cases("gyrax_session = 1\n"))
    hold(one, test::toml_memory.of(one.text.size()),
         [](const std::string& text) { parse_session(text, "session.toml"); });
  for (const Case& one : toml_cases("gyrax_calibration = 1\n"))
    hold(one, test::toml_memory.of(one.text.size()),
         [](const std::string& text) { parse_calibration(text, "calibration.toml"); });
}

TEST_CASE("a rig that may be read takes no more memory than is stated") {
  const std::string fine = read_text("demo/fine.toml", max_rig).text;
  for (const char* piece : {"[in.l{}]\n\"face.south\"=[{{step=\"x\"}},{{step=\"y\"}}]\n\"hat.x\"={{step=\"x\"}}\n",
                            "[layer.l{}]\nstart=\"on\"\n",
                            "[axis.a{}]\nunit=\"mm\"\ntravel=[0,1]\nspeed=1\naccel=1\njerk=1\nlink=\"bench\"\n"}) {
    Case one{piece, fine};
    for (int i = 0; one.text.size() < 60'000; ++i) one.text += fmt::format(fmt::runtime(piece), i);
    hold(one, test::toml_memory.of(one.text.size()),
         [](const std::string& text) { review_json(parse_rig(text, "demo/fine.toml")); });
  }
}

TEST_CASE("a reader of tracks takes no more memory than it states") {
  const std::string head = "# EVEMU 1.3\nN: pad\n";
  const std::size_t bytes = 1'000'000;
  for (const Case& one :
       std::vector<Case>{{"events", many(head, "E:0.0 0 0 0\n", "", bytes)},
                         {"events as they are written", many(head, "E: 0.000000 0000 0000 0000\n", "", bytes)},
                         {"events from the start", many("", "E:0.0 0 0 0\n", "N: pad\n", bytes)},
                         {"no events", many(head, "E:\n", "", bytes)},
                         {"a long name", many("N: ", "n", "\n", bytes)},
                         {"wrong lines", many(head, "x\n", "", bytes)},
                         {"bits", many(head, "B: 01 ff\n", "", bytes)},
                         {"axes", many(head, "A: 00 0 1 0 0\n", "", bytes)}})
    hold(one, test::track_memory.of(one.text.size()),
         [](const std::string& text) { parse_track(text, "track.evemu"); });
}

TEST_CASE("a reader of logbooks takes no more memory than it states") {
  const std::size_t bytes = 200'000;
  const std::string whole = read_text("tests/fuzz/corpus/logbook/short.jsonl", max_piece).text;
  const std::string head = whole.substr(0, whole.find('\n') + 1);
  REQUIRE(head.starts_with("{\"gyrax_logbook\""));
  for (const Case& one : std::vector<Case>{
           {"numbers", many("[", "0,", "0]\n", bytes)},
           {"lists", many("[", "[],", "0]\n", bytes)},
           {"objects", many("[", "{},", "0]\n", bytes)},
           {"small objects", many("[", "{\"\":0},", "0]\n", bytes)},
           {"objects in objects", many("[", "{\"\":{\"\":{}}},", "0]\n", bytes)},
           {"texts", many("[", "\"\",", "0]\n", bytes)},
           {"lists never closed", many("", "[", "\n", bytes)},
           {"objects never closed", many("", "{\"\":", "\n", bytes)},
           {"readings", many("{\"t\":1,\"r\":[", "[0,0,0,0,0,0],", "[0,0,0,0,0,0]],\"x\":\"0000\"}\n", bytes)},
           {"reports", many("{\"t\":1,\"m\":[[0,0,0,0,[", "null,", "null]]],\"x\":\"0000\"}\n", bytes)},
           {"no line's end", many("", "x", "", 3'000'000)}}) {
    const std::size_t most = test::logbook_memory.of(one.text.size()) + one.text.size();
    hold({one.name, test::packed(one.text)}, most,
         [](const std::string& file) { LogbookReader(file, "log.jsonl.zst"); });
    hold({one.name, test::packed(head + one.text)}, most, [](const std::string& file) {
      LogbookReader log(file, "log.jsonl.zst");
      for (LogRecord record; log.next(record);) {
      }
    });
  }
}

}  // namespace gyrax
