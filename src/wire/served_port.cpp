#include <gyrax/wire/served_port.hpp>

#include <fcntl.h>
#include <netdb.h>
#include <netinet/tcp.h>
#include <sys/socket.h>
#include <termios.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <stdexcept>
#include <utility>

namespace gyrax::wire {
namespace {

[[noreturn]] void fail(const Place& place, const std::string& why) {
  throw std::runtime_error("cannot serve " + place.words() + ": " + why);
}

}  // namespace

ServedPort::ServedPort(Place place) : place_(std::move(place)) {
  if (!place_.serial.empty())
    open_terminal();
  else if (!place_.tcp.empty())
    open_socket(place_.tcp, SOCK_STREAM);
  else
    open_socket(place_.udp, SOCK_DGRAM);
}

ServedPort::~ServedPort() {
  for (const int fd : {listener_, peer_, other_end_})
    if (fd >= 0) ::close(fd);
  std::error_code ignored;
  if (!place_.serial.empty()) std::filesystem::remove(place_.serial, ignored);
}

void ServedPort::open_terminal() {
  namespace fs = std::filesystem;
  peer_ = ::posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
  char name[64];
  if (peer_ < 0 || ::grantpt(peer_) != 0 || ::unlockpt(peer_) != 0 || ::ptsname_r(peer_, name, sizeof name) != 0)
    fail(place_, std::strerror(errno));
  // Held open, so that it does not hang up while nobody else has it.
  other_end_ = ::open(name, O_RDWR | O_NOCTTY | O_CLOEXEC);
  termios line{};
  if (other_end_ < 0 || ::tcgetattr(other_end_, &line) != 0) fail(place_, std::strerror(errno));
  ::cfmakeraw(&line);
  ::tcsetattr(other_end_, TCSANOW, &line);
  std::error_code error;
  if (fs::exists(fs::symlink_status(place_.serial))) {
    if (!fs::is_symlink(place_.serial)) fail(place_, "something else is there, which is not replaced");
    fs::remove(place_.serial, error);
  }
  fs::create_symlink(name, place_.serial, error);
  if (error) fail(place_, error.message());
}

void ServedPort::open_socket(const std::string& where, int kind) {
  const auto parts = host_and_port(where);
  if (!parts) fail(place_, "it is no host:port");
  addrinfo hints{};
  hints.ai_socktype = kind;
  hints.ai_flags = AI_PASSIVE;
  addrinfo* found = nullptr;
  if (const int error = ::getaddrinfo(parts->first.c_str(), parts->second.c_str(), &hints, &found); error != 0)
    fail(place_, ::gai_strerror(error));
  int fd = -1, why = 0;
  for (const addrinfo* one = found; one != nullptr && fd < 0; one = one->ai_next) {
    fd = ::socket(one->ai_family, kind | SOCK_NONBLOCK | SOCK_CLOEXEC, 0);
    const int again = 1;
    if (fd < 0) continue;
    ::setsockopt(fd, SOL_SOCKET, SO_REUSEADDR, &again, sizeof again);
    if (::bind(fd, one->ai_addr, one->ai_addrlen) == 0 && (kind == SOCK_DGRAM || ::listen(fd, 1) == 0)) break;
    why = errno;
    ::close(fd);
    fd = -1;
  }
  ::freeaddrinfo(found);
  if (fd < 0) fail(place_, std::strerror(why));
  is_datagram_ = kind == SOCK_DGRAM;
  (is_datagram_ ? peer_ : listener_) = fd;
}

std::span<const std::uint8_t> ServedPort::read(std::span<std::uint8_t> room) noexcept {
  if (listener_ >= 0) {
    const int fresh = ::accept4(listener_, nullptr, nullptr, SOCK_NONBLOCK | SOCK_CLOEXEC);
    if (fresh >= 0) {
      if (peer_ >= 0) ::close(peer_);
      peer_ = fresh;
      const int at_once = 1;
      ::setsockopt(peer_, IPPROTO_TCP, TCP_NODELAY, &at_once, sizeof at_once);
    }
  }
  if (peer_ < 0) return {};
  ssize_t count = 0;
  if (is_datagram_) {
    socklen_t size = sizeof from_;
    count = ::recvfrom(peer_, room.data(), room.size(), 0, reinterpret_cast<sockaddr*>(from_.data()), &size);
    if (count > 0) from_size_ = size;
  } else {
    count = ::read(peer_, room.data(), room.size());
  }
  if (count > 0) return room.first(static_cast<std::size_t>(count));
  if (listener_ >= 0 && (count == 0 || (errno != EAGAIN && errno != EINTR))) {
    ::close(peer_);
    peer_ = -1;
  }
  return {};
}

void ServedPort::write(std::span<const std::uint8_t> bytes) noexcept {
  if (peer_ < 0 || (is_datagram_ && from_size_ == 0)) return;
  const auto* const to = is_datagram_ ? reinterpret_cast<const sockaddr*>(from_.data()) : nullptr;
  // What nobody takes is lost, as on a wire.
  const ssize_t count = place_.serial.empty() ? ::sendto(peer_, bytes.data(), bytes.size(), MSG_NOSIGNAL, to,
                                                         is_datagram_ ? from_size_ : 0)
                                              : ::write(peer_, bytes.data(), bytes.size());
  static_cast<void>(count);
}

}  // namespace gyrax::wire
