// From an event on a descriptor to its command on a loopback socket: the live loop (wakes up once, reads, decodes,
// ticks, sends) beside a bare loop that polls, reads, computes and sends. In rounds, turn by turn, with the same
// priority and on the same core; the events come from another one where there is one.
#include "loopback.hpp"

#include <gyrax/handset/controls.hpp>
#include <gyrax/rig/rig.hpp>

#include <fmt/format.h>
#include <poll.h>
#include <sys/prctl.h>
#include <array>
#include <atomic>
#include <cstdlib>
#include <optional>
#include <stdexcept>
#include <thread>
#include <vector>

namespace {

using namespace bench;
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

/// What a packet says: how many events its sender had seen.
struct Packet {
  std::uint64_t seen = 0;
  double position = 0;
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

/// One event, and the time until a packet tells that it was seen.
double round_trip(const Pipe& pipe, const Loopback& loop, int value, std::uint64_t wanted) {
  const auto begin = std::chrono::steady_clock::now();
  pipe.event(EV_ABS, ABS_X, value);
  Packet packet;
  while (packet.seen < wanted)
    if (::recv(loop.in, &packet, sizeof packet, 0) != sizeof packet) throw std::runtime_error("no packet");
  return us(std::chrono::steady_clock::now() - begin);
}

constexpr std::array shares{0.5, 0.99};
struct Shares {
  std::array<std::vector<double>, shares.size()> ours, bares, ratios;  ///< of each round, µs
  RunView view;
};

/// Nothing where the zone did not stay live: a machine that stands still for a second does that.
std::optional<Shares> measure(int rounds, int in_a_round) {
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
  options.real_time = false;  // taken below, for both loops alike
  Runner runner(rig, hands, machines, clock, options);
  std::thread engine([&] {
    take_place();
    runner.run();
  });
  Pipe pipe;
  std::atomic<bool> ending{false};
  std::thread bare([&] {
    take_place();
    bare_loop(pipe, theirs.out, ending);
  });

  const auto settle = [] { std::this_thread::sleep_for(50ms); };
  settle();
  for (const std::uint16_t code : {std::uint16_t{ABS_X}, std::uint16_t{ABS_Y}}) hands.pipe.event(EV_ABS, code, 0);
  for (const std::uint16_t key : {std::uint16_t{BTN_START}, std::uint16_t{BTN_TR}}) {
    hands.pipe.event(EV_KEY, key, 1);
    settle();
  }
  take_other_place();
  // What was sent so far: the keys as up when plugged in, two sticks, two keys.
  std::uint64_t seen = pad.keys.size() + 4, bare_seen = 0;
  const auto is_live = [&] { return runner.look().zones[0].state == State::live; };
  for (int looks = 0; looks < 100 && !is_live(); ++looks) settle();
  bool live = is_live();
  Shares found;
  const auto pause = [](int i) { std::this_thread::sleep_for(std::chrono::microseconds(700 + i % 300)); };
  for (int round = 0; live && round < rounds; ++round) {
    std::vector<double> our_times, bare_times;
    for (int i = 0; live && i < in_a_round; ++i) {
      const int value = (i / 100 % 2 == 0 ? 1 : -1) * (20'000 + i % 100);
      our_times.push_back(round_trip(hands.pipe, ours, value, ++seen));
      pause(i);
      bare_times.push_back(round_trip(pipe, theirs, value, ++bare_seen));
      pause(i);
      live = is_live();
    }
    for (std::size_t s = 0; s < shares.size(); ++s) {
      found.ours[s].push_back(at(our_times, shares[s]));
      found.bares[s].push_back(at(bare_times, shares[s]));
      found.ratios[s].push_back(found.ours[s].back() / found.bares[s].back());
    }
  }
  found.view = runner.look();
  const bool moved = found.view.axes[0].command.p != 500;
  runner.end();
  engine.join();
  ending = true;
  pipe.event(EV_ABS, ABS_X, 0);
  bare.join();
  if (live && moved) return found;
  const ZoneView& zone = found.view.zones[0];
  fmt::print(stderr, "the engine did not jog: {} ({}{})\n", name_of(zone.state), about(zone.cause).sentence,
             moved ? "" : "; the axis did not move");
  return std::nullopt;
}

}  // namespace

int main() {
  const bool quick = std::getenv("GYRAX_BENCH_QUICK") != nullptr;
  const int rounds = 20, in_a_round = quick ? 50 : 1000;
  std::optional<Shares> found;
  for (int tries = 0; tries < 3 && !found; ++tries) found = measure(rounds, in_a_round);
  if (!found) return 1;
  fmt::print(
      "From an event to its command on a loopback socket (µs): the medians of {} rounds of {}, turn by turn\n"
      "{:<34}{:>10}{:>10}\n",
      rounds, in_a_round, "", "p50", "p99");
  const auto row = [&](const char* name, const auto& all, int digits) {
    fmt::print("{:<34}{:>10.{}f}{:>10.{}f}\n", name, at(all[0], 0.5), digits, at(all[1], 0.5), digits);
  };
  row("live loop (engine)", found->ours, 1);
  row("bare poll, read, send", found->bares, 1);
  row("ratio", found->ratios, 2);
  fmt::print("{} ticks, of them {} for a reading\n", found->view.ticks, found->view.early_ticks);
}
