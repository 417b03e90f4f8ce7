// From an event on a descriptor to its command on a loopback socket: the live loop (a thread that reads and decodes, a
// queue, an engine in a thread of its own) beside a bare loop that polls, reads, computes and sends. Turn by turn in
// one run.
#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/decoder.hpp>
#include <gyrax/live/runner.hpp>
#include <gyrax/rig/rig.hpp>
#include <gyrax/threads/queue.hpp>

#include <fmt/format.h>
#include <linux/input.h>

#include <arpa/inet.h>
#include <poll.h>
#include <sys/eventfd.h>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <unistd.h>
#include <algorithm>
#include <atomic>
#include <cstdlib>
#include <stdexcept>
#include <thread>
#include <vector>

namespace {

using namespace gyrax;
using namespace std::chrono_literals;

const char* const rig_text = R"(gyrax = 1
[tick]
period_ms = 2
min_ms = 0.1
max_ms = 1000
[link.machine]
kind = "simulated"
silence_ms = 60_000
[handset.pad]
max_age_ms = 60_000
[axis.x]
unit = "mm"
travel = [0, 1000]
speed = 100
accel = 1000
position = "assumed"
start = 500

[bind]
"stick.left.x" = { jog = "x" }
"menu.right" = "ready"
"shoulder.right" = "enable"
"face.east" = "stop"
"menu.centre" = "reset"
)";

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

/// What a packet says: how many events its sender had seen.
struct Packet {
  std::uint64_t seen = 0;
  double position = 0;
};

/// The handset's side, as LiveHandsets does it on a device: poll, read, decode, queue, wake.
class PipeHands final : public Hands {
 public:
  PipeHands(const BootClock& clock, const Device& device)
      : clock_(clock), decoder_(HandsetId{0}, device), wake_(::eventfd(0, EFD_NONBLOCK)) {
    thread_ = std::thread([this] { run(); });
  }
  ~PipeHands() override {
    ending_ = true;
    pipe.event(EV_MSC, 0, 0);
    thread_.join();
    ::close(wake_);
  }
  bool next(HandsetItem& item, Time) noexcept override {
    if (!queue_.pop(item)) return false;
    if (item.reading.control != ControlId::presence) ++taken;
    return true;
  }
  int wake_descriptor() const noexcept override { return wake_; }
  void clear_wake() noexcept override {
    std::uint64_t ignored = 0;
    [[maybe_unused]] const auto got = ::read(wake_, &ignored, sizeof ignored);
  }
  Pipe pipe;
  std::uint64_t taken = 0;  // of the engine's thread

 private:
  void run() {
    std::vector<Reading> readings;
    decoder_.plugged(clock_.now(), readings);
    hand_over(readings);
    input_event events[64];
    pollfd wait{pipe.ends[0], POLLIN, 0};
    while (!ending_) {
      ::poll(&wait, 1, -1);
      const ssize_t got = ::read(pipe.ends[0], events, sizeof events);
      const Time now = clock_.now();
      readings.clear();
      for (std::size_t i = 0; i < static_cast<std::size_t>(got) / sizeof *events; ++i)
        decoder_.event({0, events[i].type, events[i].code, events[i].value}, now, now, readings);
      hand_over(readings);
    }
  }
  void hand_over(const std::vector<Reading>& readings) {
    HandsetItem item;
    for (const Reading& reading : readings) {
      item.reading = reading;
      queue_.push(item);
    }
    const std::uint64_t one = 1;
    [[maybe_unused]] const auto put = ::write(wake_, &one, sizeof one);
  }
  BootClock clock_;
  EventDecoder decoder_;
  Queue<HandsetItem> queue_{1024};
  int wake_;
  std::atomic<bool> ending_{false};
  std::thread thread_;
};

/// Sends a packet for every tick that took something new. Reports nothing but a heartbeat.
class SocketMachines final : public Machines {
 public:
  SocketMachines(const PipeHands& hands, int socket) : hands_(hands), socket_(socket) {}
  std::span<const LinkReport> reports(Time now) override {
    report_ = {LinkId{0}, ++heartbeat_, now, now, axes_};
    return {&report_, 1};
  }
  void send(std::span<const Frame> frames) override {
    if (hands_.taken == told_) return;
    told_ = hands_.taken;
    const Packet packet{told_, static_cast<double>(frames[0].axes[0].position)};
    [[maybe_unused]] const auto put = ::send(socket_, &packet, sizeof packet, 0);
  }

 private:
  const PipeHands& hands_;
  int socket_;
  std::uint64_t told_ = 0;
  std::uint32_t heartbeat_ = 0;
  AxisReport axes_[1];
  LinkReport report_;
};

