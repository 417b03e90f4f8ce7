// A terminal that shows a screen without flicker, and takes keys.
#pragma once

#include "screen.hpp"

#include <memory>

namespace gyrax::tool {

class Terminal {
 public:
  /// Whether standard input and output are a terminal that can show a screen.
  static bool there();
  Terminal();
  /// Gives the terminal back as it was.
  ~Terminal();
  Terminal(const Terminal&) = delete;
  Terminal& operator=(const Terminal&) = delete;

  std::size_t columns() const;
  std::size_t rows() const;
  void show(const std::vector<Line>& lines);
  /// A key that was pressed; 0 if none.
  int key();
};

}  // namespace gyrax::tool
