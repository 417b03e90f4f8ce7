#include "input_line.hpp"

#include <gyrax/link/drive_stand_in.hpp>
#include <gyrax/link/register_talk.hpp>
#include <gyrax/wire/served_port.hpp>

#include <fmt/format.h>
#include <modbus.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <chrono>
#include <cmath>
#include <optional>
#include <stdexcept>
#include <thread>
#include <utility>

namespace gyrax {
namespace {

using What = RegisterEntry::What;

/// Its own limits have room above the rig's, so that it can follow what it is told.
constexpr double speed_room = 1.3, accel_room = 4;
/// Late beyond any patience.
constexpr auto slow_by = std::chrono::milliseconds(400);
constexpr int most_clients = 8, bits_a_byte = 11;

sim::DriveSetup drive_setup(const Rig& rig, LinkId link) {
  sim::DriveSetup setup;
  const LinkInfo& info = rig.links[index(link)];
  setup.watchdog_us = static_cast<std::uint64_t>(info.number("watchdog_ms") * 1e3);
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisSetup& axis = rig.setup.axes[a];
    if (axis.wiring.link != link) continue;
    const MotionLimits& full = axis.limits.full();
    sim::DriveAxisSetup one;
    one.by_speed = rig.axes[a].motor;
    one.speed = full.speed * speed_room;
    one.accel = std::max(full.accel, full.decel) * accel_room;
    one.decel = full.decel;
    one.lag_s = info.number("lag_ms") / 1e3;
    if (!one.by_speed && !rig.axes[a].endless) {
      one.low = axis.limits.low();
      one.high = axis.limits.high();
      one.start = std::clamp(0.0, one.low, one.high);
    }
    if (axis.position == PositionKind::assumed) one.start = axis.start;
    setup.axes.push_back(one);
  }
  return setup;
}

}  // namespace

class DriveStandIn::Server {
 public:
  Server(const Rig& rig, LinkId link) : link_(rig.links[index(link)]), drive_(drive_setup(rig, link)) {
    for (const AxisInfo& axis : rig.axes)
      if (rig.setup.axes[static_cast<std::size_t>(&axis - rig.axes.data())].wiring.link == link) axes_.push_back(axis);
    for (const InputInfo& input : rig.inputs)
      if (input.link == link) inputs_.push_back(input);
    for (const InputInfo& input : inputs_) values_.push_back(raw_of(input, input.start));
    for (std::size_t a = 0; a < rig.actions.size(); ++a)
      if (rig.setup.actions[a].link == link)
        for (const auto* list : {&rig.actions[a].writes, &rig.actions[a].cancels})
          written_.insert(written_.end(), list->begin(), list->end());
    set_points_.resize(drive_.axes());
    lay_out();
    open();
    const auto count = [](std::size_t n, const char* one, const char* many) {
      return fmt::format("{} {}", n, n == 1 ? one : many);
    };
    say(fmt::format("a {} with {} and {} serves {}", axes_.empty() ? "PLC" : "drive",
                    count(axes_.size(), "axis", "axes"), count(inputs_.size(), "input", "inputs"), place_.words()));
  }
  ~Server() {
    for (const int client : clients_) ::close(client);
    if (listener_ >= 0) ::close(listener_);
    if (context_ != nullptr) modbus_free(context_);
    if (mapping_ != nullptr) modbus_mapping_free(mapping_);
  }
  Server(const Server&) = delete;
  Server& operator=(const Server&) = delete;

  void run(Span span, int waits_for) {
    const auto end = Clock::now() + span;
    do {
      std::vector<pollfd> waits;
      for (const int client : clients_) waits.push_back({client, POLLIN, 0});
      if (listener_ >= 0) waits.push_back({listener_, POLLIN, 0});
      if (waits_for >= 0) waits.push_back({waits_for, POLLIN, 0});
      ::poll(waits.data(), waits.size(), 2);
      advance();
      for (const pollfd& one : waits) {
        if (one.revents == 0) continue;
        if (one.fd == waits_for) return;
        one.fd == listener_ ? accept_one() : serve(one.fd);
      }
    } while (Clock::now() < end);
  }

