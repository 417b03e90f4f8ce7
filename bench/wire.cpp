// From an event on a descriptor to the set of a board on its wire (UDP on the loopback device), from rest: the live
// loop with a link of the kind "board", beside a bare loop that polls, reads, packs a frame of as many channels and
// sends. Turn by turn, with the same priority and on the same core. The board is the simulated one, here.
#include "loopback.hpp"

#include <gyrax/handset/controls.hpp>
#include <gyrax/link/link.hpp>
#include <gyrax/link/stand_in.hpp>
#include <gyrax/rig/rig.hpp>
#include <gyrax/wire/board.hpp>

#include <fmt/format.h>

#include <poll.h>
#include <sys/prctl.h>
#include <array>
#include <atomic>
#include <cstdlib>
#include <thread>
#include <vector>

namespace {

using namespace bench;
using namespace std::chrono_literals;

constexpr int channels = 8;

std::string rig_text(int port) {
  std::string text = R"(gyrax = 1
[tick]
period_ms = 2
min_ms = 0.1
max_ms = 1000
[link.board]
kind = "board"
silence_ms = 60_000
valid_ms = 1000
[link.board.board]
round_trip_ms = 1000
)";
  text += fmt::format("udp = \"127.0.0.1:{}\"\n[handset.pad]\nmax_age_ms = 60_000\n", port);
  for (int c = 0; c < channels; ++c)
    text += fmt::format(
        "[axis.a{0}]\nunit = \"mm\"\ntravel = [0, 1000]\nspeed = 100\naccel = 4000\nfollowing_error = 1000\n"
        "runaway = {{ moves_at_rest_ms = 0, wrong_way_ms = 0, overspeed_ms = 0, position_frozen_ms = 0 }}\n"
        "steps = [400, 1]\nchannel = {0}\n",
        c);
  return text + R"([bind]
"stick.left.x" = { jog = "a0" }
"menu.right" = "ready"
"shoulder.right" = "enable"
"face.east" = "stop"
"menu.centre" = "reset"
)";
}

/// The far end: what comes is heard by the simulated board, and a set that says something else than the last one is
/// noticed.
class FarEnd {
 public:
  explicit FarEnd(const sim::BoardSetup& setup) : board_(setup), fd_(::socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0)) {
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    socklen_t size = sizeof address;
    if (::bind(fd_, reinterpret_cast<sockaddr*>(&address), size) != 0 ||
        ::getsockname(fd_, reinterpret_cast<sockaddr*>(&address), &size) != 0)
      throw std::runtime_error("no loopback socket");
    port_ = ntohs(address.sin_port);
  }
  ~FarEnd() { ::close(fd_); }
  int port() const { return port_; }
  void become(const sim::BoardSetup& setup) { board_.emplace(setup); }

  /// Until then, or until a set says something else.
  bool serve(std::chrono::steady_clock::time_point end, bool until_moved) {
    while (std::chrono::steady_clock::now() < end) {
      pollfd wait{fd_, POLLIN, 0};
      const timespec shortly{0, 300'000};
      ::ppoll(&wait, 1, &shortly, nullptr);
      bool moved = false;
      sockaddr_in from{};
      socklen_t size = sizeof from;
      std::array<std::uint8_t, 2048> room;
      const ssize_t got =
          ::recvfrom(fd_, room.data(), room.size(), MSG_DONTWAIT, reinterpret_cast<sockaddr*>(&from), &size);
      for (ssize_t i = 0; i < got; ++i) moved = take(room[static_cast<std::size_t>(i)]) || moved;
      if (moved && until_moved) {
        // It is answered below, in the next turn.
        pending_.assign(room.begin(), room.begin() + got);
        peer_ = from;
        return true;
      }
      if (got > 0) peer_ = from;
      const auto bytes = std::span(room).first(got > 0 ? static_cast<std::size_t>(got) : 0);
      answer(bytes);
    }
    return false;
  }

 private:
  bool take(std::uint8_t byte) {
    if (!in_.take(byte) || in_.frame().kind != wire::Kind::set) return false;
    const auto words = in_.frame().payload.subspan(wire::set_head_bytes);
    std::vector<std::uint8_t> now(words.begin(), words.end());
    const bool changed = now != last_;
    last_ = std::move(now);
    return changed;
  }
  void answer(std::span<const std::uint8_t> bytes) {
    const auto now = static_cast<std::uint64_t>(us(std::chrono::steady_clock::now() - began_));
    if (!pending_.empty()) board_->put(pending_, now);
    pending_.clear();
    if (!bytes.empty()) board_->put(bytes, now);
    board_->advance(now);
    std::array<std::uint8_t, 2048> out;
    std::size_t count = 0;
    while (count < out.size() && board_->get(out[count], now)) ++count;
    if (count > 0) ::sendto(fd_, out.data(), count, 0, reinterpret_cast<sockaddr*>(&peer_), sizeof peer_);
  }

  std::optional<sim::Board> board_;
  int fd_, port_ = 0;
  sockaddr_in peer_{};
  wire::Receiver in_;
  std::vector<std::uint8_t> last_, pending_;
  std::chrono::steady_clock::time_point began_ = std::chrono::steady_clock::now();
};

