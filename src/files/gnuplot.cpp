#include <gyrax/files/gnuplot.hpp>

#include <fcntl.h>
#include <spawn.h>
#include <sys/mman.h>
#include <sys/wait.h>
#include <unistd.h>
#include <algorithm>
#include <cerrno>
#include <utility>

namespace gyrax {
namespace {

// The child's descriptors of what it draws and how it is called: gnuplot_data, gnuplot_title.
constexpr int data_number = 8, title_number = 9;

/// A file in memory alone, which a child may have under a number.
class MemoryFile {
 public:
  explicit MemoryFile(std::string_view text = {}) : fd_(::memfd_create("gyrax", MFD_CLOEXEC)) {
    // Out of the way of the child's own numbers.
    if (const int high = ::fcntl(fd_, F_DUPFD_CLOEXEC, 16); high >= 0) {
      ::close(fd_);
      fd_ = high;
    }
    good_ = fd_ >= 0 && ::pwrite(fd_, text.data(), text.size(), 0) == static_cast<ssize_t>(text.size());
  }
  ~MemoryFile() { ::close(fd_); }
  MemoryFile(const MemoryFile&) = delete;
  MemoryFile& operator=(const MemoryFile&) = delete;
  int get() const { return fd_; }
  bool good() const { return good_; }
  std::string text() const {
    std::string all(static_cast<std::size_t>(std::max<off_t>(::lseek(fd_, 0, SEEK_END), 0)), '\0');
    for (std::size_t done = 0; done < all.size();) {
      const ssize_t got = ::pread(fd_, all.data() + done, all.size() - done, static_cast<off_t>(done));
      if (got <= 0) return {};
      done += static_cast<std::size_t>(got);
    }
    return all;
  }

 private:
  int fd_;
  bool good_ = false;
};

/// Has the plotting program carry out a script, with no shell between; what it draws comes on its standard output.
/// False where it is not there or did not.
bool carry_out(const MemoryFile& script, const MemoryFile& data, const MemoryFile& title, const MemoryFile& picture) {
  posix_spawn_file_actions_t files;
  ::posix_spawn_file_actions_init(&files);
  for (const auto& [from, to] : {std::pair{script.get(), STDIN_FILENO},
                                 {picture.get(), STDOUT_FILENO},
                                 {data.get(), data_number},
                                 {title.get(), title_number}})
    ::posix_spawn_file_actions_adddup2(&files, from, to);
  ::posix_spawn_file_actions_addopen(&files, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
  char name[] = "gnuplot";
  char* const arguments[] = {name, nullptr};
  pid_t child = -1;
  const int failed = ::posix_spawnp(&child, name, &files, nullptr, arguments, environ);
  ::posix_spawn_file_actions_destroy(&files);
  if (failed != 0) return false;
  int status = -1;
  while (::waitpid(child, &status, 0) < 0 && errno == EINTR) continue;
  return WIFEXITED(status) && WEXITSTATUS(status) == 0;
}

}  // namespace

Drawn gnuplot(std::string_view script, std::string_view data, std::string_view title) {
  const MemoryFile drawing(script), numbers(data), called(title), picture;
  if (!drawing.good() || !numbers.good() || !called.good() || !picture.good()) return {"", "no memory to draw in"};
  if (!carry_out(drawing, numbers, called, picture))
    return {"", "gnuplot did not draw the plot; is the package gnuplot-nox installed?"};
  std::string drawn = picture.text();
  const std::string why = drawn.empty() ? "gnuplot drew nothing" : "";
  return {std::move(drawn), why};
}

}  // namespace gyrax
