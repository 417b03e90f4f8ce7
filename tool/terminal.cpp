#include "terminal.hpp"

#include <ncurses.h>
#include <unistd.h>
#include <clocale>
#include <cstdlib>
#include <string_view>

namespace gyrax::tool {
namespace {

constexpr short good_pair = 1, warn_pair = 2, bad_pair = 3;

attr_t attributes(Style style) {
  switch (style) {
    case Style::plain: return A_NORMAL;
    case Style::dim: return A_DIM;
    case Style::strong: return A_BOLD;
    case Style::good: return static_cast<attr_t>(COLOR_PAIR(good_pair));
    case Style::warn: return static_cast<attr_t>(COLOR_PAIR(warn_pair));
    case Style::bad: return static_cast<attr_t>(COLOR_PAIR(bad_pair)) | A_BOLD;
  }
  return A_NORMAL;
}

}  // namespace

bool Terminal::there() {
  const char* const kind = std::getenv("TERM");
  return ::isatty(STDIN_FILENO) != 0 && ::isatty(STDOUT_FILENO) != 0 && kind != nullptr && *kind != '\0' &&
         std::string_view(kind) != "dumb";
}

Terminal::Terminal() {
  // Without a locale the C library knows no UTF-8, and the bars would come out as question marks.
  if (std::setlocale(LC_ALL, "") == nullptr || MB_CUR_MAX == 1) std::setlocale(LC_CTYPE, "C.UTF-8");
  ::initscr();
  ::cbreak();
  ::noecho();
  ::nodelay(stdscr, TRUE);
  ::curs_set(0);
  if (::has_colors()) {
    ::start_color();
    ::use_default_colors();
    ::init_pair(good_pair, COLOR_GREEN, -1);
    ::init_pair(warn_pair, COLOR_YELLOW, -1);
    ::init_pair(bad_pair, COLOR_RED, -1);
  }
}

Terminal::~Terminal() { ::endwin(); }

std::size_t Terminal::columns() const { return static_cast<std::size_t>(getmaxx(stdscr)); }
std::size_t Terminal::rows() const { return static_cast<std::size_t>(getmaxy(stdscr)); }

void Terminal::show(const std::vector<Line>& lines) {
  ::erase();
  for (std::size_t row = 0; row < lines.size(); ++row) {
    ::move(static_cast<int>(row), 0);
    for (const Piece& piece : lines[row]) {
      ::attrset(static_cast<int>(attributes(piece.style)));
      ::addstr(piece.text.c_str());
    }
  }
  // Only what changed is sent, so that nothing flickers, also over a slow line.
  ::refresh();
}

int Terminal::key() {
  const int key = ::getch();
  return key == ERR ? 0 : key;
}

}  // namespace gyrax::tool
