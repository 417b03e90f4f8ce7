/// Writes a run's logbook from a thread of its own.
///
/// In: records from the engine's thread, through a fixed ring. Out: pieces of JSON Lines, compressed with zstd. Never:
/// a wait for the engine's thread. What a slow or full disk does not take at once waits in the ring; what does not fit
/// is counted, and the logbook says where it is missing.
///
///     LogbookWriter log(rig, "run.jsonl.zst");
///     log.tick({now, false, readings, reports, out.commands, out.switches, events});
///     log.close("ended by the user");
#pragma once

#include <gyrax/handset/device.hpp>
#include <gyrax/logbook/record.hpp>
#include <gyrax/rig/rig.hpp>

#include <functional>
#include <memory>
#include <string>
#include <system_error>

namespace gyrax {

/// No logbook, but the last minute: it is kept in memory, and written once a zone trips, with what follows at once.
/// What came out is part of it, since it cannot be replayed.
struct LastMinute {
  Span before = std::chrono::seconds(60), after = std::chrono::seconds(10);
  /// Where the next one goes; called by the writer's own thread.
  std::function<std::string()> path;
};

class LogbookWriter {
 public:
  struct Options {
    std::size_t ring = 4u << 20;  ///< bytes that may wait for the disk
    bool replace = false;         ///< even where the file is there already
    /// The device of a number given to `seated`; called by the writer's own thread.
    std::function<Device(std::size_t)> device;
    /// Called before each time that anything is written: for tests of slow and failing disks. Not called where it is
    /// empty.
    std::function<std::error_code()> before_write;
  };
  /// Makes the file and writes its head; a pipe or a device is written into. Errors: std::system_error where it cannot
  /// be made or takes no head, file_exists where it is there already.
  LogbookWriter(const Rig& rig, const std::string& path);
  LogbookWriter(const Rig& rig, const std::string& path, Options options);
  /// Keeps the last minute alone.
  LogbookWriter(const Rig& rig, LastMinute last, Options options);
  /// Writes what is still to be written.
  ~LogbookWriter();
  LogbookWriter(const LogbookWriter&) = delete;
  LogbookWriter& operator=(const LogbookWriter&) = delete;

  // From the engine's thread alone. None of these waits.
  void tick(const TickRecord& record) noexcept;
  void calibrate(SlotId slot, const Calibration& calibration) noexcept;
  void seated(HandsetId handset, std::size_t number) noexcept;

  // From any thread.
  /// Records that did not get into the file so far.
  std::uint64_t lost() const noexcept;
  /// What the disk answers right now; none while it takes what it is given.
  std::error_code trouble() const noexcept;
  /// Of the last minute: the files that were written so far.
  std::vector<std::string> written() const;

  struct Closed {
    std::uint64_t ticks = 0, lost = 0, bytes = 0;
    std::string trouble;  ///< why records were lost or the end is missing: the disk's first error, as a sentence
  };
  /// Writes the rest and a last line with this account, and syncs. Not while the engine's thread still writes.
  Closed close(const std::string& account);

 private:
  class Work;
  std::unique_ptr<Work> work_;
};

}  // namespace gyrax
