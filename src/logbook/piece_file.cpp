#include "piece_file.hpp"

#include <fmt/format.h>

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>
#include <cerrno>
#include <utility>

namespace gyrax {
namespace {

std::error_code last_error() { return {errno, std::generic_category()}; }

}  // namespace

PieceFile::PieceFile(const std::string& path, bool replace, std::function<std::error_code()> before_write)
    : path_(path), before_write_(std::move(before_write)) {
  struct stat old {};
  const bool is_file = ::stat(path.c_str(), &old) != 0 || S_ISREG(old.st_mode);
  // A pipe that nobody reads is a disk that is full, and not a wait.
  const int how = !is_file ? O_NONBLOCK : replace ? O_CREAT | O_TRUNC : O_CREAT | O_EXCL;
  fd_ = ::open(path.c_str(), O_WRONLY | O_CLOEXEC | how, 0666);
  if (fd_ < 0) throw std::system_error(last_error(), fmt::format("cannot make the logbook '{}'", path));
  made_ = is_file;
  // Who clears away old logbooks sees that this one is written.
  ::flock(fd_, LOCK_EX | LOCK_NB);
}

PieceFile::~PieceFile() { ::close(fd_); }

void PieceFile::add(std::string frame, bool tripped, bool closed, const PieceAccount& account) {
  waiting_.push_back({label_of(frame, {number_++, tripped, closed}) + frame, account});
}

std::error_code PieceFile::write() {
  if (waiting_.empty()) return {};
  if (before_write_)
    if (const std::error_code error = before_write_()) return error;
  while (!waiting_.empty()) {
    const std::string& bytes = waiting_.front().bytes;
    const ssize_t put = ::write(fd_, bytes.data() + done_, bytes.size() - done_);
    if (put < 0 && errno == EINTR) continue;
    if (put < 0) return last_error();
    done_ += static_cast<std::size_t>(put);
    if (done_ < bytes.size()) continue;
    bytes_ += std::exchange(done_, 0);
    lost_ += waiting_.front().account.lost;
    waiting_.pop_front();
  }
  return {};
}

PieceAccount PieceFile::give_up() {
  PieceAccount all;
  for (const Piece& piece : waiting_) {
    all.records += piece.account.records;
    all.ticks += piece.account.ticks;
    all.lost += piece.account.lost;
  }
  number_ -= static_cast<std::uint32_t>(waiting_.size());
  waiting_.clear();
  const auto end = static_cast<off_t>(bytes_);
  // Of a pipe nothing can be taken back; its reader sees that it is cut off.
  if (std::exchange(done_, 0) > 0 && ::ftruncate(fd_, end) == 0) ::lseek(fd_, end, SEEK_SET);
  return all;
}

void PieceFile::remove() noexcept {
  if (made_) ::unlink(path_.c_str());
}

std::error_code PieceFile::sync() {
  // A pipe has nothing to be synced.
  return ::fdatasync(fd_) != 0 && errno != EINVAL ? last_error() : std::error_code{};
}

}  // namespace gyrax
