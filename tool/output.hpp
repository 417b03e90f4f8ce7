// Standard output and standard error. What comes out of files and devices is text: nothing of it commands a terminal.
// What cannot be written is remembered, and becomes the exit code; it changes nothing else.
#pragma once

#include <fmt/format.h>

#include <chrono>
#include <cstdint>
#include <string>
#include <string_view>
#include <utility>

namespace gyrax::tool {

/// Before anything else: a standard descriptor that is closed is taken by one that refuses every byte, so that no file
/// that is opened later gets its number; and a reader that goes away, or a limit of size, is an error of writing, not
/// the end.
void settle_standard_files();

/// Text for a person: control characters, and those that turn the direction of writing, become signs that are seen.
/// Line ends and tabs stay, unless it is to be one line.
std::string visible(std::string_view text, bool one_line = false);

/// To standard output.
void put(std::string_view text);
/// From now on standard output is for a script that reads JSON.
void expect_json();
/// Whether it is, and no document has been told yet.
bool json_is_due() noexcept;
/// Bytes as they are: a file's content.
void put_bytes(std::string_view bytes);
/// Over what stands in the line now: for a terminal.
void put_over(std::string_view text);
/// A JSON document, with nothing in it that a terminal obeys, and a line end.
void put_json(std::string text);
template <class... Args>
void print(fmt::format_string<Args...> pattern, Args&&... args) {
  put(fmt::format(pattern, std::forward<Args>(args)...));
}
/// To standard error.
void put_error(std::string_view text);
template <class... Args>
void print_error(fmt::format_string<Args...> pattern, Args&&... args) {
  put_error(fmt::format(pattern, std::forward<Args>(args)...));
}

/// Whether something did not get out so far, and what the system said; empty where nobody need be told, as when the
/// reader of a pipe has gone.
bool output_failed() noexcept;
std::string why_output_failed();

/// While it lives, standard output is written by a thread of its own: whoever prints never waits for whoever reads.
/// What has no room any more is dropped and counted.
class OutputThread {
 public:
  OutputThread();
  /// Waits for the reader no longer than `patience`.
  ~OutputThread();
  OutputThread(const OutputThread&) = delete;
  OutputThread& operator=(const OutputThread&) = delete;
  static constexpr auto patience = std::chrono::milliseconds(500);
  static constexpr std::size_t room = 4u << 20;  // bytes that may wait
};

}  // namespace gyrax::tool
