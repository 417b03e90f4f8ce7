#include "../../firmware/gyrax_board.h"

#include <gyrax/sim/board.hpp>

#include <algorithm>
#include <cmath>
#include <deque>
#include <map>
#include <random>
#include <utility>

namespace gyrax::sim {
namespace {

constexpr double q8 = 256, q16 = 65536;

/// One way of a wire: each byte comes so long after it was put on.
struct Way {
  struct Byte {
    std::uint64_t at_us;
    std::uint8_t byte;
  };
  double byte_us = 0, free_us = 0;
  std::deque<Byte> under_way;

  void put(std::uint8_t byte, std::uint64_t now_us) {
    free_us = std::max(free_us, static_cast<double>(now_us)) + byte_us;
    under_way.push_back({static_cast<std::uint64_t>(std::ceil(free_us)), byte});
  }
  /// Bytes that a microcontroller's serial port takes before the line has carried them away.
  bool has_room(std::uint64_t now_us) const {
    constexpr double buffer_bytes = 128;
    return free_us <= static_cast<double>(now_us) + buffer_bytes * byte_us;
  }
  void clear() {
    under_way.clear();
    free_us = 0;
  }
  bool get(std::uint8_t& byte, std::uint64_t now_us) {
    if (under_way.empty() || under_way.front().at_us > now_us) return false;
    byte = under_way.front().byte;
    under_way.pop_front();
    return true;
  }
};

/// What hangs on a channel, and what its pins say.
struct Hung {
  double output = 0, position = 0;
  bool driven = false, placed = false;
  bool valid = true;            // of an input
  double target = 0, rate = 0;  // of a stepper
  std::uint64_t lost_steps = 0;
};

}  // namespace

struct Board::Inside {
  BoardSetup setup;
  gyrax_port port{};
  gyrax_board board{};
  std::vector<gyrax_channel> channels;
  std::vector<gyrax_state> states;
  std::vector<Hung> hung;
  std::map<std::uint8_t, gyrax_limits> stored;  // as a board keeps them without power
  Way to_board, from_board;
  BoardFault fault = BoardFault::none;
  std::uint64_t now_us = 0, born_us = 0, next_run_us = 0;
  std::mt19937_64 random;
  double acts_s = 0.5;
  std::string message;              // under way
  std::deque<std::string> why{""};  // it fails; the last one counts, and the board may still tell an older one
  std::uint32_t acts_until = 0;
  std::vector<std::string> acted;

  explicit Inside(const BoardSetup& s) : setup(s), hung(s.channels.size()), random(s.seed) {
    to_board.byte_us = from_board.byte_us = s.bytes_per_s > 0 ? 1e6 / s.bytes_per_s : 0;
    for (std::size_t n = 0; n < setup.channels.size(); ++n) channels.push_back(made(setup.channels[n], n));
    states.resize(channels.size());
    wire_up();
    power_up();
  }

  static gyrax_channel made(const BoardChannel& c, std::size_t n) {
    gyrax_channel made{};
    made.name = c.name.c_str();
    made.kind = c.kind;
    made.pin = static_cast<std::uint8_t>(n);
    made.forward = made.backward = GYRAX_NO_PIN;
    made.limits.low = static_cast<std::int32_t>(std::lround(c.low * q8));
    made.limits.high = static_cast<std::int32_t>(std::lround(c.high * q8));
    made.limits.speed = static_cast<std::uint32_t>(std::lround(c.speed * q8));
    made.limits.accel = static_cast<std::uint32_t>(std::lround(c.accel * q8));
    made.limits.becomes = c.becomes;
    made.limits.place = static_cast<std::int32_t>(std::lround(c.place * q8));
    return made;
  }