/// What one would write by hand: poll, read, compute, send.
void bare_loop(const Pipe& pipe, int socket, const std::atomic<bool>& ending) {
  ::prctl(PR_SET_TIMERSLACK, 1);
  pollfd wait{pipe.ends[0], POLLIN, 0};
  Packet packet;
  input_event events[64];
  while (!ending) {
    ::poll(&wait, 1, -1);
    const ssize_t got = ::read(pipe.ends[0], events, sizeof events);
    for (std::size_t i = 0; i < static_cast<std::size_t>(got) / sizeof *events; ++i) {
      if (events[i].type != EV_ABS) continue;
      packet.position += events[i].value / 32767.0 * 100 * 0.002;
      ++packet.seen;
    }
    [[maybe_unused]] const auto put = ::send(socket, &packet, sizeof packet, 0);
  }
}

double us(std::chrono::steady_clock::duration d) { return std::chrono::duration<double, std::micro>(d).count(); }

/// One event, and the time until a packet tells that it was seen.
double round_trip(const Pipe& pipe, const Loopback& loop, int value, std::uint64_t wanted) {
  const auto begin = std::chrono::steady_clock::now();
  pipe.event(EV_ABS, ABS_X, value);
  Packet packet;
  while (packet.seen < wanted)
    if (::recv(loop.in, &packet, sizeof packet, 0) != sizeof packet) throw std::runtime_error("no packet");
  return us(std::chrono::steady_clock::now() - begin);
}

struct Times {
  std::vector<double> all;
  double at(double share) {
    std::sort(all.begin(), all.end());
    return all[std::min(all.size() - 1, static_cast<std::size_t>(share * static_cast<double>(all.size())))];
  }
};

}  // namespace

int main() {
  const bool quick = std::getenv("GYRAX_BENCH_QUICK") != nullptr;
  const int rounds = quick ? 500 : 20'000;
  Device pad;
  for (const char* key : {"menu.right", "shoulder.right", "face.east", "menu.centre"})
    pad.keys.insert(find_control(key)->code);
  for (const std::uint16_t code : {std::uint16_t{ABS_X}, std::uint16_t{ABS_Y}})
    pad.absolute[code] = {-32768, 32767, 0, 0, 0};

  const Rig rig = parse_rig(rig_text, "latency.toml");
  const BootClock clock;
  Loopback ours, theirs;
  PipeHands hands(clock, pad);
  SocketMachines machines(hands, ours.out);
  Runner::Options options;
  options.real_time = false;
  Runner runner(rig, hands, machines, clock, options);
  std::thread engine([&] { runner.run(); });
  Pipe pipe;
  std::atomic<bool> ending{false};
  std::thread bare([&] { bare_loop(pipe, theirs.out, ending); });

  const auto settle = [] { std::this_thread::sleep_for(50ms); };
  settle();
  for (const std::uint16_t code : {std::uint16_t{ABS_X}, std::uint16_t{ABS_Y}}) hands.pipe.event(EV_ABS, code, 0);
  for (const std::uint16_t key : {std::uint16_t{BTN_START}, std::uint16_t{BTN_TR}}) {
    hands.pipe.event(EV_KEY, key, 1);
    settle();
  }
  // What was sent so far: the keys as up when plugged in, two sticks, two keys.
  std::uint64_t seen = pad.keys.size() + 4, bare_seen = 0;
  bool live = runner.look().zones[0].state == State::live;
  Times our_times, bare_times;
  for (int i = 0; live && i < rounds; ++i) {
    const int value = (i / 100 % 2 == 0 ? 1 : -1) * (20'000 + i % 100);
    our_times.all.push_back(round_trip(hands.pipe, ours, value, ++seen));
    std::this_thread::sleep_for(std::chrono::microseconds(700 + i % 300));
    bare_times.all.push_back(round_trip(pipe, theirs, value, ++bare_seen));
    std::this_thread::sleep_for(std::chrono::microseconds(700 + i % 300));
    live = runner.look().zones[0].state == State::live;
  }
  const bool moved = runner.look().axes[0].command.p != 500;
  runner.end();
  engine.join();
  ending = true;
  pipe.event(EV_ABS, ABS_X, 0);
  bare.join();
  if (!live || !moved) {
    fmt::print(stderr, "the engine did not jog\n");
    return 1;
  }
  fmt::print(
      "From an event to its command on a loopback socket, {} times each, turn by turn "
      "(µs)\n{:<34}{:>10}{:>10}{:>10}{:>10}\n",
      rounds, "", "p50", "p99", "p99.9", "most");
  for (auto* times : {&our_times, &bare_times})
    fmt::print("{:<34}{:>10.1f}{:>10.1f}{:>10.1f}{:>10.1f}\n",
               times == &our_times ? "live loop (2 threads, queue, engine)" : "bare poll, read, send", times->at(0.5),
               times->at(0.99), times->at(0.999), times->at(1));
  fmt::print("{:<34}{:>10.2f}{:>10.2f}{:>10.2f} times\n", "ratio", our_times.at(0.5) / bare_times.at(0.5),
             our_times.at(0.99) / bare_times.at(0.99), our_times.at(0.999) / bare_times.at(0.999));
}