/// What one would write by hand: poll, read, pack, send.
void bare_loop(const Pipe& pipe, int socket, const std::atomic<bool>& ending) {
  ::prctl(PR_SET_TIMERSLACK, 1);
  pollfd wait{pipe.ends[0], POLLIN, 0};
  input_event events[64];
  double position = 0;
  for (std::uint16_t sequence = 0; !ending; ++sequence) {
    ::poll(&wait, 1, -1);
    const ssize_t got = ::read(pipe.ends[0], events, sizeof events);
    for (std::size_t i = 0; i < static_cast<std::size_t>(got) / sizeof *events; ++i)
      if (events[i].type == EV_ABS) position += events[i].value / 32767.0;
    wire::Writer out;
    write(out, wire::SetHead{0, 0, 60, 0, channels, 0, channels});
    for (int c = 0; c < channels; ++c) write(out, wire::SetChannel{2, static_cast<std::int32_t>(position * 65536), 0});
    std::array<std::uint8_t, wire::max_frame> bytes;
    const std::size_t size = wire::pack({wire::Kind::set, 1, sequence, 1, out.payload()}, bytes);
    [[maybe_unused]] const auto put = ::send(socket, bytes.data(), size, 0);
  }
}

struct Medians {
  std::vector<double> ours, bares, ratios;  ///< of each round, µs
};

/// Nothing where the zone did not stay live, or a set did not come: a machine that stands still for a second does that.
std::optional<Medians> measure(int rounds, int in_a_round) {
  constexpr auto patience = 20s;
  Device pad;
  for (const char* key : {"menu.right", "shoulder.right", "face.east", "menu.centre"})
    pad.keys.insert(find_control(key)->code);
  for (const std::uint16_t code : {std::uint16_t{ABS_X}, std::uint16_t{ABS_Y}})
    pad.absolute[code] = {-32768, 32767, 0, 0, 0};

  FarEnd far(sim::BoardSetup{});
  const Rig rig = parse_rig(rig_text(far.port()), "wire.toml");
  far.become(stand_in_setup(rig, LinkId{0}));
  const BootClock clock;
  PipeHands hands(clock, pad);
  RigLinks links(rig);
  Runner::Options options;
  options.real_time = false;  // taken below, for both loops alike
  Runner runner(rig, hands, links, clock, options);
  std::thread engine([&] {
    take_place();
    runner.run();
  });
  Loopback theirs;
  Pipe pipe;
  std::atomic<bool> ending{false};
  std::thread bare([&] {
    take_place();
    bare_loop(pipe, theirs.out, ending);
  });

  const auto serve = [&](Span span) { far.serve(std::chrono::steady_clock::now() + span, false); };
  take_other_place();
  serve(1s);
  for (const std::uint16_t code : {std::uint16_t{ABS_X}, std::uint16_t{ABS_Y}}) hands.pipe.event(EV_ABS, code, 0);
  for (const std::uint16_t key : {std::uint16_t{BTN_START}, std::uint16_t{BTN_TR}}) {
    hands.pipe.event(EV_KEY, key, 1);
    serve(200ms);
  }
  // Away from the end, and the first, slow motion of what was not moved yet.
  hands.pipe.event(EV_ABS, ABS_X, 32'000);
  serve(2s);
  hands.pipe.event(EV_ABS, ABS_X, 0);
  serve(500ms);
  bool live = runner.look().zones[0].state == State::live;
  Medians medians;
  for (int round = 0; live && round < rounds; ++round) {
    std::vector<double> our_times, bare_times;
    for (int i = 0; live && i < in_a_round; ++i) {
      const int value = (round % 2 == 0 ? 1 : -1) * (20'000 + i);
      auto began = std::chrono::steady_clock::now();
      hands.pipe.event(EV_ABS, ABS_X, value);
      if (!far.serve(began + patience, true)) break;
      our_times.push_back(us(std::chrono::steady_clock::now() - began));
      hands.pipe.event(EV_ABS, ABS_X, 0);
      serve(std::chrono::milliseconds(60 + i % 7));
      began = std::chrono::steady_clock::now();
      pipe.event(EV_ABS, ABS_X, value);
      std::array<std::uint8_t, wire::max_frame> bytes;
      if (::recv(theirs.in, bytes.data(), bytes.size(), 0) <= 0) break;
      bare_times.push_back(us(std::chrono::steady_clock::now() - began));
      live = runner.look().zones[0].state == State::live;
    }
    if (our_times.size() != bare_times.size() || our_times.empty()) live = false;
    if (!live) break;
    medians.ours.push_back(at(our_times, 0.5));
    medians.bares.push_back(at(bare_times, 0.5));
    medians.ratios.push_back(medians.ours.back() / medians.bares.back());
  }
  const ZoneView zone = runner.look().zones[0];
  runner.end();
  serve(1s);
  engine.join();
  ending = true;
  pipe.event(EV_ABS, ABS_X, 0);
  bare.join();
  if (live) return medians;
  fmt::print(stderr, "the engine did not jog over the wire: {} ({})\n", name_of(zone.state),
             about(zone.cause).sentence);
  return std::nullopt;
}

}  // namespace

int main() {
  const bool quick = std::getenv("GYRAX_BENCH_QUICK") != nullptr;
  const int rounds = quick ? 5 : 20, in_a_round = quick ? 3 : 25;
  std::optional<Medians> medians;
  for (int tries = 0; tries < 3 && !medians; ++tries) medians = measure(rounds, in_a_round);
  if (!medians) return 1;
  fmt::print("From an event at rest to the set of {} channels on a wire (µs): the medians of {} rounds of {}\n",
             channels, rounds, in_a_round);
  fmt::print("{:<34}{:>10.1f}\n{:<34}{:>10.1f}\n{:<34}{:>10.2f}\n", "live loop, link of kind board",
             at(medians->ours, 0.5), "bare poll, read, pack, send", at(medians->bares, 0.5), "ratio",
             at(medians->ratios, 0.5));
}
