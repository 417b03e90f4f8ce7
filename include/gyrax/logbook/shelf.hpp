/// The folder of logbooks: what is there, and what may go.
///
///     for (const gyrax::Shelved& one : gyrax::shelved(folder)) … one.path, one.last.end
///     gyrax::clear_shelf(folder, {.files = 100, .bytes = 4'000'000'000});
#pragma once

#include <gyrax/logbook/pieces.hpp>

#include <cstdint>
#include <string>
#include <vector>

namespace gyrax {

/// What every logbook's name ends with: JSON Lines, compressed with zstd.
inline constexpr const char* logbook_ending = ".jsonl.zst";

/// Where logbooks go unless told otherwise: $XDG_STATE_HOME/gyrax, or ~/.local/state/gyrax. The folder is made. Errors:
/// std::filesystem::filesystem_error.
std::string default_logbook_folder();
/// A name in it with the date and time (UTC) that no file has: "run-20260504-101112.jsonl.zst" for "run".
std::string default_logbook_path(const std::string& stem = "run");

struct Shelved {
  std::string path;
  std::uint64_t bytes = 0;
  LastPiece last;
  bool written = false;  ///< a run is at it
};
/// The oldest first. A folder that cannot be read has none.
std::vector<Shelved> shelved(const std::string& folder);

/// How much is kept.
struct ShelfBounds {
  std::size_t files = 100;
  std::uint64_t bytes = 4'000'000'000;
};
/// Deletes the oldest logbooks of whole runs ("run-…") until the rest keeps to the bounds, and returns which. One in
/// which a zone tripped, one that is written, and one that cannot be read stay, whatever their number.
std::vector<std::string> clear_shelf(const std::string& folder, const ShelfBounds& bounds);

}  // namespace gyrax
