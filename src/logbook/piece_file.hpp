// A logbook's file while it is written. Private.
#pragma once

#include <gyrax/logbook/pieces.hpp>

#include <cstdint>
#include <deque>
#include <functional>
#include <string>
#include <string_view>
#include <system_error>

namespace gyrax {

/// What is in a piece, in case that it never gets into the file.
struct PieceAccount {
  std::uint64_t records = 0, ticks = 0;
  std::uint64_t lost = 0;  ///< records that it says are missing before it
};

/// In: pieces. Out: a file that holds them whole and in order. A disk that takes nothing now gets the rest later; what
/// it never takes is given up as a whole. Never: a wait for a reader, two writers of one file.
class PieceFile {
 public:
  /// Makes the file; a pipe or a device is written into. `before_write` is asked before each piece of work, where there
  /// is one. Errors: std::system_error, file_exists where it is there already.
  PieceFile(const std::string& path, bool replace, std::function<std::error_code()> before_write);
  ~PieceFile();
  PieceFile(const PieceFile&) = delete;
  PieceFile& operator=(const PieceFile&) = delete;

  /// Puts a piece behind those that wait.
  void add(std::string frame, bool tripped, bool closed, const PieceAccount& account);
  /// Writes what waits. Error: not all of it got out; the rest still waits.
  std::error_code write();
  bool idle() const noexcept { return waiting_.empty(); }
  /// Gives up what waits, and returns what that was; what of it is in the file already is cut off again.
  PieceAccount give_up();
  /// Takes the whole file away again, where it was made here.
  void remove() noexcept;
  /// Until the disk has it. Error: it could not be made sure.
  std::error_code sync();
  /// In whole pieces.
  std::uint64_t bytes() const noexcept { return bytes_; }
  /// Records that the file says are missing.
  std::uint64_t lost() const noexcept { return lost_; }

 private:
  struct Piece {
    std::string bytes;
    PieceAccount account;
  };
  std::string path_;
  bool made_ = false;
  std::function<std::error_code()> before_write_;
  std::deque<Piece> waiting_;
  std::size_t done_ = 0;  // bytes of the first that waits
  std::uint64_t bytes_ = 0, lost_ = 0;
  std::uint32_t number_ = 0;
  int fd_ = -1;
};

}  // namespace gyrax