  void wire_up() {
    port.user = this;
    port.now_us = [](void* user) { return self(user).clock(); };
    port.read = [](void* user, std::uint8_t* byte) -> int { return self(user).to_board.get(*byte, self(user).now_us); };
    port.write = [](void* user, const std::uint8_t* bytes, std::size_t size) {
      std::size_t taken = 0;
      while (taken < size && self(user).from_board.has_room(self(user).now_us)) self(user).send(bytes[taken++]);
      return taken;
    };
    port.servo = [](void* user, std::uint8_t pin, std::uint32_t pulse) {
      Hung& h = self(user).hung[pin];
      h.driven = pulse != 0;
      h.output = pulse / q16;
    };
    port.signed_power = [](void* user, std::uint8_t pin, std::int32_t share) {
      self(user).hung[pin].output = share / q16;
      self(user).hung[pin].driven = share != 0;
    };
    port.level = [](void* user, std::uint8_t pin, int on) {
      Hung& h = self(user).hung[pin];
      h.driven = on != 0;
      if (self(user).channels[pin].kind == GYRAX_SWITCH) h.output = h.position = on;
    };
    port.steps = [](void* user, std::uint8_t channel, std::int64_t position, std::uint32_t within_us) {
      Hung& h = self(user).hung[channel];
      h.target = static_cast<double>(position) / q16;
      h.rate = (h.target - h.output) * 1e6 / within_us;
    };
    port.counted = [](void* user, std::uint8_t channel) {
      return static_cast<std::int64_t>(std::floor(self(user).hung[channel].output)) * 65536;
    };
    port.input = [](void* user, std::uint8_t pin, std::uint8_t, std::uint8_t* valid) {
      *valid = self(user).hung[pin].valid ? 1 : 0;
      return static_cast<std::int32_t>(std::lround(self(user).hung[pin].position * q8));
    };
    port.store = [](void* user, std::uint8_t channel, const gyrax_limits* limits) {
      self(user).stored[channel] = *limits;
      return 1;
    };
    port.recall = [](void* user, std::uint8_t channel, gyrax_limits* limits) {
      const auto found = self(user).stored.find(channel);
      if (found == self(user).stored.end()) return 0;
      *limits = found->second;
      return 1;
    };
    port.act = [](void* user, std::uint8_t what, const char** words) { return self(user).act(what, words); };
    port.entropy = [](void* user) { return static_cast<std::uint16_t>(self(user).random()); };
  }

  static Inside& self(void* user) { return *static_cast<Inside*>(user); }
  std::uint32_t clock() const { return static_cast<std::uint32_t>(now_us - born_us); }

  void power_up() {
    born_us = now_us;
    next_run_us = now_us;
    to_board.clear();
    from_board.clear();
    for (std::size_t n = 0; n < hung.size(); ++n) {
      hung[n].driven = false;
      if (setup.channels[n].kind <= GYRAX_SWITCH) hung[n].output = 0;
    }
    gyrax_board_begin(&board, &port, channels.data(), static_cast<std::uint8_t>(channels.size()), states.data(),
                      setup.address, setup.name.c_str());
  }

  std::uint8_t spoiled(std::uint8_t byte) {
    if (fault != BoardFault::noisy || random() % 100 != 0) return byte;
    return static_cast<std::uint8_t>(byte ^ (1u << random() % 8));
  }
  void send(std::uint8_t byte) {
    if (fault != BoardFault::cut) from_board.put(spoiled(byte), now_us);
  }

  std::uint8_t act(std::uint8_t what, const char** words) {
    const auto says = [&](const char* did) { acted.push_back('"' + message + "\" " + did); };
    switch (what) {
      case GYRAX_BEGIN:
        message = *words;
        acts_until = clock() + static_cast<std::uint32_t>(acts_s * 1e6);
        says("begins");
        return GYRAX_UNDER_WAY;
      case GYRAX_CANCEL: says("is cancelled"); return GYRAX_CANCELLED;
      default: break;
    }
    if (static_cast<std::int32_t>(clock() - acts_until) < 0) return GYRAX_UNDER_WAY;
    says(why.back().empty() ? "is done" : "fails");
    if (why.back().empty()) return GYRAX_DONE;
    *words = why.back().c_str();
    return GYRAX_FAILED;
  }

