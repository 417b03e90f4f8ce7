// A terminal that shows a screen without flicker, and takes keys. A terminal that does not go on (Ctrl-S, a slow line)
// holds nobody up: a thread of its own draws, and frames that it has no time for are left out.
#pragma once

#include "screen.hpp"

#include <cstdint>
#include <memory>
#include <string>

namespace gyrax::tool {

class Terminal {
 public:
  /// Empty where standard input and output are a terminal, in the foreground, that can show a screen; otherwise why
  /// not, as a part of a sentence: "this terminal (TERM=dumb) cannot show a screen". A space where nobody would ask.
  static std::string why_not();
  /// Whether this program has the terminal now: not so in the background.
  static bool in_foreground();

  Terminal();
  /// Gives the terminal back as it was; within half a second, whatever it does.
  ~Terminal();
  Terminal(const Terminal&) = delete;
  Terminal& operator=(const Terminal&) = delete;

  std::size_t columns() const;
  std::size_t rows() const;
  void show(std::vector<Line> lines);
  /// A key that was pressed; 0 if none. Keys that are no characters are passed over.
  char key();
  /// To wait for keys; -1 where none come any more.
  int keys_descriptor() const { return keys_; }
  /// Frames that were left out because the terminal was not done with an earlier one.
  std::uint64_t left_out() const;

 private:
  struct Shared;
  int keys_ = 0;
  std::string pressed_;  // and not asked for yet
  Shared* shared_;       // left behind where the drawing thread does not come back
};

}  // namespace gyrax::tool
