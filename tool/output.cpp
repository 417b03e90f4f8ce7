#include "output.hpp"

#include <gyrax/files/text_file.hpp>

#include <fcntl.h>
#include <unistd.h>
#include <atomic>
#include <cerrno>
#include <condition_variable>
#include <csignal>
#include <mutex>
#include <system_error>
#include <thread>

namespace gyrax::tool {
namespace {

/// Left behind at the end of the program where its thread still waits for a reader; so never destroyed.
struct Waiting {
  std::mutex lock;
  std::condition_variable news;
  std::string text;
  bool threaded = false, ending = false, ended = false;
  std::uint64_t dropped = 0;
};

Waiting& waiting() {
  static Waiting& made = *new Waiting;
  return made;
}

std::atomic<bool> failed{false};  // something did not get out
std::atomic<int> failed_with{0};  // the system refused to take any more
bool json_expected = false, json_told = false;

void send(std::string_view text) {
  if (failed_with != 0 || write_all(STDOUT_FILENO, text)) return;
  failed_with = errno;
  failed = true;
}

void put_raw(std::string_view text) {
  Waiting& w = waiting();
  {
    const std::lock_guard held(w.lock);
    if (w.threaded) {
      if (w.text.size() + text.size() > OutputThread::room) {
        ++w.dropped;
        failed = true;
        return;
      }
      w.text += text;
      w.news.notify_one();
      return;
    }
  }
  send(text);
}

void run() {
  Waiting& w = waiting();
  for (std::unique_lock held(w.lock);;) {
    w.news.wait(held, [&] { return w.ending || !w.text.empty(); });
    if (w.text.empty()) break;
    std::string now;
    now.swap(w.text);
    held.unlock();
    send(now);
    held.lock();
  }
  w.ended = true;
  w.news.notify_all();
}

/// The next character of UTF-8 and its length; 0xfffd and 1 where it is none.
std::pair<std::uint32_t, std::size_t> next_character(std::string_view text) {
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
  const unsigned first = byte(0);
  const std::size_t size = first < 0x80                    ? 1
                           : first >= 0xc2 && first < 0xe0 ? 2
                           : (first & 0xf0u) == 0xe0       ? 3
                           : first >= 0xf0 && first < 0xf5 ? 4
                                                           : 0;
  if (size == 0 || size > text.size()) return {0xfffd, 1};
  std::uint32_t code = size == 1 ? first : first & (0x7fu >> size);
  for (std::size_t i = 1; i < size; ++i) {
    if ((byte(i) & 0xc0u) != 0x80u) return {0xfffd, 1};
    code = code << 6 | (byte(i) & 0x3fu);
  }
  constexpr std::uint32_t least[] = {0, 0, 0x80, 0x800, 0x10000};
  if (code < least[size] || code > 0x10ffff || (code >= 0xd800 && code < 0xe000)) return {0xfffd, 1};
  return {code, size};
}

/// Marks and overrides of the direction of writing (Unicode, annex 9): a name can look like another with them.
bool turns_writing(std::uint32_t code) {
  return code == 0x061c || code == 0x200e || code == 0x200f || (code >= 0x202a && code <= 0x202e) ||
         (code >= 0x2066 && code <= 0x2069);
}

}  // namespace

void settle_standard_files() {
  for (const int fd : {STDIN_FILENO, STDOUT_FILENO, STDERR_FILENO}) {
    if (::fcntl(fd, F_GETFD) >= 0) continue;
    // The lowest free number is this one; it cannot be written to, and reads nothing.
    if (::open("/dev/null", O_RDONLY) != fd) return;
  }
  // A reader that has gone and a file that may not grow are errors of writing.
  for (const int one : {SIGPIPE, SIGXFSZ}) std::signal(one, SIG_IGN);
}

std::string visible(std::string_view text, bool one_line) {
  std::string made;
  made.reserve(text.size());
  while (!text.empty()) {
    const auto [code, size] = next_character(text);
    const bool stays = !one_line && (code == '\n' || code == '\t');
    if (code < 0x20 && !stays) {
      // The picture of a control character stands as far behind U+2400 as the character behind zero.
      made += "\xe2\x90";
      made += static_cast<char>(0x80 + code);
    } else if (code == 0x7f) {
      made += "␡";
    } else if ((code >= 0x80 && code < 0xa0) || code == 0xfffd || turns_writing(code)) {
      made += "\xef\xbf\xbd";
    } else {
      made += text.substr(0, size);
    }
    text.remove_prefix(size);
  }
  return made;
}

void put(std::string_view text) { put_raw(visible(text)); }

void put_bytes(std::string_view bytes) { put_raw(bytes); }

void put_over(std::string_view text) { put_raw("\r" + visible(text, true)); }

void expect_json() { json_expected = true; }
bool json_is_due() noexcept { return json_expected && !json_told; }

void put_json(std::string text) {
  json_told = true;
  // A document escapes C0 itself; these stand in its strings alone, and mean the same written so.
  std::string made;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const auto c = static_cast<unsigned char>(text[i]);
    const unsigned next = i + 1 < text.size() ? static_cast<unsigned char>(text[i + 1]) : 0;
    if (c == 0x7f) {
      made += "\\u007f";
    } else if (c == 0xc2 && next >= 0x80 && next < 0xa0) {
      made += fmt::format("\\u{:04x}", next);
      ++i;
    } else {
      made += text[i];
    }
  }
  if (!made.ends_with('\n')) made += '\n';
  put_raw(made);
}

void put_error(std::string_view text) { write_all(STDERR_FILENO, visible(text)); }

bool output_failed() noexcept { return failed; }

std::string why_output_failed() {
  return failed_with == 0 || failed_with == EPIPE ? "" : std::generic_category().message(failed_with);
}

OutputThread::OutputThread() {
  Waiting& w = waiting();
  w.threaded = true;
  w.ending = w.ended = false;
  std::thread(run).detach();
}

OutputThread::~OutputThread() {
  Waiting& w = waiting();
  std::unique_lock held(w.lock);
  w.ending = true;
  w.news.notify_all();
  if (!w.news.wait_for(held, patience, [&] { return w.ended; })) failed = true;
  w.threaded = !w.ended;
  if (w.dropped > 0)
    put_error(fmt::format("gyrax: {} lines of output were dropped: what reads them is too slow\n", w.dropped));
}

}  // namespace gyrax::tool
