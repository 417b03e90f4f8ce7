/// Reading and writing whole text files without surprises.
///
/// In: a path. Out: the text, or an error code and a sentence. Never: a hang on a pipe, an endless read of a device, a
/// half-written file.
///
///     gyrax::Text text = gyrax::read_text("bench.toml", 1 << 20);
///     if (text.error) …text.why
#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <system_error>

namespace gyrax {

struct Text {
  std::string text;
  std::error_code error;
  std::string why;  ///< for a person: what is wrong and what would be right; empty without an error
};

/// Reads a regular file of at most `most` bytes. Anything else (missing, a folder, a pipe, a device, too large, not
/// readable) is an error, found before a byte is read.
Text read_text(const std::string& path, std::size_t most);

/// Writes a new file beside `path`, syncs it and renames it over `path`: afterwards the old text or the new one is
/// there, never a part. Error: the code; nothing is left behind.
std::error_code write_text(const std::string& path, std::string_view text);

}  // namespace gyrax
