#include <gyrax/files/text_file.hpp>

#include <fmt/format.h>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>
#include <cerrno>

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

std::error_code write_text(const std::string& path, std::string_view text) {
  const std::string fresh = fmt::format("{}.{}.new", path, ::getpid());
  Descriptor file(::open(fresh.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666));
  if (file.get() < 0) return last_error();
  const auto give_up = [&] {
    const std::error_code error = last_error();
    ::unlink(fresh.c_str());
    return error;
  };
  while (!text.empty()) {
    const ssize_t put = ::write(file.get(), text.data(), text.size());
    if (put < 0 && errno == EINTR) continue;
    if (put < 0) return give_up();
    text.remove_prefix(static_cast<std::size_t>(put));
  }
  if (::fsync(file.get()) != 0) return give_up();
  if (::close(file.release()) != 0) return give_up();
  if (::rename(fresh.c_str(), path.c_str()) != 0) return give_up();
  return {};
}

}  // namespace gyrax
