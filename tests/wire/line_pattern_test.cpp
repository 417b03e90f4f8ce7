// Patterns of lines: what fits, what stands at the places, and that what was filled in is found again.
#include "support/random.hpp"

#include <gyrax/wire/line_pattern.hpp>

#include <doctest/doctest.h>

#include <map>
#include <string>

using namespace gyrax;
using wire::LinePattern;

namespace {

LinePattern pattern(const std::string& text) {
  std::string why;
  const auto made = LinePattern::parse(text, why);
  REQUIRE_MESSAGE(made, why);
  return *made;
}

}  // namespace

TEST_CASE("A line fits whole or not at all; a place ends where what follows it begins") {
  struct Case {
    const char* pattern;
    const char* line;
    const char* found;  // "place=text, …"; nullptr: it does not fit
  };
  for (const Case& one :
       {Case{"ok", "ok", ""}, Case{"ok", "okay", nullptr}, Case{"ok", "", nullptr},
        Case{"ack {number}", "ack 17", "number=17"}, Case{"ack {number}", "ack ", nullptr},
        Case{"{state} X{X} Y{Y}", "run X-1.5 Y22", "X=-1.5, Y=22, state=run"},
        Case{"{state} X{X} Y{Y}", "run X-1.5", nullptr}, Case{"<{state}|{any}>", "<a|b|c>", "any=b|c, state=a"},
        Case{"{a},{a}", "3,3", "a=3"}, Case{"{a},{a}", "3,4", nullptr}, Case{"{{{a}}", "{x}", "a=x"},
        Case{"no {code}: {words}", "no 20: a: b", "code=20, words=a: b"}}) {
    CAPTURE(one.pattern);
    CAPTURE(one.line);
    const std::string line = one.line;
    const auto found = pattern(one.pattern).match(line);
    REQUIRE(found.has_value() == (one.found != nullptr));
    if (!found) continue;
    std::string all;
    for (const auto& [name, text] : *found) all += (all.empty() ? "" : ", ") + name + "=" + std::string(text);
    CHECK(all == one.found);
  }
  CHECK_FALSE(LinePattern().match(""));
}

TEST_CASE("What is no pattern is told why") {
  for (const auto& [text, wrong] : std::map<std::string, std::string>{
           {"a {b", "never closed"}, {"{}", "no place"}, {"{a b}", "no place"}, {"{a}{b}", "tells them apart"}}) {
    std::string why;
    CHECK_FALSE(LinePattern::parse(text, why));
    CHECK(why.find(wrong) != std::string::npos);
  }
}

TEST_CASE("What was filled in is found again, and no line brings it out of step") {
  test::Random random;
  const LinePattern status = pattern("{state} X{X} Y{Y}|{load}");
  for (int i = 0; i < 5000; ++i) {
    const auto number = [&] { return std::to_string(random.in(-1000, 1000)); };
    std::map<std::string, std::string> words{{"state", "run"}, {"X", number()}, {"Y", number()}, {"load", number()}};
    const std::string line = status.fill([&](std::string_view place) { return words.at(std::string(place)); });
    const auto found = status.match(line);
    REQUIRE(found);
    for (const auto& [name, text] : *found) CHECK(text == words.at(name));
    std::string noise = line;
    for (int k = random.whole(1, 4); k > 0; --k)
      noise[static_cast<std::size_t>(random.whole(0, static_cast<int>(noise.size()) - 1))] =
          static_cast<char>(random.whole(1, 255));
    if (const auto other = status.match(noise))
      CHECK(status.fill([&](std::string_view place) { return std::string(other->find(place)->second); }) == noise);
  }
  CHECK(wire::number_of("-1.5") == -1.5);
  CHECK(wire::number_of("+2") == 2);
  for (const char* none : {"", "1e5", "0x1", "nan", "inf", "1.5 ", " 1", "--1", "1,5"}) {
    CAPTURE(none);
    CHECK_FALSE(wire::number_of(none));
  }
}