  std::string take(const std::string& line) {
    if (line == "mend") {
      breaks_ = Breaks::nothing;
    } else if (line == "cut") {
      breaks_ = Breaks::cut;
      while (place_.serial.empty() && !clients_.empty()) drop(clients_.front());
    } else if (line == "hung") {
      breaks_ = Breaks::hung;
    } else if (line == "slow") {
      breaks_ = Breaks::slow;
    } else if (line == "refuse") {
      breaks_ = Breaks::refuse;
    } else if (line == "fault") {
      drive_.fail();
    } else if (line == "restart") {
      drive_.restart();
    } else if (line.starts_with("input ")) {
      return take_input(line);
    } else {
      return fmt::format(
          "there is no '{}'; it takes cut, hung, slow, refuse, fault, mend, restart, input NAME VALUE, quit", line);
    }
    return {};
  }

  std::vector<std::string> seen() { return std::exchange(seen_, {}); }

  std::string moved() {
    std::string all;
    for (std::size_t a = 0; a < axes_.size(); ++a) {
      const std::string one = axes_[a].motor
                                  ? fmt::format("{} {:.1f} %", axes_[a].name, drive_.speed(a))
                                  : fmt::format("{} {:.2f} {}", axes_[a].name, drive_.position(a), axes_[a].unit);
      all += (all.empty() ? "" : ", ") + one;
    }
    return std::exchange(moved_, all) == all ? std::string() : all;
  }

  const sim::Drive& drive() const noexcept { return drive_; }

 private:
  using Clock = std::chrono::steady_clock;
  enum class Breaks { nothing, cut, hung, slow, refuse };

  void say(std::string words) { seen_.push_back(std::move(words)); }
  std::uint64_t now_us() const {
    return static_cast<std::uint64_t>(
        std::chrono::duration_cast<std::chrono::microseconds>(Clock::now() - began_).count());
  }

  /// One block of registers, from the least to the greatest that the map has.
  void lay_out() {
    const RegisterMap& map = *link_.registers;
    unsigned low = 65535, high = 0;
    for (const auto* list : {&map.tells, &map.hears})
      for (const RegisterEntry& entry : *list) {
        low = std::min<unsigned>(low, entry.word.at);
        high = std::max<unsigned>(high, entry.word.at + static_cast<unsigned>(entry.word.size()));
      }
    unsigned coils = 0;
    for (const RegisterWrite& write : written_) {
      if (write.coil) {
        coils = std::max(coils, write.at + 1u);
        continue;
      }
      low = std::min<unsigned>(low, write.at);
      high = std::max<unsigned>(high, write.at + 1u);
    }
    first_ = low;
    mapping_ = modbus_mapping_new_start_address(0, coils, 0, 0, low, high - low, low, high - low);
    if (mapping_ == nullptr) throw std::runtime_error("no memory for its registers");
  }

  void open() {
    place_ = wire_place(link_);
    const auto fail = [&](const std::string& why) {
      throw std::runtime_error("cannot serve " + place_.words() + ": " + why);
    };
    if (!place_.serial.empty()) {
      terminal_.emplace(place_);
      context_ = modbus_new_rtu(place_.serial.c_str(), place_.baud, 'N', 8, 1);
      if (context_ == nullptr) fail(modbus_strerror(errno));
      clients_.push_back(::dup(terminal_->descriptor()));
    } else {
      const auto parts = wire::host_and_port(place_.tcp);
      context_ = modbus_new_tcp_pi(parts->first.c_str(), parts->second.c_str());
      if (context_ == nullptr || (listener_ = modbus_tcp_pi_listen(context_, most_clients)) < 0)
        fail(modbus_strerror(errno));
    }
    modbus_set_slave(context_, static_cast<int>(link_.number("unit")));
  }

