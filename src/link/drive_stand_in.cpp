#include "drive_unit.hpp"
#include "input_line.hpp"

#include <gyrax/link/drive_stand_in.hpp>
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
#include <optional>
#include <random>
#include <stdexcept>
#include <thread>
#include <utility>

namespace gyrax {
namespace {

/// Late beyond any patience.
constexpr auto slow_by = std::chrono::milliseconds(400);
constexpr int most_clients = 8, bits_a_byte = 11;
/// What of a request has not come by then never comes.
constexpr auto request_within = std::chrono::milliseconds(50);
/// With noise a bit of so many bytes is spoiled.
constexpr int spoils_one_of = 150;

/// Bytes of a request on a line, as its own say; 0: more have to come first. (MODBUS over Serial Line V1.02, 2.5.1;
/// Application Protocol V1.1b3, section 6.)
std::size_t request_size(std::span<const std::uint8_t> bytes) {
  constexpr std::size_t plain = 8, before_data = 7, sum = 2;
  if (bytes.size() < plain) return 0;
  const bool many = bytes[1] == 0x0f || bytes[1] == 0x10;
  const std::size_t size = many ? before_data + bytes[6] + sum : plain;
  return bytes.size() < size ? 0 : size;
}

}  // namespace

class DriveStandIn::Server {
 public:
  Server(const Rig& rig, LinkId link) {
    units_.emplace_back(std::make_unique<DriveUnit>(rig, link));
    place_ = wire_place(rig.links[index(link)]);
    for (std::size_t l = 0; l < rig.links.size(); ++l)
      if (l != index(link) && rig.links[l].registers && wire_place(rig.links[l]).words() == place_.words())
        units_.emplace_back(std::make_unique<DriveUnit>(rig, id_at<LinkId>(l)));
    open();
    const auto count = [](std::size_t n, const char* one, const char* many) {
      return fmt::format("{} {}", n, n == 1 ? one : many);
    };
    for (const auto& unit : units_)
      say(*unit,
          fmt::format("a {} with {} and {} serves {}{}", unit->axes().empty() ? "PLC" : "drive",
                      count(unit->axes().size(), "axis", "axes"), count(unit->inputs().size(), "input", "inputs"),
                      place_.words(), is_alone() ? "" : fmt::format(" at the address {}", unit->unit())));
  }
  ~Server() {
    for (const int client : clients_) ::close(client);
    if (listener_ >= 0) ::close(listener_);
    if (inner_ >= 0) ::close(inner_);
    if (context_ != nullptr) modbus_free(context_);
  }
  Server(const Server&) = delete;
  Server& operator=(const Server&) = delete;

  void run(Span span, int waits_for) {
    const auto end = Clock::now() + span;
    do {
      std::vector<pollfd> waits;
      if (terminal_) waits.push_back({terminal_->descriptor(), POLLIN, 0});
      for (const int client : clients_)
        if (!terminal_) waits.push_back({client, POLLIN, 0});
      if (listener_ >= 0) waits.push_back({listener_, POLLIN, 0});
      if (waits_for >= 0) waits.push_back({waits_for, POLLIN, 0});
      ::poll(waits.data(), waits.size(), 2);
      advance();
      if (terminal_) hear_line();
      for (const pollfd& one : waits) {
        if (one.revents == 0 || (terminal_ && one.fd == terminal_->descriptor())) continue;
        if (one.fd == waits_for) return;
        one.fd == listener_ ? accept_one() : hear_client(one.fd);
      }
    } while (Clock::now() < end);
  }

  std::string take(const std::string& line) {
    if (line.starts_with("input ")) return take_input(line);
    const std::size_t space = line.find(' ');
    const std::string word = line.substr(0, space), name = space == std::string::npos ? "" : line.substr(space + 1);
    if (word == "cut" || word == "noisy" || word == "mend") {
      if (!name.empty()) return fmt::format("'{}' is of the whole wire, and takes no name", word);
      return take_wire(word);
    }
    using Breaks = DriveUnit::Breaks;
    const std::pair<const char*, Breaks> all_breaks[] = {
        {"hung", Breaks::hung}, {"slow", Breaks::slow}, {"refuse", Breaks::refuse}};
    const auto* const breaks = std::ranges::find(all_breaks, word, [](const auto& one) { return one.first; });
    if (breaks == std::end(all_breaks) && word != "fault" && word != "restart")
      return fmt::format(
          "there is no '{}'; it takes cut, noisy, hung, slow, refuse, fault, mend, restart, input NAME VALUE, quit",
          word);
    bool is_there = false;
    for (const auto& unit : units_) {
      if (!name.empty() && unit->name() != name) continue;
      is_there = true;
      if (word == "fault")
        unit->drive().fail();
      else if (word == "restart")
        unit->drive().restart();
      else
        unit->breaks = breaks->second;
    }
    return is_there ? "" : fmt::format("there is no link '{}' on this wire", name);
  }

