#include <gyrax/files/text_file.hpp>

#include <fmt/format.h>

#include <fcntl.h>
#include <poll.h>
#include <sys/stat.h>
#include <unistd.h>
#include <cerrno>
#include <cstdlib>
#include <filesystem>

namespace gyrax {
namespace {

class Descriptor {
 public:
  explicit Descriptor(int fd) : fd_(fd) {}
  ~Descriptor() {
    if (fd_ >= 0) ::close(fd_);
  }
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  int get() const { return fd_; }
  void reset(int fd) { fd_ = fd; }
  int release() {
    const int fd = fd_;
    fd_ = -1;
    return fd;
  }

 private:
  int fd_;
};

std::error_code last_error() { return {errno, std::generic_category()}; }

Text failure(std::error_code error, std::string why) { return {{}, error, std::move(why)}; }

Text from_errno(const std::string& path) {
  const std::error_code error = last_error();
  if (error == std::errc::no_such_file_or_directory)
    return failure(error, fmt::format("there is no file '{}'; check the path", path));
  if (error == std::errc::permission_denied)
    return failure(error, fmt::format("no permission to read '{}'; see ls -l", path));
  return failure(error, fmt::format("cannot read '{}': {}", path, error.message()));
}

/// Into what is there, which keeps its place, its names and its mode.
std::error_code write_into(const std::string& path, int how, std::string_view text) {
  Descriptor file(::open(path.c_str(), O_WRONLY | O_CLOEXEC | how, 0666));
  if (file.get() < 0 || !write_all(file.get(), text)) return last_error();
  // Pipes and most devices have nothing to sync.
  if (::fsync(file.get()) != 0 && errno != EINVAL && errno != EROFS) return last_error();
  return ::close(file.release()) != 0 ? last_error() : std::error_code{};
}

}  // namespace

Text read_text(const std::string& path, std::size_t most) {
  // Non-blocking, so that opening a pipe nobody writes to returns.
  const Descriptor file(::open(path.c_str(), O_RDONLY | O_NONBLOCK | O_CLOEXEC));
  if (file.get() < 0) return from_errno(path);
  struct stat about {};
  if (::fstat(file.get(), &about) != 0) return from_errno(path);
  if (S_ISDIR(about.st_mode))
    return failure(std::make_error_code(std::errc::is_a_directory), fmt::format("'{}' is a folder; give a file", path));
  if (!S_ISREG(about.st_mode))
    return failure(std::make_error_code(std::errc::invalid_argument),
                   fmt::format("'{}' is a pipe or a device; give a regular file", path));
  const auto size = static_cast<std::size_t>(about.st_size);
  if (size > most)
    return failure(std::make_error_code(std::errc::file_too_large),
                   fmt::format("'{}' has {} bytes; at most {} are read", path, size, most));
  Text read;
  read.text.resize(size);
  std::size_t done = 0;
  while (done < size) {
    const ssize_t got = ::read(file.get(), read.text.data() + done, size - done);
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) return from_errno(path);
    if (got == 0) break;
    done += static_cast<std::size_t>(got);
  }
  read.text.resize(done);
  return read;
}

bool write_all(int descriptor, std::string_view text) {
  while (!text.empty()) {
    const ssize_t put = ::write(descriptor, text.data(), text.size());
    if (put >= 0) {
      text.remove_prefix(static_cast<std::size_t>(put));
    } else if (errno == EAGAIN) {
      pollfd room{descriptor, POLLOUT, 0};
      ::poll(&room, 1, -1);
    } else if (errno != EINTR) {
      return false;
    }
  }
  return true;
}

std::error_code write_text(const std::string& path, std::string_view text) {
  struct stat old {};
  const bool is_there = ::stat(path.c_str(), &old) == 0;
  if (is_there && (!S_ISREG(old.st_mode) || old.st_nlink > 1)) return write_into(path, O_TRUNC, text);
  // The file that a link leads to; a link to nothing is made good as it stands.
  char* const real = is_there ? ::realpath(path.c_str(), nullptr) : nullptr;
  const std::string place = real != nullptr ? real : path;
  std::free(real);
  struct stat link {};
  if (!is_there && ::lstat(path.c_str(), &link) == 0) return write_into(path, O_CREAT, text);
  // A file without a name until it is whole: nothing is left behind, whatever ends this program meanwhile.
  const std::string folder = std::filesystem::path(place).parent_path().string(),
                    fresh = fmt::format("{}.{}.new", place, ::getpid());
  Descriptor file(::open(folder.empty() ? "." : folder.c_str(), O_WRONLY | O_TMPFILE | O_CLOEXEC, 0666));
  const bool nameless = file.get() >= 0;
  if (!nameless) file.reset(::open(fresh.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666));
  if (file.get() < 0) return last_error();
  const auto give_up = [&] {
    const std::error_code error = last_error();
    ::unlink(fresh.c_str());
    return error;
  };
  if (is_there && ::fchmod(file.get(), old.st_mode & 07777) != 0) return give_up();
  if (!write_all(file.get(), text) || ::fsync(file.get()) != 0) return give_up();
  const std::string unnamed = fmt::format("/proc/self/fd/{}", file.get());
  if (nameless && ::linkat(AT_FDCWD, unnamed.c_str(), AT_FDCWD, fresh.c_str(), AT_SYMLINK_FOLLOW) != 0)
    return give_up();
  if (::close(file.release()) != 0) return give_up();
  if (::rename(fresh.c_str(), place.c_str()) != 0) return give_up();
  return {};
}

std::optional<std::string> why_not_written(const std::string& path, bool replace,
                                           const std::vector<std::string>& inputs) {
  struct stat about {};
  if (::stat(path.c_str(), &about) == 0) {
    if (S_ISDIR(about.st_mode)) return fmt::format("'{}' is a folder; give a file", path);
    if (!S_ISREG(about.st_mode)) return std::nullopt;
    for (const std::string& input : inputs)
      if (struct stat in{}; ::stat(input.c_str(), &in) == 0 && in.st_dev == about.st_dev && in.st_ino == about.st_ino)
        return fmt::format("'{}' is read here, and would be lost; another name", path);
    if (!replace) return fmt::format("'{}' is there already; another name, or --replace", path);
    if (::access(path.c_str(), W_OK) != 0) return fmt::format("no permission to write '{}'; see ls -l", path);
  }
  const std::size_t slash = path.rfind('/');
  const std::string folder = slash == std::string::npos ? "." : slash == 0 ? "/" : path.substr(0, slash);
  if (path.empty() || path.ends_with('/')) return fmt::format("'{}' names no file", path);
  if (::stat(folder.c_str(), &about) != 0 || !S_ISDIR(about.st_mode))
    return fmt::format("cannot write '{}': there is no folder '{}'; make it first", path, folder);
  if (::access(folder.c_str(), W_OK | X_OK) != 0)
    return fmt::format("cannot write '{}': no permission to make a file in '{}'; see ls -ld", path, folder);
  return std::nullopt;
}

}  // namespace gyrax
