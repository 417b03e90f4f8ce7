/// Runs a logbook's inputs through the engine again and holds what comes out against what was written.
///
/// In: a logbook. Out: whether every command, switch and event is the same to the last bit, or the first that differs;
/// and everything that happened, as from a rehearsal. Never: a device, a link, a clock.
///
///     gyrax::Replay replay = gyrax::replay("run.jsonl.zst");
///     if (!replay.same) fmt::print("{}\n", replay.difference);
#pragma once

#include <gyrax/logbook/export.hpp>
#include <gyrax/logbook/pieces.hpp>
#include <gyrax/rehearsal/rehearsal.hpp>

#include <optional>
#include <string>
#include <vector>

namespace gyrax {

struct Replay {
  Rig rig;
  Session session;  ///< a title and a length, for a summary
  Rehearsal done;   ///< of the span that was asked for; the machine's positions are those that it reported
  LogEnd end = LogEnd::complete;
  bool other_build = false;  ///< another program or processor wrote it, so that the same bits are not promised
  bool same = true;
  std::string difference;          ///< the first tick that differs, and what is known of it, as a sentence; or empty
  std::vector<std::string> notes;  ///< what else there is to know: another program or processor, a cut, records lost
  std::uint64_t ticks = 0, bytes = 0;
  double length_s = 0, took_s = 0;
};

/// Replays a whole logbook; the trace is kept for `span` alone if there is one. Errors: as of LogbookReader.
Replay replay(const std::string& path, std::optional<PlotSpan> span = std::nullopt);

}  // namespace gyrax
