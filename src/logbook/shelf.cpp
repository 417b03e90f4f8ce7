#include <gyrax/logbook/shelf.hpp>

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>
#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <optional>

namespace gyrax {
namespace {

namespace fs = std::filesystem;

/// Its writer holds a lock as long as it is open.
bool is_written(const std::string& path) {
  const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
  if (fd < 0) return false;
  const bool locked = ::flock(fd, LOCK_SH | LOCK_NB) != 0;
  ::close(fd);
  return locked;
}

struct Found {
  std::string path;
  std::uint64_t bytes = 0;
  fs::file_time_type changed;
};

std::vector<Found> found_in(const std::string& folder) {
  std::vector<Found> all;
  std::error_code error;
  for (fs::directory_iterator at(folder, error), end; !error && at != end; at.increment(error)) {
    std::error_code gone;
    if (!at->is_regular_file(gone) || !at->path().filename().string().ends_with(logbook_ending)) continue;
    Found one{at->path().string(), at->file_size(gone), at->last_write_time(gone)};
    if (!gone) all.push_back(std::move(one));
  }
  // Names have the time of the start in them; another folder's may be anything.
  std::ranges::sort(
      all, [](const Found& a, const Found& b) { return std::pair(a.changed, a.path) < std::pair(b.changed, b.path); });
  return all;
}

bool may_go(const Found& one) {
  if (!fs::path(one.path).filename().string().starts_with("run-") || is_written(one.path)) return false;
  const std::optional<LastPiece> last = last_piece(one.path);
  return last && !last->label.tripped;
}

}  // namespace

std::string default_logbook_folder() {
  const char* const state = std::getenv("XDG_STATE_HOME");
  const char* const home = std::getenv("HOME");
  const fs::path folder =
      (state != nullptr && *state == '/' ? fs::path(state) : fs::path(home != nullptr ? home : ".") / ".local/state") /
      "gyrax";
  fs::create_directories(folder);
  return folder.string();
}

std::string default_logbook_path(const std::string& kind) {
  const fs::path folder = default_logbook_folder();
  const std::string stem = fmt::format(
      "{}-{:%Y%m%d-%H%M%S}", kind, fmt::gmtime(std::chrono::system_clock::to_time_t(std::chrono::system_clock::now())));
  fs::path path = folder / (stem + logbook_ending);
  for (int again = 2; fs::exists(path); ++again) path = folder / fmt::format("{}-{}{}", stem, again, logbook_ending);
  return path.string();
}

std::vector<Shelved> shelved(const std::string& folder) {
  std::vector<Shelved> all;
  for (const Found& one : found_in(folder))
    all.push_back(
        {one.path, one.bytes, last_piece(one.path).value_or(LastPiece{{}, LogEnd::damaged}), is_written(one.path)});
  return all;
}

std::vector<std::string> clear_shelf(const std::string& folder, const ShelfBounds& bounds) {
  const std::vector<Found> all = found_in(folder);
  std::size_t files = all.size();
  std::uint64_t bytes = 0;
  for (const Found& one : all) bytes += one.bytes;
  std::vector<std::string> gone;
  for (const Found& one : all) {
    if (files <= bounds.files && bytes <= bounds.bytes) break;
    std::error_code error;
    if (!may_go(one) || !fs::remove(one.path, error)) continue;
    gone.push_back(one.path);
    --files;
    bytes -= one.bytes;
  }
  return gone;
}

}  // namespace gyrax
