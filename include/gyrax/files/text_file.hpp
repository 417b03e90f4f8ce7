/// Reading and writing whole text files without surprises.
///
/// In: a path. Out: the text, or an error code and a sentence. Never: a hang on a pipe that is read, an endless read of
/// a device, a half-written file, a file lost that nobody named.
///
///     gyrax::Text text = gyrax::read_text("bench.toml", 1 << 20);
///     if (text.error) …text.why
#pragma once

#include <cstddef>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <system_error>
#include <vector>

namespace gyrax {

struct Text {
  std::string text;
  std::error_code error;
  std::string why;  ///< for a person: what is wrong and what would be right; empty without an error
};

/// "1048576 bytes (1 MiB)"; what is no whole number of MiB in bytes alone.
std::string size_words(std::size_t bytes);

/// Reads a regular file of at most `most` bytes. Anything else (missing, a folder, a pipe, a device, too large, not
/// readable) is an error, found before a byte is read.
Text read_text(const std::string& path, std::size_t most);

/// A file that is written piece by piece, by write_text's rule: it is whole after finish(), and never was there
/// otherwise.
class NewText {
 public:
  explicit NewText(const std::string& path);
  ~NewText();
  NewText(const NewText&) = delete;
  NewText& operator=(const NewText&) = delete;
  /// Error: the first one, and again each time after it.
  std::error_code put(std::string_view text);
  std::error_code finish();

 private:
  class Work;
  std::unique_ptr<Work> work_;
};

/// Writes a new file beside `path`, syncs it and renames it over `path`: afterwards the old text or the new one is
/// there, never a part. A link leads to the file that is written, and an old file's mode stays. What is no plain file
/// of one name (a pipe, a device, a file with several names) is written into. Error: the code; nothing is left behind.
std::error_code write_text(const std::string& path, std::string_view text);

/// Writes all of it to an open descriptor, and waits where that takes nothing now. False: it could not; errno says why.
bool write_all(int descriptor, std::string_view text);

/// Whether `path` may be written to, before the work is done whose result it is to hold: the folder is there and can be
/// written to, `path` is no folder and none of the `inputs` under any name, and nothing is there already unless it is
/// to `replace` it. Pipes and devices may always be written into. Returns why not, as a sentence; nullopt: it may.
std::optional<std::string> why_not_written(const std::string& path, bool replace,
                                           const std::vector<std::string>& inputs = {});

}  // namespace gyrax