  void accept_one() {
    const int client = ::accept4(listener_, nullptr, nullptr, SOCK_CLOEXEC);
    if (client < 0) return;
    if (breaks_ == Breaks::cut || clients_.size() >= most_clients) {
      ::close(client);
      return;
    }
    clients_.push_back(client);
  }
  void drop(int client) {
    ::close(client);
    std::erase(clients_, client);
  }

  void serve(int client) {
    if (std::ranges::count(clients_, client) == 0) return;
    std::array<std::uint8_t, MODBUS_TCP_MAX_ADU_LENGTH> request{};
    modbus_set_socket(context_, client);
    const int size = modbus_receive(context_, request.data());
    if (size < 0) {
      if (place_.serial.empty()) drop(client);
      return;
    }
    if (size == 0 || breaks_ == Breaks::hung || breaks_ == Breaks::cut) return;
    if (breaks_ == Breaks::slow) std::this_thread::sleep_for(slow_by);
    if (breaks_ == Breaks::refuse) {
      modbus_reply_exception(context_, request.data(), MODBUS_EXCEPTION_SLAVE_OR_SERVER_FAILURE);
      return;
    }
    advance();
    fill();
    const int answer = modbus_reply(context_, request.data(), size, mapping_);
    take_told(request, size);
    // What a serial line takes for both.
    if (!place_.serial.empty() && answer > 0)
      std::this_thread::sleep_for(std::chrono::microseconds((size + answer) * bits_a_byte * 1'000'000 / place_.baud));
  }

  std::uint16_t* at(const RegisterWord& word) const {
    auto* const block =
        link_.registers->input_registers && !telling_ ? mapping_->tab_input_registers : mapping_->tab_registers;
    return block + (word.at - first_);
  }

  /// What can be read.
  void fill() {
    const RegisterMap& map = *link_.registers;
    telling_ = false;
    for (const RegisterEntry& entry : map.hears) std::fill_n(at(entry.word), entry.word.size(), std::uint16_t{0});
    for (const RegisterEntry& entry : map.hears) {
      double value = 0;
      switch (entry.what) {
        case What::heartbeat: value = static_cast<double>(now_us() / 1000 & 0xffff); break;
        case What::word: value = drive_.status(); break;
        case What::position: value = drive_.position(entry.row); break;
        case What::speed: value = drive_.speed(entry.row); break;
        case What::input: value = values_[entry.row]; break;
        default: break;
      }
      put_counts(at(entry.word), entry.word, value * entry.word.counts / entry.word.is, map.low_word_first);
    }
  }

  /// What was written, if its own registers were.
  void take_told(std::span<const std::uint8_t> request, int size) {
    const auto header = static_cast<std::size_t>(modbus_get_header_length(context_));
    constexpr std::uint8_t write_coil = 0x05, write_one = 0x06, write_many = 0x10;
    if (static_cast<std::size_t>(size) < header + 5) return;
    const std::uint8_t function = request[header];
    const unsigned first = request[header + 1] * 256u + request[header + 2];
    const unsigned count = function == write_many ? request[header + 3] * 256u + request[header + 4] : 1;
    if (function == write_coil && first < static_cast<unsigned>(mapping_->nb_bits))
      say(words_of({true, static_cast<std::uint16_t>(first), mapping_->tab_bits[first]}));
    const RegisterMap& map = *link_.registers;
    const RegisterEntry* const beat = map.told(What::heartbeat);
    const RegisterEntry* const word = map.told(What::word);
    const bool is_ours = beat != nullptr && beat->word.at >= first && beat->word.at < first + count;
    if (function == write_one && !is_ours && first >= first_ &&
        first - first_ < static_cast<unsigned>(mapping_->nb_registers))
      say(words_of({false, static_cast<std::uint16_t>(first), mapping_->tab_registers[first - first_]}));
    if ((function != write_one && function != write_many) || !is_ours) return;
    telling_ = true;
    for (const RegisterEntry& entry : map.tells) {
      const double value =
          get_counts(at(entry.word), entry.word, map.low_word_first) * entry.word.is / entry.word.counts;
      if (entry.what == What::position) set_points_[entry.row].position = value;
      if (entry.what == What::speed || entry.what == What::power) set_points_[entry.row].speed = value;
    }
    told_us_ = now_us();
    drive_.tell(word == nullptr ? 0 : *at(word->word), *at(beat->word), set_points_, told_us_);
  }

