/// A logbook's bytes: pieces of text, each a zstd frame behind a label that checks it (docs/formats.md).
///
/// In: lines. Out: bytes that `zstd -d` makes lines of again, and back. Never: a text out of bytes that are not those
/// that were written; more of a file in memory than one piece.
///
///     file += gyrax::pack_piece("{\"t\":0}\n", {.number = 0});
///     gyrax::PieceReader pieces(stream);
///     for (std::string text; pieces.next(text);) …
#pragma once

#include <cstddef>
#include <cstdint>
#include <istream>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

namespace gyrax {

/// Greatest text of a piece, bytes: a head with a rig of max_rig, and a second of ticks.
inline constexpr std::size_t max_piece = 4u << 20;
/// Size of a piece's label, bytes.
inline constexpr std::size_t label_size = 28;

/// What a piece's label says besides size and checks.
struct PieceLabel {
  std::uint32_t number = 0;  ///< from 0
  bool tripped = false;      ///< a zone has tripped in this piece or before
  bool closed = false;       ///< the last one: the logbook ends in order
  bool operator==(const PieceLabel&) const = default;
};

/// How a logbook's file ends.
enum class LogEnd : std::uint8_t {
  complete,  ///< with the piece that closes it
  cut_off,   ///< before: what is there is whole up to the last piece
  damaged,   ///< with bytes that are not those that were written
};
/// "complete", "cut off", "damaged".
const char* name_of(LogEnd end) noexcept;

/// Whether a file with these first bytes is made of pieces, perhaps damaged ones.
bool may_be_pieces(std::string_view first) noexcept;

/// A text as a zstd frame. Errors: std::length_error where it is longer than max_piece, std::runtime_error of zstd.
std::string frame_of(std::string_view text);
/// The label that goes before a frame.
std::string label_of(std::string_view frame, const PieceLabel& label);
/// A label and a frame.
std::string pack_piece(std::string_view text, const PieceLabel& label);

class PieceReader {
 public:
  explicit PieceReader(std::unique_ptr<std::istream> in);
  ~PieceReader();

  /// The next piece's text; false at the end and at the first piece that is not whole.
  bool next(std::string& text);
  /// Of the piece that was read last.
  const PieceLabel& label() const noexcept;
  std::uint64_t begin() const noexcept;  ///< its first byte in the file
  std::uint64_t end() const noexcept;    ///< the byte after its last one

  /// Once next() was false: how it ended, and for a person where and why; empty where it is complete.
  LogEnd ended() const noexcept;
  const std::string& why() const noexcept;

 private:
  class Work;
  std::unique_ptr<Work> work_;
};

/// The label of the last whole piece of a file, found from its end; number and marks are of no use where it is damaged.
struct LastPiece {
  PieceLabel label;
  LogEnd end = LogEnd::complete;
};
/// What a file's last piece says, without reading what is before it. nullopt where none is whole.
std::optional<LastPiece> last_piece(const std::string& path);

}  // namespace gyrax