  std::vector<std::string> seen() {
    for (const auto& unit : units_)
      for (const std::string& words : unit->seen()) say(*unit, words);
    return std::exchange(seen_, {});
  }

  std::string moved() {
    std::string all;
    for (const auto& unit : units_)
      if (const std::string one = unit->places(); !one.empty()) all += (all.empty() ? "" : ", ") + one;
    return std::exchange(moved_, all) == all ? std::string() : all;
  }

  const sim::Drive& drive() const noexcept { return units_.front()->drive(); }

 private:
  using Clock = std::chrono::steady_clock;

  bool is_alone() const { return units_.size() == 1; }
  void say(const DriveUnit& unit, const std::string& words) {
    seen_.push_back(is_alone() ? words : unit.name() + ": " + words);
  }
  std::uint64_t now_us() const {
    return static_cast<std::uint64_t>(
        std::chrono::duration_cast<std::chrono::microseconds>(Clock::now() - began_).count());
  }
  void advance() {
    for (const auto& unit : units_) unit->advance(now_us());
  }

  void open() {
    const auto fail = [&](const std::string& why) {
      throw std::runtime_error("cannot serve " + place_.words() + ": " + why);
    };
    if (!place_.serial.empty()) {
      terminal_.emplace(place_);
      // What comes from the line is looked at before libmodbus sees it: whose address it has, and what noise makes of
      // it.
      int ends[2];
      context_ = modbus_new_rtu(place_.serial.c_str(), place_.baud, 'N', 8, 1);
      if (context_ == nullptr || ::socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends) != 0)
        fail(modbus_strerror(errno));
      // A request is there as a whole, or never.
      modbus_set_byte_timeout(context_, 0, 20'000);
      clients_.push_back(ends[0]);
      inner_ = ends[1];
    } else {
      const auto parts = wire::host_and_port(place_.tcp);
      context_ = modbus_new_tcp_pi(parts->first.c_str(), parts->second.c_str());
      if (context_ == nullptr || (listener_ = modbus_tcp_pi_listen(context_, most_clients)) < 0)
        fail(modbus_strerror(errno));
    }
  }

  std::string take_wire(const std::string& word) {
    if (word == "noisy" && !terminal_) return "'noisy' is for a serial line: TCP brings its bytes whole or not at all";
    is_cut_ = word == "cut";
    is_noisy_ = word == "noisy";
    if (word == "mend")
      for (const auto& unit : units_) unit->breaks = DriveUnit::Breaks::nothing;
    while (is_cut_ && !terminal_ && !clients_.empty()) drop(clients_.front());
    return {};
  }

  void accept_one() {
    const int client = ::accept4(listener_, nullptr, nullptr, SOCK_CLOEXEC);
    if (client < 0) return;
    if (is_cut_ || clients_.size() >= most_clients) {
      ::close(client);
      return;
    }
    clients_.push_back(client);
  }
  void drop(int client) {
    ::close(client);
    std::erase(clients_, client);
  }

  void spoil(std::span<std::uint8_t> bytes) {
    for (std::uint8_t& byte : bytes)
      if (is_noisy_ && random_() % spoils_one_of == 0) byte = static_cast<std::uint8_t>(byte ^ 1u << random_() % 8);
  }

  /// Requests on a serial line, each handed on to whom it is for.
  void hear_line() {
    std::array<std::uint8_t, MODBUS_RTU_MAX_ADU_LENGTH> room{};
    if (!line_.empty() && Clock::now() - heard_ > request_within) line_.clear();
    for (auto came = terminal_->read(room); !came.empty(); came = terminal_->read(room)) {
      heard_ = Clock::now();
      if (is_cut_) continue;
      line_.insert(line_.end(), came.begin(), came.end());
      spoil(std::span(line_).last(came.size()));
    }
    while (const std::size_t size = request_size(line_)) {
      const int address = line_[0];
      const auto unit = std::ranges::find(units_, address, [](const auto& one) { return one->unit(); });
      const bool given = unit != units_.end() && ::write(inner_, line_.data(), size) == static_cast<ssize_t>(size);
      line_.erase(line_.begin(), line_.begin() + static_cast<std::ptrdiff_t>(size));
      if (!given) continue;
      modbus_set_slave(context_, address);
      serve(clients_.front(), unit->get());
      answer_line(size);
      // What noise made of it may have been longer than what libmodbus took it for.
      std::array<std::uint8_t, MODBUS_RTU_MAX_ADU_LENGTH> rest{};
      while (::recv(clients_.front(), rest.data(), rest.size(), MSG_DONTWAIT) > 0) {
      }
    }
  }

