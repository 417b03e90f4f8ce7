// What the benchmarks of the live loop share: a handset behind a pipe, a loopback socket, places on cores.
#pragma once

#include <gyrax/handset/decoder.hpp>
#include <gyrax/live/runner.hpp>
#include <gyrax/threads/real_time.hpp>

#include <linux/input.h>

#include <arpa/inet.h>
#include <sched.h>
#include <sys/epoll.h>
#include <sys/socket.h>
#include <unistd.h>
#include <algorithm>
#include <array>
#include <chrono>
#include <stdexcept>
#include <vector>

namespace bench {

using namespace gyrax;

/// A pair of connected UDP sockets on the loopback device.
struct Loopback {
  int out = -1, in = -1;
  Loopback()
      : out(::socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0)), in(::socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0)) {
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    socklen_t size = sizeof address;
    if (::bind(in, reinterpret_cast<sockaddr*>(&address), size) != 0 ||
        ::getsockname(in, reinterpret_cast<sockaddr*>(&address), &size) != 0 ||
        ::connect(out, reinterpret_cast<sockaddr*>(&address), size) != 0)
      throw std::runtime_error("no loopback socket");
  }
  ~Loopback() {
    ::close(out);
    ::close(in);
  }
};

struct Pipe {
  int ends[2] = {-1, -1};
  Pipe() {
    if (::pipe(ends) != 0) throw std::runtime_error("no pipe");
  }
  ~Pipe() {
    ::close(ends[0]);
    ::close(ends[1]);
  }
  void event(std::uint16_t type, std::uint16_t code, int value) const {
    input_event events[2] = {};
    events[0].type = type;
    events[0].code = code;
    events[0].value = value;
    events[1].type = EV_SYN;
    if (::write(ends[1], events, sizeof events) != sizeof events) throw std::runtime_error("the pipe is full");
  }
};

/// The handset's side, as the live handsets do it in the engine's thread: all descriptors behind one, read when that is
/// readable, decoded, taken one by one. A device's node is a pipe here.
class PipeHands final : public Hands {
 public:
  PipeHands(const BootClock& clock, const Device& device)
      : clock_(clock), decoder_(HandsetId{0}, device), all_(::epoll_create1(EPOLL_CLOEXEC)) {
    epoll_event wanted{.events = EPOLLIN, .data = {.ptr = this}};
    ::epoll_ctl(all_, EPOLL_CTL_ADD, pipe.ends[0], &wanted);
    decoder_.plugged(clock_.now(), readings_);
  }
  ~PipeHands() override { ::close(all_); }
  bool next(HandsetItem& item, Time) noexcept override {
    if (next_ == readings_.size()) {
      readings_.clear();
      next_ = 0;
      if (turn_is_over_) return turn_is_over_ = false;
      gather();
      if (readings_.empty()) return false;
      turn_is_over_ = true;
    }
    item.kind = HandsetItem::Kind::reading;
    item.reading = readings_[next_++];
    if (item.reading.control != ControlId::presence) ++taken;
    return true;
  }
  int wake_descriptor() const noexcept override { return all_; }
  Pipe pipe;
  std::uint64_t taken = 0;  // of the engine's thread

 private:
  void gather() noexcept {
    std::array<epoll_event, 8> ready;
    if (::epoll_wait(all_, ready.data(), static_cast<int>(ready.size()), 0) <= 0) return;
    std::array<input_event, 128> events;
    const ssize_t got = ::read(pipe.ends[0], events.data(), sizeof events);
    const Time now = clock_.now();
    for (std::size_t i = 0; got > 0 && i < static_cast<std::size_t>(got) / sizeof(input_event); ++i)
      decoder_.event({0, events[i].type, events[i].code, events[i].value}, now, now, readings_);
  }
  BootClock clock_;
  EventDecoder decoder_;
  int all_;
  std::vector<Reading> readings_;
  std::size_t next_ = 0;
  bool turn_is_over_ = false;
};

inline double us(std::chrono::steady_clock::duration d) { return std::chrono::duration<double, std::micro>(d).count(); }

inline double at(std::vector<double> all, double share) {
  std::sort(all.begin(), all.end());
  return all[std::min(all.size() - 1, static_cast<std::size_t>(share * static_cast<double>(all.size())))];
}

/// Both loops on the first core that this process may use, with whatever priority they can have.
inline void take_place() {
  cpu_set_t may;
  ::sched_getaffinity(0, sizeof may, &may);
  cpu_set_t first;
  CPU_ZERO(&first);
  for (int core = 0; core < CPU_SETSIZE && CPU_COUNT(&first) == 0; ++core)
    if (CPU_ISSET(core, &may)) CPU_SET(core, &first);
  ::sched_setaffinity(0, sizeof first, &first);
  take_real_time();
}

/// The events' side, on the last core.
inline void take_other_place() {
  cpu_set_t may, last;
  ::sched_getaffinity(0, sizeof may, &may);
  CPU_ZERO(&last);
  for (int core = CPU_SETSIZE - 1; core >= 0 && CPU_COUNT(&last) == 0; --core)
    if (CPU_ISSET(core, &may)) CPU_SET(core, &last);
  ::sched_setaffinity(0, sizeof last, &last);
}

}  // namespace bench
