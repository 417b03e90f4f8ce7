// What means something else after an edit.
#include <gyrax/rig/differences.hpp>

#include "finding_cases.hpp"
#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <algorithm>

using namespace gyrax;

namespace {

std::vector<std::string> after(const std::string& from, const std::string& to) {
  std::string text = test::sound_rig;
  const std::size_t at = from.empty() ? text.size() : text.find(from);
  REQUIRE(at != std::string::npos);
  return differences(test::rig(test::sound_rig), test::rig(text.replace(at, from.size(), to)));
}

using Said = std::vector<std::string>;

}  // namespace

TEST_CASE("Other lines, comments and places mean nothing else") {
  CHECK(after("", "").empty());
  CHECK(after("[tick]\n", "# a line more\n\n[tick]\n").empty());
  CHECK(after("speed = 60", "speed = 60.0").empty());
  CHECK(after("\"menu.left\" = \"stow\"\n\"shoulder.right\" = \"enable\"",
              "\"shoulder.right\" = \"enable\"\n\"menu.left\" = { stow = \"all\" }")
            .empty());
}

TEST_CASE("A number is told with what follows from it, a name as a new thing") {
  const Said slower = after("speed = 60", "speed = 50");
  for (const char* said : {"axis tilt: speed was 60, is 50", "axis tilt: stop_distance was 7.5, is ",
                           "axis tilt: travel_s was ", "axis tilt: stop_s was "})
    CHECK(std::ranges::any_of(slower, [&](const std::string& one) { return one.starts_with(said); }));
  CHECK(slower.size() == 4);
  CHECK(after("[switch.lamp]", "[switch.lamp]\nbecomes = { stop_key = \"keep\" }") ==
        Said{"switch lamp: becomes.stop_key was off, is keep"});
  CHECK(after("", "[switch.pump]\n") == Said{"switch pump is new"});
  CHECK(after("\"face.north\" = { set = \"lamp\" }", "\"face.north\" = { set = \"lamp\", to = \"on\" }") ==
        Said{"a binding is gone: face.north: turns lamp on or off", "a binding is new: face.north: turns lamp on"});
  CHECK(after("", "[stops]\nstow = 2\n") == Said{"zone main: categories.stow was 1, is 2"});
}
