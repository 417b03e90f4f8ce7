#include "terminal.hpp"

#include "output.hpp"

#include <fmt/format.h>

#include <ncurses.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <termios.h>
#include <unistd.h>
#include <chrono>
#include <clocale>
#include <condition_variable>
#include <cstdlib>
#include <mutex>
#include <optional>
#include <thread>

// <term.h>, where they are declared, makes macros of words like "lines".
extern "C" {
struct term;
int setupterm(const char* terminal, int descriptor, int* error);
struct term* set_curterm(struct term* terminal);
int del_curterm(struct term* terminal);
}

namespace gyrax::tool {
namespace {

constexpr short good_pair = 1, warn_pair = 2, bad_pair = 3;
constexpr auto patience = std::chrono::milliseconds(500);
constexpr char escape = 0x1b;

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

winsize size_now() {
  winsize size{};
  ::ioctl(STDOUT_FILENO, TIOCGWINSZ, &size);
  if (size.ws_col == 0) size.ws_col = 80;
  if (size.ws_row == 0) size.ws_row = 24;
  return size;
}

void draw(const std::vector<Line>& lines) {
  const winsize size = size_now();
  if (size.ws_col != COLS || size.ws_row != LINES) ::resize_term(size.ws_row, size.ws_col);
  ::erase();
  for (std::size_t row = 0; row < lines.size(); ++row) {
    ::move(static_cast<int>(row), 0);
    for (const Piece& piece : lines[row]) {
      ::attrset(static_cast<int>(attributes(piece.style)));
      ::addstr(visible(piece.text, true).c_str());
    }
  }
  // Only what changed is sent, so that nothing flickers, also over a slow line.
  ::refresh();
}

void set_up_screen(SCREEN* screen) {
  ::set_term(screen);
  ::cbreak();
  ::noecho();
  ::curs_set(0);
  const char* const without = std::getenv("NO_COLOR");
  if (!::has_colors() || (without != nullptr && *without != '\0')) return;
  ::start_color();
  ::use_default_colors();
  ::init_pair(good_pair, COLOR_GREEN, -1);
  ::init_pair(warn_pair, COLOR_YELLOW, -1);
  ::init_pair(bad_pair, COLOR_RED, -1);
}

}  // namespace

struct Terminal::Shared {
  std::mutex lock;
  std::condition_variable news;
  std::optional<std::vector<Line>> next;
  bool ending = false, ended = false;
  std::uint64_t left_out = 0;
  SCREEN* screen = nullptr;
  termios before{};

  void run() {
    std::unique_lock held(lock);
    while (!ending) {
      news.wait(held, [this] { return ending || next; });
      if (!next) continue;
      const std::vector<Line> lines = std::move(*next);
      next.reset();
      held.unlock();
      draw(lines);
      held.lock();
    }
    held.unlock();
    ::endwin();
    held.lock();
    ended = true;
    news.notify_all();
  }
};

bool Terminal::in_foreground() { return ::tcgetpgrp(STDIN_FILENO) == ::getpgrp(); }

std::string Terminal::why_not() {
  if (::isatty(STDIN_FILENO) == 0 || ::isatty(STDOUT_FILENO) == 0 || !in_foreground()) return " ";
  const char* const kind = std::getenv("TERM");
  const std::string name = kind != nullptr ? kind : "";
  const std::string cannot = fmt::format("this terminal (TERM={}) cannot show a screen", name);
  int error = 0;
  if (name.empty() || ::setupterm(nullptr, STDOUT_FILENO, &error) != OK) return cannot;
  char move_cursor[] = "cup";
  const char* const can = ::tigetstr(move_cursor);
  const bool good = can != nullptr && can != reinterpret_cast<const char*>(-1);
  ::del_curterm(::set_curterm(nullptr));
  return good ? "" : cannot;
}

Terminal::Terminal() : shared_(new Shared) {
  // Without a locale the C library knows no UTF-8, and the bars would come out as question marks.
  if (std::setlocale(LC_ALL, "") == nullptr || MB_CUR_MAX == 1) std::setlocale(LC_CTYPE, "C.UTF-8");
  ::tcgetattr(STDIN_FILENO, &shared_->before);
  shared_->screen = ::newterm(nullptr, stdout, stdin);
  if (shared_->screen == nullptr) throw std::runtime_error("this terminal cannot show a screen; take --plain");
  set_up_screen(shared_->screen);
  std::thread([shared = shared_] { shared->run(); }).detach();
}

Terminal::~Terminal() {
  std::unique_lock held(shared_->lock);
  shared_->ending = true;
  shared_->news.notify_all();
  if (shared_->news.wait_for(held, patience, [this] { return shared_->ended; })) {
    held.unlock();
    ::delscreen(shared_->screen);
    delete shared_;
    return;
  }
  // It takes nothing: at least its keys work as before.
  ::tcsetattr(STDIN_FILENO, TCSANOW, &shared_->before);
}

std::size_t Terminal::columns() const { return size_now().ws_col; }
std::size_t Terminal::rows() const { return size_now().ws_row; }

void Terminal::show(std::vector<Line> lines) {
  const std::lock_guard held(shared_->lock);
  if (shared_->next) ++shared_->left_out;
  shared_->next = std::move(lines);
  shared_->news.notify_all();
}

char Terminal::key() {
  if (pressed_.empty()) {
    pollfd wait{keys_, POLLIN, 0};
    char keys[64];
    if (::poll(&wait, 1, 0) <= 0) return 0;
    const ssize_t got = ::read(keys_, keys, sizeof keys);
    if (got <= 0) keys_ = -1;
    // An arrow or a function key is an escape and what follows it; one by itself is a key.
    if (got == 1 || (got > 0 && keys[0] != escape)) pressed_.assign(keys, static_cast<std::size_t>(got));
  }
  if (pressed_.empty()) return 0;
  const char first = pressed_.front();
  pressed_.erase(0, 1);
  return first;
}

std::uint64_t Terminal::left_out() const {
  const std::lock_guard held(shared_->lock);
  return shared_->left_out;
}

}  // namespace gyrax::tool
