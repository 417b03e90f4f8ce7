// What an experienced colleague would say of a rig: every kind is found, and none where there is nothing to find.
#include <gyrax/rig/findings.hpp>

#include "finding_cases.hpp"
#include "support/golden.hpp"
#include "support/rigs.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <set>

using namespace gyrax;

namespace {

std::string changed(const test::Doubt& doubt) {
  std::string text = test::sound_rig;
  const std::string from = doubt.from;
  if (from.empty()) return text + doubt.to;
  const std::size_t at = text.find(from);
  REQUIRE(at != std::string::npos);
  return text.replace(at, from.size(), doubt.to);
}

}  // namespace

TEST_CASE("Nothing is found in a sound rig, in the demo's and in those of eight handsets") {
  CHECK(findings(test::rig(test::sound_rig)).empty());
  for (const char* folder : {"demo", "demo/handsets"})
    for (const auto& entry : std::filesystem::directory_iterator(folder)) {
      const std::string path = entry.path().string();
      const bool rig = path.ends_with(".toml") && path.find("session") == std::string::npos &&
                       path.find("calibration") == std::string::npos;
      if (!rig) continue;
      CAPTURE(path);
      for (const Finding& f : findings(load_rig(path))) FAIL_CHECK(sentence(f));
    }
}

TEST_CASE("Each doubt is told with its place, why, and what to write instead (GYRAX_REFRESH=1 writes the file anew)") {
  std::string told;
  std::set<std::string> met;
  for (const test::Doubt& doubt : test::doubts) {
    CAPTURE(std::string(doubt.what));
    std::vector<Finding> all;
    try {
      all = findings(test::rig(changed(doubt)));
    } catch (const RigError& error) {
      FAIL_CHECK(std::string(error.what()));
    }
    CHECK(std::ranges::any_of(all, [&](const Finding& f) { return std::string(f.about->code) == doubt.code; }));
    CHECK(std::ranges::is_sorted(all, std::ranges::greater{}, [](const Finding& f) { return f.about->severity; }));
    told += fmt::format("# {}\n", doubt.what);
    for (const Finding& f : all) {
      CHECK(f.at.file == "rig.toml");
      CHECK_FALSE(f.instead.empty());
      told += sentence(f) + "\n";
      met.insert(f.about->code);
    }
  }
  test::check_golden("tests/golden/findings.txt", told);
  // What only a board's rig can have: board_test.cpp.
  for (const char* code : {"wire_too_slow", "step_below_step", "supply_too_small"}) met.insert(code);
  for (const AboutFinding& about : about_findings()) {
    CAPTURE(std::string(about.code));
    CHECK(met.contains(about.code));
  }
}
