/// Reads a logbook back, line by line.
///
/// In: a file. Out: its rig, and its records in order. Never: more than one line in memory; a line that is cut off.
///
///     LogbookReader log("run.jsonl");
///     for (LogRecord record; log.next(record);) …
///     log.cut()                             // empty, or where and why it ends early
#pragma once

#include <gyrax/files/problem.hpp>
#include <gyrax/logbook/build.hpp>
#include <gyrax/logbook/record.hpp>
#include <gyrax/rig/rig.hpp>

#include <fstream>
#include <memory>
#include <string>

namespace gyrax {

class LogbookReader {
 public:
  /// Reads the head. Errors: SessionError where the file cannot be read, is no logbook or a newer one; RigError where
  /// its rig cannot be used.
  explicit LogbookReader(const std::string& path);
  /// The same from a text in memory; `name` for messages.
  LogbookReader(std::string text, const std::string& name);
  ~LogbookReader();

  const Rig& rig() const noexcept;
  const Build& build() const noexcept;
  const std::string& started() const noexcept;

  /// The next record; false at the end, and at the first line that is not whole or not understood.
  bool next(LogRecord& record);
  /// Why it ended before a line that closes it: a sentence; empty if it was closed in order or has not ended.
  const std::string& cut() const noexcept;

 private:
  class Work;
  std::unique_ptr<Work> work_;
};

/// Greatest line that is read, bytes: the head with a rig of max_rig. Reading takes at most 48 bytes of memory for each
/// byte of the longest line, and 4 MiB, and what the head's rig takes.
inline constexpr std::size_t max_log_line = (2u << 20) + (256u << 10);

}  // namespace gyrax
