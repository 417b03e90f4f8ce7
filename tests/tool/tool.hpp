// The tool as a child of the shell, for its tests.
#pragma once

#include "support/folder.hpp"

#include <doctest/doctest.h>

#include <sys/wait.h>
#include <unistd.h>
#include <array>
#include <cstdio>
#include <filesystem>
#include <string>

namespace gyrax::test {

struct Ran {
  int exit = -1;
  std::string out;
};

/// Runs a line of the shell and keeps what it prints.
inline Ran run_line(const std::string& line) {
  Ran ran;
  std::FILE* pipe = ::popen(line.c_str(), "r");
  REQUIRE(pipe != nullptr);
  std::array<char, 4096> buffer{};
  while (const std::size_t got = std::fread(buffer.data(), 1, buffer.size(), pipe)) ran.out.append(buffer.data(), got);
  ran.exit = WEXITSTATUS(::pclose(pipe));
  return ran;
}

/// Runs the tool; both outputs together unless `only_out`.
inline Ran run(const std::string& arguments, bool only_out = false) {
  return run_line(std::string(GYRAX_TOOL_PATH) + " " + arguments + (only_out ? " 2>/dev/null" : " 2>&1"));
}

inline bool says(const Ran& ran, const std::string& text) {
  const bool found = ran.out.find(text) != std::string::npos;
  if (!found) MESSAGE("not said: " << text << "\n" << ran.out);
  return found;
}

inline const std::string demo_rig = "demo/bench.toml", demo_session = "demo/session.toml";

}  // namespace gyrax::test
