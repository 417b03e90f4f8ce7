// The tool as a process that goes on beside a test, and a board's rig with a wire of the test's own.
#pragma once

#include "support/folder.hpp"
#include "tool.hpp"

#include <gyrax/files/text_file.hpp>

#include <doctest/doctest.h>

#include <chrono>
#include <csignal>
#include <cstdio>
#include <fstream>
#include <sstream>
#include <string>
#include <thread>

namespace gyrax::test {

inline constexpr int looks = 3000;  // of 10 ms each: a busy machine is slow

/// A line of the shell that goes on beside the test; what it takes comes through `in`, what it prints goes to a file.
class Beside {
 public:
  Beside(const std::string& line, const std::string& out) : out_(out) {
    std::signal(SIGPIPE, SIG_IGN);
    pipe_ = ::popen(("exec " + std::string(GYRAX_TOOL_PATH) + " " + line + " >" + out + " 2>&1").c_str(), "w");
    REQUIRE(pipe_ != nullptr);
  }
  ~Beside() {
    if (pipe_ != nullptr) tell("quit");
    end();
  }
  Beside(const Beside&) = delete;
  Beside& operator=(const Beside&) = delete;
  void tell(const std::string& line) {
    std::fputs((line + "\n").c_str(), pipe_);
    std::fflush(pipe_);
  }
  std::string said() const {
    std::ifstream in(out_);
    std::stringstream all;
    all << in.rdbuf();
    return all.str();
  }
  bool says(const std::string& text, int times = 1) const {
    for (int i = 0; i < looks; ++i) {
      const std::string all = said();
      int found = 0;
      for (std::size_t at = all.find(text); at != std::string::npos; at = all.find(text, at + 1)) ++found;
      if (found >= times) return true;
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    MESSAGE("not said: " << text << "\n" << said());
    return false;
  }
  /// Waits for its end.
  int end() {
    const int status = pipe_ != nullptr ? ::pclose(pipe_) : 0;
    pipe_ = nullptr;
    return WEXITSTATUS(status);
  }

 private:
  std::string out_;
  std::FILE* pipe_ = nullptr;
};

/// Something that is there becomes something else.
inline void change(std::string& text, const std::string& from, const std::string& to) {
  const std::size_t at = text.find(from);
  REQUIRE(at != std::string::npos);
  text.replace(at, from.size(), to);
}

/// The demo's rig and its wire in a folder of its own; with watchdogs that a busy machine does not wake.
inline std::string board_in(const Folder& folder) {
  std::string text = gyrax::read_text("demo/board.toml", 1u << 20).text;
  change(text, "serial = \"out/board\"", "serial = \"" + folder / "board" + "\"");
  change(text, "silence_ms = 100 ", "silence_ms = 1000 ");
  change(text, "valid_ms = 60 ", "valid_ms = 1000 ");
  change(text, "reports = \"on change\"\n", "reports = \"on change\"\nmax_age_ms = 2000\n");
  change(text, "max_ms = 50 ", "max_ms = 1000 ");
  std::ofstream(folder / "rig.toml") << text;
  return folder / "rig.toml";
}

}  // namespace gyrax::test
