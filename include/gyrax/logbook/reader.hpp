/// Reads a logbook back, line by line.
///
/// In: a file. Out: its rig, and its records in order. Never: more than one piece in memory; a line that is not what
/// was written.
///
///     LogbookReader log("run.jsonl.zst");
///     for (LogRecord record; log.next(record);) …
///     log.ended(), log.why()                // complete; or cut off or damaged, and where
#pragma once

#include <gyrax/files/problem.hpp>
#include <gyrax/logbook/build.hpp>
#include <gyrax/logbook/pieces.hpp>
#include <gyrax/logbook/record.hpp>
#include <gyrax/rig/rig.hpp>

#include <memory>
#include <string>

namespace gyrax {

/// It takes at most 48 bytes of memory for each byte of text in the longest piece, and 4 MiB, and what the head's rig
/// takes.
class LogbookReader {
 public:
  /// Reads the head. Errors: SessionError where the file cannot be read, is no logbook or one of another version (its
  /// code is cut_off or damaged where its first piece is); RigError where its rig cannot be used.
  explicit LogbookReader(const std::string& path);
  /// The same from a file's bytes; `name` for messages.
  LogbookReader(std::string bytes, const std::string& name);
  ~LogbookReader();

  const Rig& rig() const noexcept;
  const Build& build() const noexcept;
  const std::string& started() const noexcept;
  /// False: it is the last minute of a run and does not begin with it, so that only what it says can be shown.
  bool replays() const noexcept;

  /// The next record; false at the end, and at the first line that is not whole or not understood.
  bool next(LogRecord& record);
  /// Once next() was false: how it ended, and for a person where and why.
  LogEnd ended() const noexcept;
  const std::string& why() const noexcept;
  /// Bytes of the file that were read so far.
  std::uint64_t bytes() const noexcept;

 private:
  class Work;
  std::unique_ptr<Work> work_;
};

/// The events of a tick as they stand in a line (LogRecord::events) of a logbook of `rig`. Error: nothing is added.
void read_events(const Rig& rig, Time at, std::string_view events, std::vector<Event>& out);

}  // namespace gyrax
