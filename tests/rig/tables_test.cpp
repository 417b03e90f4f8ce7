// docs/tables.md is written from the code's own tables, and this test holds the two together.
#include <gyrax/files/problem.hpp>
#include <gyrax/permit/interlock.hpp>
#include <gyrax/permit/phase.hpp>
#include <gyrax/rig/findings.hpp>

#include "support/golden.hpp"

#include <fmt/format.h>

using namespace gyrax;

namespace {

const char* const phases[] = {"stowed", "ready", "live", "stopping → ready", "stopping → stowed", "stopping → tripped",
                              "tripped"};
const char* const events[] = {"make ready", "enable", "release", "squeeze", "stow",
                              "stop",       "fault",  "at rest", "reset"};

std::string tables() {
  std::string out =
      "# Tables\n\nWritten from the code's own tables by `tests/rig/tables_test.cpp`.\n\n## The permit: every state, "
      "every event\n\n| |";
  for (const char* event : events) out += fmt::format(" {} |", event);
  out += "\n|---|---|---|---|---|---|---|---|---|---|\n";
  for (std::size_t p = 0; p < phase_count; ++p) {
    out += fmt::format("| **{}** |", phases[p]);
    for (std::size_t e = 0; e < permit_event_count; ++e) {
      const auto to = static_cast<std::size_t>(permit_table[p][e]);
      out += to == p ? std::string(" · |") : fmt::format(" {} |", phases[to]);
    }
    out += "\n";
  }
  out +=
      "\n## Causes of stops\n\n| name in `[stops]` | category unless the rig says otherwise | trips | what happened "
      "|\n|---|---|---|---|\n";
  for (std::size_t i = 1; i < cause_count; ++i) {
    const AboutCause& a = about(static_cast<Cause>(i));
    out += fmt::format("| `{}` | {} | {} | {} |\n", a.name, static_cast<int>(a.category), a.fault ? "yes" : "",
                       a.sentence);
  }
  out +=
      "\n## Interlocks: why an axis does not move, and what would release it\n\n| name | what is said | what would "
      "release it "
      "|\n|---|---|---|\n";
  for (std::size_t i = 1; i < interlock_count; ++i) {
    const AboutInterlock& a = about(static_cast<Interlock>(i));
    out += fmt::format("| `{}` | {} | {} |\n", a.name, a.sentence, a.release);
  }
  out +=
      "\n## What can be wrong with a file\n\nThe names are stable. Every kind, as it is told: "
      "`tests/golden/problems.txt`.\n\n| code | "
      "meaning |\n|---|---|\n";
  for (int i = 0; i < code_count; ++i)
    out += fmt::format("| `{}` | {} |\n", code_name(static_cast<Code>(i)), code_meaning(static_cast<Code>(i)));
  out +=
      "\n## What may be found in a rig that holds\n\nThe codes are stable. Each, as it is told: "
      "`tests/golden/findings.txt`.\n\n| code | severity | why |\n|---|---|---|\n";
  for (const AboutFinding& about : about_findings())
    out += fmt::format("| `{}` | {} | {} |\n", about.code, name_of(about.severity), about.why);
  return out;
}

}  // namespace

TEST_CASE("docs/tables.md agrees with the code (GYRAX_REFRESH=1 writes it anew)") {
  test::check_golden("docs/tables.md", tables());
}
