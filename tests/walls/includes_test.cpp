// The walls between the rooms: who may include whom. Dependencies point along the picture and from shells to the core.
#include <doctest/doctest.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <set>
#include <string>

namespace fs = std::filesystem;

namespace {

using Rooms = std::set<std::string>;

const Rooms core{"base", "signal", "bind", "permit", "motion", "kinematics", "envelope", "output", "engine"};

/// Each room and what it may see besides itself.
const std::map<std::string, Rooms> may_see{
    {"base", {}},
    {"signal", {"base"}},
    {"bind", {"base", "signal"}},
    {"permit", {"base", "signal"}},
    {"kinematics", {"base"}},
    {"motion", {"base", "kinematics"}},
    {"envelope", {"base"}},  // no code of motion
    {"output", {"base", "permit"}},
    {"engine", core},
    {"files", {}},
    {"threads", {"base"}},
    {"handset", {"base", "signal", "files", "threads", "wire"}},
    {"wire", {"base", "files"}},
    {"rig", {"base", "signal", "bind", "permit", "motion", "output", "engine", "files", "handset", "wire"}},
    {"sim", {"base"}},
    {"link", {"base", "output", "rig", "handset", "sim", "threads", "wire"}},
    {"rehearsal", {"base", "engine", "motion", "rig", "handset", "link", "files"}},
    {"logbook", {"base", "signal", "engine", "rehearsal", "rig", "handset", "files", "threads"}},
    {"live", {"base", "bind", "signal", "engine", "rig", "handset", "link", "logbook", "rehearsal", "threads"}},
    {"faults", {"base", "engine", "motion", "permit", "files", "rig", "sim", "link", "rehearsal", "testing"}},
    {"testing", {"base", "engine", "rig", "handset", "link", "motion"}},
};

/// The rooms' headers that a file includes, as "room/header.hpp".
Rooms includes(const fs::path& file) {
  Rooms found;
  std::ifstream in(file);
  for (std::string line; std::getline(in, line);) {
    const std::size_t at = line.find("#include <gyrax/");
    if (at == 0) found.insert(line.substr(16, line.find('>') - 16));
    // The firmware is no room: the stand-in is its code.
    if (line.starts_with("#include \"../../firmware/")) continue;
    if (line.starts_with("#include \"../")) found.insert(line.substr(13, line.find('"', 13) - 13));
  }
  return found;
}

std::string room_of(const std::string& header) { return header.substr(0, header.find('/')); }

}  // namespace

TEST_CASE("Every file includes only what its room may see") {
  std::size_t files = 0, arrows = 0;
  for (const char* root : {"include/gyrax", "src"}) {
    for (const auto& entry : fs::recursive_directory_iterator(root)) {
      if (!entry.is_regular_file()) continue;
      const std::string room = room_of(fs::relative(entry.path(), root).string());
      CAPTURE(entry.path().string());
      REQUIRE(may_see.contains(room));
      ++files;
      for (const std::string& header : includes(entry.path())) {
        const std::string other = room_of(header);
        CAPTURE(header);
        CHECK((other == room || may_see.at(room).contains(other)));
        ++arrows;
        // A simulated machine knows the wire and no more of the core.
        if (room == "sim" && other != room) CHECK(header == "base/link_types.hpp");
        if (core.contains(room)) CHECK(core.contains(other));
      }
    }
  }
  CHECK(files > 80);
  CHECK(arrows > 100);
}

TEST_CASE("The core includes nothing of the system but the standard library's quiet parts") {
  const Rooms quiet{"array",  "bit",      "cassert", "chrono",      "cmath",   "cstddef", "cstdint", "limits",
                    "memory", "optional", "span",    "type_traits", "utility", "variant", "vector"};
  for (const std::string& room : core) {
    for (const char* root : {"include/gyrax/", "src/"}) {
      for (const auto& entry : fs::recursive_directory_iterator(root + room)) {
        std::ifstream in(entry.path());
        for (std::string line; std::getline(in, line);) {
          if (!line.starts_with("#include <") || line.starts_with("#include <gyrax/")) continue;
          const std::string header = line.substr(10, line.find('>') - 10);
          CAPTURE(entry.path().string());
          CAPTURE(header);
          CHECK(quiet.contains(header));
        }
      }
    }
  }
}