  /// What hangs there moves on, by itself and by its pins.
  void move(Hung& h, const BoardChannel& c, double dt_s) const {
    const double supply = fault == BoardFault::sags ? 1 / 3.0 : 1;
    switch (c.kind) {
      case GYRAX_SERVO: {
        if (!h.driven) return;
        // A servo wakes up anywhere; this one where it is told first.
        if (!std::exchange(h.placed, true)) h.position = h.output;
        const double way = h.output - h.position, most = supply * c.servo_speed * dt_s;
        if (std::abs(way) > c.dead_band && fault != BoardFault::stuck) h.position += std::clamp(way, -most, most);
        return;
      }
      case GYRAX_STEPPER: {
        // The generator gives them all, evenly; the shaft follows as many as it can.
        const double way = h.target - h.output, step = h.rate * dt_s;
        const auto before = std::floor(h.output);
        h.output = std::abs(step) < std::abs(way) ? h.output + step : h.target;
        const double made = std::floor(h.output) - before;
        if (std::abs(h.rate) <= supply * c.most_steps && fault != BoardFault::stuck)
          h.position += made;
        else
          h.lost_steps += static_cast<std::uint64_t>(std::abs(made));
        return;
      }
      case GYRAX_MOTOR: h.position = h.output; return;
      default: return;
    }
  }

  void advance(std::uint64_t to_us) {
    while (now_us < to_us) {
      const std::uint64_t next = std::min(to_us, std::max(next_run_us, now_us + 1));
      const double dt_s = static_cast<double>(next - now_us) / 1e6;
      now_us = next;
      for (std::size_t n = 0; n < hung.size(); ++n) move(hung[n], setup.channels[n], dt_s);
      if (now_us < next_run_us) continue;
      next_run_us = now_us + (fault == BoardFault::slow ? 20'000 : setup.run_every_us);
      if (fault != BoardFault::hung) gyrax_board_run(&board);
    }
  }
};

Board::Board(const BoardSetup& setup) : in_(std::make_unique<Inside>(setup)) {}
Board::~Board() = default;
Board::Board(Board&&) noexcept = default;

void Board::put(std::span<const std::uint8_t> bytes, std::uint64_t now_us) {
  if (in_->fault == BoardFault::cut) return;
  for (const std::uint8_t byte : bytes) in_->to_board.put(in_->spoiled(byte), now_us);
}
void Board::advance(std::uint64_t now_us) { in_->advance(now_us); }
bool Board::get(std::uint8_t& byte, std::uint64_t now_us) { return in_->from_board.get(byte, now_us); }

void Board::break_with(BoardFault fault) {
  in_->fault = fault;
  if (fault != BoardFault::cut) return;
  in_->to_board.clear();
  in_->from_board.clear();
}
void Board::restart() { in_->power_up(); }
void Board::set_input(std::size_t channel, double value, bool valid) {
  in_->hung[channel].output = in_->hung[channel].position = value;
  in_->hung[channel].valid = valid;
}
void Board::act_for(double seconds, std::string why) {
  in_->acts_s = seconds;
  in_->why.push_back(std::move(why));
}
std::vector<std::string> Board::acted() { return std::exchange(in_->acted, {}); }
void Board::print(const char* text) { gyrax_board_print(&in_->board, text); }

std::size_t Board::channels() const { return in_->channels.size(); }
double Board::position(std::size_t channel) const { return in_->hung[channel].position; }
double Board::output(std::size_t channel) const { return in_->hung[channel].output; }
bool Board::driven(std::size_t channel) const { return in_->hung[channel].driven; }
std::uint64_t Board::lost_steps(std::size_t channel) const { return in_->hung[channel].lost_steps; }
std::uint64_t Board::bad_frames() const { return in_->board.in.bad; }
std::size_t Board::ram_bytes() const { return sizeof(gyrax_board) + in_->states.size() * sizeof(gyrax_state); }
std::uint32_t Board::clock_us() const { return in_->clock(); }
std::uint32_t Board::session() const { return in_->board.session; }
std::uint8_t Board::status(std::size_t channel) const { return in_->states[channel].status; }

}  // namespace gyrax::sim