  /// Hands on what was answered, after the time that a line takes for both.
  void answer_line(std::size_t asked) {
    std::array<std::uint8_t, MODBUS_RTU_MAX_ADU_LENGTH> room{};
    const ssize_t count = ::recv(inner_, room.data(), room.size(), MSG_DONTWAIT);
    if (count <= 0) return;
    const auto answer = std::span(room).first(static_cast<std::size_t>(count));
    std::this_thread::sleep_for(std::chrono::microseconds(static_cast<std::int64_t>(asked + answer.size()) *
                                                          bits_a_byte * 1'000'000 / place_.baud));
    spoil(answer);
    terminal_->write(answer);
  }

  void hear_client(int client) {
    if (std::ranges::count(clients_, client) == 0) return;
    if (!serve(client, nullptr)) drop(client);
  }

  /// One request, for a unit or for whom its header says. False where nobody is there any more.
  bool serve(int client, DriveUnit* unit) {
    std::array<std::uint8_t, MODBUS_TCP_MAX_ADU_LENGTH> request{};
    modbus_set_socket(context_, client);
    const int size = modbus_receive(context_, request.data());
    if (size < 0) return false;
    const auto header = static_cast<std::size_t>(modbus_get_header_length(context_));
    if (unit == nullptr) {
      const int address = request[header - 1];
      const auto found = std::ranges::find(units_, address, [](const auto& one) { return one->unit(); });
      unit = found != units_.end() ? found->get() : is_alone() ? units_.front().get() : nullptr;
    }
    if (size == 0 || unit == nullptr || unit->breaks == DriveUnit::Breaks::hung || is_cut_) return true;
    if (unit->breaks == DriveUnit::Breaks::slow) std::this_thread::sleep_for(slow_by);
    if (unit->breaks == DriveUnit::Breaks::refuse) {
      modbus_reply_exception(context_, request.data(), MODBUS_EXCEPTION_SLAVE_OR_SERVER_FAILURE);
      return true;
    }
    advance();
    unit->fill(now_us());
    modbus_reply(context_, request.data(), size, unit->mapping());
    unit->take(std::span(request).first(static_cast<std::size_t>(size)).subspan(header), now_us());
    return true;
  }

  std::string take_input(const std::string& line) {
    std::vector<InputInfo> all;
    for (const auto& unit : units_) all.insert(all.end(), unit->inputs().begin(), unit->inputs().end());
    const InputLine read = read_input_line(line, all, "drive", false);
    if (!read.wrong.empty()) return read.wrong;
    std::size_t row = read.row;
    for (const auto& unit : units_) {
      if (row < unit->inputs().size()) {
        unit->set_input(row, *read.raw);
        break;
      }
      row -= unit->inputs().size();
    }
    seen_.push_back(read.says);
    return {};
  }

  std::vector<std::unique_ptr<DriveUnit>> units_;  // the first is whom it was made for
  Clock::time_point began_ = Clock::now(), heard_ = began_;
  wire::Place place_;
  std::optional<wire::ServedPort> terminal_;
  modbus_t* context_ = nullptr;
  int listener_ = -1, inner_ = -1;  // inner_: the line's side of what libmodbus reads
  std::vector<int> clients_;
  std::vector<std::uint8_t> line_;  // a request that has begun
  std::minstd_rand random_;
  bool is_cut_ = false, is_noisy_ = false;
  std::vector<std::string> seen_;
  std::string moved_;
};

DriveStandIn::DriveStandIn(const Rig& rig, LinkId link) : server_(std::make_unique<Server>(rig, link)) {}
DriveStandIn::~DriveStandIn() = default;
void DriveStandIn::run(Span span, int waits_for) { server_->run(span, waits_for); }
std::string DriveStandIn::take(const std::string& line) { return server_->take(line); }
std::vector<std::string> DriveStandIn::seen() { return server_->seen(); }
std::string DriveStandIn::moved() { return server_->moved(); }
const sim::Drive& DriveStandIn::drive() const noexcept { return server_->drive(); }

}  // namespace gyrax
