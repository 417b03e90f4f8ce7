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

}  // namespace

std::string size_words(std::size_t bytes) {
  constexpr std::size_t mebibyte = 1u << 20;
  const bool whole = bytes > 0 && bytes % mebibyte == 0;
  return whole ? fmt::format("{} bytes ({} MiB)", bytes, bytes / mebibyte) : fmt::format("{} bytes", bytes);
}

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
                   fmt::format("'{}' has {} bytes; at most {} are read", path, size, size_words(most)));
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

class NewText::Work {
 public:
  explicit Work(const std::string& path) { open(path); }
  ~Work() {
    if (named_) ::unlink(fresh_.c_str());
  }
  Work(const Work&) = delete;
  Work& operator=(const Work&) = delete;

  std::error_code put(std::string_view text) {
    if (!error_ && !write_all(file_.get(), text)) fail();
    return error_;
  }

  std::error_code finish() {
    if (error_) return error_;
    // Pipes and most devices have nothing to sync.
    if (::fsync(file_.get()) != 0 && (!into_ || (errno != EINVAL && errno != EROFS))) fail();
    const std::string unnamed = fmt::format("/proc/self/fd/{}", file_.get());
    if (!error_ && nameless_) {
      if (::linkat(AT_FDCWD, unnamed.c_str(), AT_FDCWD, fresh_.c_str(), AT_SYMLINK_FOLLOW) != 0) {
        fail();
      } else {
        named_ = true;
      }
    }
    if (::close(file_.release()) != 0 && !error_) fail();
    if (!error_ && !into_ && ::rename(fresh_.c_str(), place_.c_str()) != 0) fail();
    if (!error_) named_ = false;
    return error_;
  }

 private:
  void open(const std::string& path) {
    struct stat old {};
    const bool is_there = ::stat(path.c_str(), &old) == 0;
    // What is no plain file of one name is written into: it keeps its place, its names and its mode.
    if (is_there && (!S_ISREG(old.st_mode) || old.st_nlink > 1)) return open_into(path, O_TRUNC);
    // The file that a link leads to; a link to nothing is made good as it stands.
    char* const real = is_there ? ::realpath(path.c_str(), nullptr) : nullptr;
    place_ = real != nullptr ? real : path;
    std::free(real);
    struct stat link {};
    if (!is_there && ::lstat(path.c_str(), &link) == 0) return open_into(path, O_CREAT);
    // A file without a name until it is whole: nothing is left behind, whatever ends this program meanwhile.
    const std::string folder = std::filesystem::path(place_).parent_path().string();
    fresh_ = fmt::format("{}.{}.new", place_, ::getpid());
    file_.reset(::open(folder.empty() ? "." : folder.c_str(), O_WRONLY | O_TMPFILE | O_CLOEXEC, 0666));
    nameless_ = file_.get() >= 0;
    if (!nameless_) file_.reset(::open(fresh_.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666));
    if (file_.get() < 0) return fail();
    named_ = !nameless_;
    if (is_there && ::fchmod(file_.get(), old.st_mode & 07777) != 0) fail();
  }

  void open_into(const std::string& path, int how) {
    into_ = true;
    file_.reset(::open(path.c_str(), O_WRONLY | O_CLOEXEC | how, 0666));
    if (file_.get() < 0) fail();
  }
  void fail() { error_ = last_error(); }

  Descriptor file_{-1};
  std::string place_, fresh_;
  bool into_ = false, nameless_ = false, named_ = false;  // named: fresh_ is there, and has to go again
  std::error_code error_;
};

NewText::NewText(const std::string& path) : work_(std::make_unique<Work>(path)) {}
NewText::~NewText() = default;
std::error_code NewText::put(std::string_view text) { return work_->put(text); }
std::error_code NewText::finish() { return work_->finish(); }

std::error_code write_text(const std::string& path, std::string_view text) {
  NewText file(path);
  file.put(text);
  return file.finish();
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
