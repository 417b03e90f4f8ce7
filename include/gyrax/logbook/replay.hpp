/// Runs a logbook's inputs through the engine again and holds what comes out against what was written.
///
/// In: a logbook. Out: whether every command, switch and event is the same to the last bit, or the first tick that
/// differs; and every tick, to watchers. Never: a device, a link, a clock; memory that grows with time.
///
///     gyrax::Replay replay("run.jsonl.zst");
///     const gyrax::Replayed done = replay.run(watchers);
///     if (!done.same) fmt::print("{}\n", done.difference);
#pragma once

#include <gyrax/logbook/export.hpp>
#include <gyrax/logbook/reader.hpp>
#include <gyrax/rehearsal/rehearsal.hpp>

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace gyrax {

struct Replayed : Account {
  LogEnd end = LogEnd::complete;
  bool replays = true;       ///< false: the last minute of a run, shown as it was written
  bool other_build = false;  ///< another program or processor wrote it, so that the same bits are not promised
  bool same = true;
  std::string difference;          ///< the first tick that differs, and what is known of it, as a sentence; or empty
  std::vector<std::string> notes;  ///< what else there is to know: another program or processor, a cut, records lost
  std::uint64_t ticks = 0, bytes = 0;  ///< `ticks`: of it all
  std::uint64_t shown = 0;             ///< ticks that the watchers saw
  double length_s = 0;                 ///< that was replayed
  double written_s = 0;                ///< of the whole file, which goes on behind what was lost
};

class Replay {
 public:
  /// Errors: as of LogbookReader.
  explicit Replay(const std::string& path) : log_(path) {}
  const Rig& rig() const noexcept { return log_.rig(); }
  /// A title and a length, for a summary; the length is known after run().
  const Session& session() const noexcept { return session_; }
  /// Once. The whole is replayed; the watchers see the ticks of `span` alone if there is one, with the machine's
  /// positions as they were reported.
  Replayed run(std::span<TickWatcher* const> watchers, std::optional<PlotSpan> span = std::nullopt);

 private:
  LogbookReader log_;
  Session session_;
};

}  // namespace gyrax
