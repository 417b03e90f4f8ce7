#include <gyrax/wire/port.hpp>

#include <fcntl.h>
#include <netdb.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <termios.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <utility>

namespace gyrax::wire {
namespace {

using namespace std::chrono_literals;

constexpr auto between_tries = 200ms;
constexpr int connects_within_ms = 1000;

struct Baud {
  int bauds;
  speed_t code;
};
constexpr Baud bauds[] = {{9600, B9600},     {19200, B19200},     {38400, B38400},    {57600, B57600},
                          {115200, B115200}, {230400, B230400},   {460800, B460800},  {500000, B500000},
                          {921600, B921600}, {1000000, B1000000}, {2000000, B2000000}};

/// Bytes as they are: no line, no echo, no flow control; for us alone.
bool make_raw(int fd, int baud) {
  termios line{};
  if (::tcgetattr(fd, &line) != 0) return false;
  ::cfmakeraw(&line);
  line.c_cflag |= CLOCAL | CREAD;
  line.c_cflag &= ~static_cast<tcflag_t>(CSTOPB | CRTSCTS | HUPCL);
  line.c_cc[VMIN] = 0;
  line.c_cc[VTIME] = 0;
  for (const Baud& one : bauds)
    if (one.bauds == baud) ::cfsetspeed(&line, one.code);
  if (::tcsetattr(fd, TCSANOW, &line) != 0) return false;
  ::tcflush(fd, TCIOFLUSH);
  return ::ioctl(fd, TIOCEXCL) == 0;
}

std::string error_words(int error) { return std::strerror(error); }

int open_serial(const Place& place, std::string& why) {
  const int fd = ::open(place.serial.c_str(), O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
  if (fd < 0) {
    why = error_words(errno);
    return -1;
  }
  if (make_raw(fd, place.baud)) return fd;
  why = errno == ENOTTY ? "it is no serial line" : error_words(errno);
  ::close(fd);
  return -1;
}

bool connects(int fd, const addrinfo& to, std::string& why) {
  if (::connect(fd, to.ai_addr, to.ai_addrlen) == 0) return true;
  int error = errno;
  if (error == EINPROGRESS) {
    pollfd waits{fd, POLLOUT, 0};
    socklen_t size = sizeof error;
    if (::poll(&waits, 1, connects_within_ms) == 1)
      ::getsockopt(fd, SOL_SOCKET, SO_ERROR, &error, &size);
    else
      error = ETIMEDOUT;
  }
  if (error != 0) why = error_words(error);
  return error == 0;
}

int open_socket(const std::string& where, int kind, std::string& why) {
  const auto parts = host_and_port(where);
  if (!parts) {
    why = "it is no host:port";
    return -1;
  }
  addrinfo hints{};
  hints.ai_socktype = kind;
  addrinfo* found = nullptr;
  if (const int error = ::getaddrinfo(parts->first.c_str(), parts->second.c_str(), &hints, &found); error != 0) {
    why = ::gai_strerror(error);
    return -1;
  }
  int fd = -1;
  for (const addrinfo* one = found; one != nullptr && fd < 0; one = one->ai_next) {
    fd = ::socket(one->ai_family, kind | SOCK_NONBLOCK | SOCK_CLOEXEC, 0);
    if (fd >= 0 && !connects(fd, *one, why)) {
      ::close(fd);
      fd = -1;
    }
  }
  ::freeaddrinfo(found);
  const int at_once = 1;
  if (fd >= 0 && kind == SOCK_STREAM) ::setsockopt(fd, IPPROTO_TCP, TCP_NODELAY, &at_once, sizeof at_once);
  return fd;
}

}  // namespace

bool is_baud(int baud) noexcept {
  for (const Baud& one : bauds)
    if (one.bauds == baud) return true;
  return false;
}

std::optional<std::pair<std::string, std::string>> host_and_port(const std::string& text) {
  const std::size_t colon = text.rfind(':');
  if (colon == std::string::npos || colon == 0 || colon + 1 == text.size()) return std::nullopt;
  std::string host = text.substr(0, colon), port = text.substr(colon + 1);
  if (port.find_first_not_of("0123456789") != std::string::npos || port.size() > 5 || std::stoi(port) > 65535 ||
      std::stoi(port) == 0)
    return std::nullopt;
  if (host.front() == '[' && host.back() == ']') host = host.substr(1, host.size() - 2);
  if (host.empty()) return std::nullopt;
  return std::pair(std::move(host), std::move(port));
}

std::string Place::words() const {
  if (!serial.empty()) return "serial line " + serial;
  return tcp.empty() ? "udp " + udp : "tcp " + tcp;
}

Port::Port(Place place) : place_(std::move(place)), opener_([this] { keep_open(); }) {}

Port::~Port() {
  {
    const std::lock_guard lock(mutex_);
    ending_ = true;
  }
  wake_.notify_one();
  opener_.join();
  for (std::atomic<int>* each : {&descriptor_, &lost_})
    if (const int fd = each->exchange(-1); fd >= 0) ::close(fd);
}

int Port::open_once() {
  std::string why;
  const int fd = !place_.serial.empty() ? open_serial(place_, why)
                 : !place_.tcp.empty()  ? open_socket(place_.tcp, SOCK_STREAM, why)
                                        : open_socket(place_.udp, SOCK_DGRAM, why);
  const std::lock_guard lock(mutex_);
  trouble_ = fd >= 0 ? "" : why;
  return fd;
}

void Port::keep_open() {
  while (!ending_) {
    if (const int fd = lost_.exchange(-1); fd >= 0) ::close(fd);
    if (descriptor_.load() < 0 && lost_.load() < 0)
      if (const int fd = open_once(); fd >= 0) descriptor_.store(fd, std::memory_order_release);
    std::unique_lock lock(mutex_);
    wake_.wait_for(lock, between_tries, [this] { return ending_.load(); });
  }
}

void Port::lose() noexcept { lost_.store(descriptor_.exchange(-1)); }

std::string Port::trouble() const {
  const std::lock_guard lock(mutex_);
  return trouble_;
}

std::span<const std::uint8_t> Port::read(std::span<std::uint8_t> room) noexcept {
  const int fd = descriptor_.load(std::memory_order_acquire);
  if (fd < 0) return {};
  const ssize_t count = ::read(fd, room.data(), room.size());
  if (count > 0) return room.first(static_cast<std::size_t>(count));
  const bool nothing_yet = count < 0 && (errno == EAGAIN || errno == EINTR || errno == ECONNREFUSED);
  // A serial line in this mode reads nothing where there is nothing, and fails where its device is gone.
  if (!nothing_yet && !(count == 0 && place_.tcp.empty())) lose();
  return {};
}

bool Port::write(std::span<const std::uint8_t> bytes) noexcept {
  const int fd = descriptor_.load(std::memory_order_acquire);
  if (fd < 0) return false;
  const ssize_t count = place_.serial.empty() ? ::send(fd, bytes.data(), bytes.size(), MSG_NOSIGNAL)
                                              : ::write(fd, bytes.data(), bytes.size());
  if (count < 0 && errno != EAGAIN && errno != EINTR && errno != ECONNREFUSED) lose();
  return count == static_cast<ssize_t>(bytes.size());
}

}  // namespace gyrax::wire