  void advance() {
    drive_.advance(now_us());
    if (drive_.watchdog_trips() != trips_) {
      trips_ = drive_.watchdog_trips();
      stopped_at_ = now_us();
      from_.resize(drive_.axes());
      std::string speeds;
      for (std::size_t a = 0; a < axes_.size(); ++a) {
        from_[a] = drive_.position(a);
        speeds += fmt::format("{}{} at {:.1f} {}", speeds.empty() ? "" : ", ", axes_[a].name, drive_.speed(a),
                              axes_[a].motor ? "%" : axes_[a].unit + "/s");
      }
      say(fmt::format("its watchdog stops it, {:.0f} ms after it was told anything last: {}",
                      static_cast<double>(now_us() - told_us_) / 1e3, speeds));
    }
    if (stopped_at_ && drive_.at_rest()) {
      std::string ways;
      for (std::size_t a = 0; a < axes_.size(); ++a)
        if (!axes_[a].motor)
          ways += fmt::format("{}{} {:.2f} {}", ways.empty() ? "; " : ", ", axes_[a].name,
                              std::abs(drive_.position(a) - from_[a]), axes_[a].unit);
      const double took_ms = static_cast<double>(now_us() - *stopped_at_) / 1e3;
      say(took_ms < 1 ? std::string("it was at rest") : fmt::format("at rest after {:.0f} ms more{}", took_ms, ways));
      stopped_at_.reset();
    }
    if (drive_.phase() != phase_) {
      phase_ = drive_.phase();
      say(fmt::format("{}: its status is {:#06x}", name_of(phase_), drive_.status()));
    }
  }

  std::string take_input(const std::string& line) {
    const InputLine read = read_input_line(line, inputs_, "drive", false);
    if (!read.wrong.empty()) return read.wrong;
    values_[read.row] = *read.raw;
    say(read.says);
    return {};
  }

  const LinkInfo& link_;
  sim::Drive drive_;
  std::vector<AxisInfo> axes_;          // of this link
  std::vector<InputInfo> inputs_;       // the same
  std::vector<double> values_;          // of the inputs
  std::vector<RegisterWrite> written_;  // by the rig's actions
  std::vector<sim::DriveSetPoint> set_points_;
  Clock::time_point began_ = Clock::now();
  wire::Place place_;
  std::optional<wire::ServedPort> terminal_;
  modbus_t* context_ = nullptr;
  modbus_mapping_t* mapping_ = nullptr;
  unsigned first_ = 0;
  int listener_ = -1;
  std::vector<int> clients_;
  bool telling_ = false;
  Breaks breaks_ = Breaks::nothing;
  sim::DrivePhase phase_ = sim::DrivePhase::switch_on_disabled;
  std::uint32_t trips_ = 0;
  std::uint64_t told_us_ = 0;
  std::optional<std::uint64_t> stopped_at_;
  std::vector<double> from_;
  std::vector<std::string> seen_;
  std::string moved_;
};

DriveStandIn::DriveStandIn(const Rig& rig, LinkId link) {
  if (!rig.links[index(link)].registers)
    throw std::invalid_argument("link '" + rig.links[index(link)].name + "' has no registers");
  server_ = std::make_unique<Server>(rig, link);
}
DriveStandIn::~DriveStandIn() = default;
void DriveStandIn::run(Span span, int waits_for) { server_->run(span, waits_for); }
std::string DriveStandIn::take(const std::string& line) { return server_->take(line); }
std::vector<std::string> DriveStandIn::seen() { return server_->seen(); }
std::string DriveStandIn::moved() { return server_->moved(); }
const sim::Drive& DriveStandIn::drive() const noexcept { return server_->drive(); }

}  // namespace gyrax
