/// Writes a run's logbook from a thread of its own.
///
/// In: records from the engine's thread, through a fixed ring. Out: JSON Lines. Never: a wait for the engine's thread.
/// A slow or full disk costs records; they are counted, and the logbook says where they are missing.
///
///     LogbookWriter log(rig, "run.jsonl");
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

class LogbookWriter {
 public:
  struct Options {
    std::size_t ring = 4u << 20;  ///< bytes that may wait for the disk
    bool replace = false;         ///< even where the file is there already
    /// The device of a number given to `seated`; called by the writer's own thread.
    std::function<Device(std::size_t)> device;
    /// Called before each piece is written: for tests of slow and failing disks. Not called where it is empty.
    std::function<std::error_code()> before_write;
  };
  /// Makes the file and writes its head; a pipe or a device is written into. Errors: std::system_error where it cannot
  /// be made, file_exists where it is there already.
  LogbookWriter(const Rig& rig, const std::string& path);
  LogbookWriter(const Rig& rig, const std::string& path, Options options);
  /// Writes what is still to be written.
  ~LogbookWriter();
  LogbookWriter(const LogbookWriter&) = delete;
  LogbookWriter& operator=(const LogbookWriter&) = delete;

  // From the engine's thread alone. None of these waits.
  void tick(const TickRecord& record) noexcept;
  void calibrate(SlotId slot, const Calibration& calibration) noexcept;
  void seated(HandsetId handset, std::size_t number) noexcept;

  /// Records that did not get into the file so far, from any thread.
  std::uint64_t lost() const noexcept;

  struct Closed {
    std::uint64_t ticks = 0, lost = 0, bytes = 0;
    std::string trouble;  ///< the first error of the disk, as a sentence; empty if there was none
  };
  /// Writes the rest and a last line with this account, and syncs. Not while the engine's thread still writes.
  Closed close(const std::string& account);

 private:
  class Work;
  std::unique_ptr<Work> work_;
};

/// Where a run's logbook goes unless told otherwise: a name with the date and time (UTC) in $XDG_STATE_HOME/gyrax, or
/// in
/// ~/.local/state/gyrax. The folder is made. Errors: std::filesystem::filesystem_error.
std::string default_logbook_path();

}  // namespace gyrax
