#include <gyrax/link/modbus.hpp>
#include <gyrax/threads/boot_clock.hpp>
#include <gyrax/threads/latest.hpp>
#include <gyrax/wire/port.hpp>

#include <fmt/format.h>
#include <modbus.h>
#include <sys/ioctl.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <condition_variable>
#include <csignal>
#include <mutex>
#include <thread>
#include <utility>

namespace gyrax {
namespace {

/// One clock for both threads.
Time machine_now() {
  static const BootClock clock;
  return clock.now();
}

}  // namespace

/// What the engine's thread and the wire's hand over to each other, for one link. Times are the machine's own.
struct ModbusSide {
  ModbusSide(const Rig& rig, LinkId link)
      : talk(rig, link),
        told(RegistersTold{0, Time{}, std::vector<AxisWord>(talk.heard().axes.size()), switches_of(rig, link)}),
        heard(talk.heard()),
        unit(static_cast<int>(rig.links[index(link)].number("unit"))),
        cycle(from_seconds(1 / rig.links[index(link)].number("rate_hz"))),
        timeout(from_seconds(rig.links[index(link)].number("timeout_ms") / 1e3)),
        name(rig.links[index(link)].name) {}

  static std::vector<std::uint8_t> switches_of(const Rig& rig, LinkId link) {
    return std::vector<std::uint8_t>(static_cast<std::size_t>(
        std::ranges::count_if(rig.setup.switches, [&](const SwitchSetup& one) { return one.wiring.link == link; })));
  }
  /// What is wrong is said once, until it is well again.
  void say_wrong(const std::string& words) {
    const std::lock_guard held(mutex);
    if (!std::exchange(is_wrong, true)) keep(name + ": " + words);
  }
  /// With the mutex held. What nobody asks for is not kept for ever.
  void keep(std::string words) {
    constexpr std::size_t most_kept = 64;
    if (all_words.size() < most_kept) all_words.push_back(std::move(words));
  }
  void is_well() {
    const std::lock_guard held(mutex);
    is_wrong = false;
  }

  RegisterTalk talk;             // the wire's thread
  Latest<RegistersTold> told;    // from the engine's
  Latest<RegistersHeard> heard;  // to the engine's
  int unit;
  Span cycle, timeout;
  std::string name;
  Time due{};
  std::mutex mutex;  // of what is said
  std::vector<std::string> all_words;
  bool is_wrong = false;
};

/// One connection, and the thread that waits on it.
class ModbusWire {
 public:
  explicit ModbusWire(wire::Place place) : place_(std::move(place)), thread_([this] { run(); }) {}
  ~ModbusWire() {
    {
      const std::lock_guard held(mutex_);
      ending_ = true;
    }
    wake_.notify_all();
    thread_.join();
    close();
  }
  ModbusWire(const ModbusWire&) = delete;
  ModbusWire& operator=(const ModbusWire&) = delete;

  void add(std::shared_ptr<ModbusSide> side) {
    const std::lock_guard held(mutex_);
    sides_.push_back(std::move(side));
    wake_.notify_all();
  }

 private:
  static constexpr Span rests_after_failure = std::chrono::milliseconds(300);

  bool is_line() const { return place_.tcp.empty(); }

  void run() {
    // A signal of the program's must not end a wait for an answer.
    sigset_t all;
    sigfillset(&all);
    ::pthread_sigmask(SIG_BLOCK, &all, nullptr);
    std::unique_lock held(mutex_);
    while (!ending_) {
      Span rest = std::chrono::milliseconds(100);
      const std::vector<std::shared_ptr<ModbusSide>> sides = sides_;
      held.unlock();
      for (const auto& side : sides) {
        const Time now = machine_now();
        if (now >= side->due) {
          // What came too late is left out, not made up for.
          side->due = std::max(side->due + side->cycle, now);
          const bool answers = is_open(*side) && exchange(*side);
          if (!answers) side->due = std::max(side->due, machine_now() + (is_open_ ? side->cycle : rests_after_failure));
        }
        rest = std::clamp(side->due - machine_now(), Span{}, rest);
      }
      held.lock();
      wake_.wait_for(held, rest, [&] { return ending_; });
    }
  }

  bool is_open(ModbusSide& side) {
    if (is_open_) return true;
    if (context_ == nullptr) {
      const auto parts = wire::host_and_port(place_.tcp);
      context_ = parts ? modbus_new_tcp_pi(parts->first.c_str(), parts->second.c_str())
                       : modbus_new_rtu(place_.serial.c_str(), place_.baud, 'N', 8, 1);
      if (context_ == nullptr) return fail(side, "cannot be opened: " + std::string(modbus_strerror(errno)));
    }
    set_timeout(side.timeout);
    if (modbus_connect(context_) != 0)
      return fail(side,
                  fmt::format("{}: {}", is_line() ? "cannot be opened" : "nobody answers", modbus_strerror(errno)));
    // A line is this program's alone.
    if (is_line()) ::ioctl(modbus_get_socket(context_), TIOCEXCL);
    is_open_ = true;
    return true;
  }

  void set_timeout(Span timeout) {
    const auto us = std::chrono::duration_cast<std::chrono::microseconds>(timeout).count();
    modbus_set_response_timeout(context_, static_cast<std::uint32_t>(us / 1'000'000),
                                static_cast<std::uint32_t>(us % 1'000'000));
    // A byte that is missing must not last longer than the whole answer.
    modbus_set_byte_timeout(context_, static_cast<std::uint32_t>(us / 1'000'000),
                            static_cast<std::uint32_t>(us % 1'000'000));
  }

  bool fail(ModbusSide& side, const std::string& words) {
    side.say_wrong(words);
    return false;
  }

  void close() {
    if (context_ == nullptr) return;
    if (is_open_ && is_line()) ::ioctl(modbus_get_socket(context_), TIOCNXCL);
    if (is_open_) modbus_close(context_);
    modbus_free(context_);
    context_ = nullptr;
    is_open_ = false;
  }

  /// A transaction that failed. Its connection is begun anew where an answer may still be under way.
  bool failed(ModbusSide& side, const char* doing) {
    const int why = errno;
    const bool refused = is_refused(why);
    const bool late = why == ETIMEDOUT, wrong = why >= EMBBADCRC;
    // What was cut off is told when it is there again.
    side.talk.failed(refused ? registers_refused : late ? registers_came_late : wrong ? registers_wrong : 0);
    side.say_wrong(fmt::format("{} failed: {}", doing, late ? "no answer in time" : modbus_strerror(why)));
    if (refused) return false;
    if (is_line() && (late || wrong)) {
      // Nothing tells one answer on a line from the next: it has to be quiet first.
      wait(side.timeout);
      modbus_flush(context_);
      return false;
    }
    for (const auto& one : sides_of()) one->talk.lost();
    close();
    return false;
  }

  void wait(Span span) {
    std::unique_lock held(mutex_);
    wake_.wait_for(held, span, [&] { return ending_; });
  }

  std::vector<std::shared_ptr<ModbusSide>> sides_of() {
    const std::lock_guard held(mutex_);
    return sides_;
  }

  /// What is told, if anything is; then what is heard.
  bool exchange(ModbusSide& side) {
    RegisterTalk& talk = side.talk;
    modbus_set_slave(context_, side.unit);
    set_timeout(side.timeout);
    const RegistersTold& frame = side.told.look();
    if (const auto told = talk.next(frame, machine_now()); !told.empty())
      if (modbus_write_registers(context_, talk.told_at(), static_cast<int>(told.size()), told.data()) < 0)
        return failed(side, "writing");
    if (const auto coils = talk.next_coils(); !coils.empty())
      if (modbus_write_bits(context_, talk.coils_at(), static_cast<int>(coils.size()), coils.data()) < 0)
        return failed(side, "writing coils");
    if (const auto write = talk.next_write(frame, machine_now()); write && !carry_out(talk, *write))
      return failed(side, "writing for an action");
    const Time asked = machine_now();
    if (const auto bits = static_cast<int>(talk.discretes_size()); bits > 0) {
      if (modbus_read_input_bits(context_, talk.discretes_at(), bits, bits_.data()) != bits)
        return failed(side, "reading discrete inputs");
      talk.hear_discretes(std::span(bits_).first(talk.discretes_size()));
    }
    if (const auto size = static_cast<int>(talk.heard_size()); size > 0) {
      const int count = talk.reads_input_registers()
                            ? modbus_read_input_registers(context_, talk.heard_at(), size, room_.data())
                            : modbus_read_registers(context_, talk.heard_at(), size, room_.data());
      if (count != size) return failed(side, "reading");
    }
    if (talk.hear(std::span(room_).first(talk.heard_size()), asked, machine_now())) {
      side.heard.draft() = talk.heard();
      side.heard.publish();
    }
    side.is_well();
    while (const auto words = talk.said()) {
      const std::lock_guard held(side.mutex);
      side.keep(*words);
    }
    return true;
  }

  /// False where the transaction failed; what the far end does not take is the action's own matter.
  bool carry_out(RegisterTalk& talk, const RegisterWrite& write) {
    const int done = write.coil ? modbus_write_bit(context_, write.at, write.value)
                                : modbus_write_register(context_, write.at, write.value);
    const int why = errno;
    talk.wrote(done >= 0, done >= 0 ? "" : modbus_strerror(why));
    errno = why;
    return done >= 0 || is_refused(why);
  }
  static bool is_refused(int why) { return why > MODBUS_ENOBASE && why < EMBBADCRC; }

  wire::Place place_;
  std::mutex mutex_;
  std::condition_variable wake_;
  std::vector<std::shared_ptr<ModbusSide>> sides_;
  bool ending_ = false;
  modbus_t* context_ = nullptr;
  bool is_open_ = false;
  std::array<std::uint16_t, most_heard_registers> room_{};
  std::array<std::uint8_t, most_heard_discretes> bits_{};
  std::thread thread_;  // the last: it begins when all else is there
};

namespace {

std::shared_ptr<ModbusWire> modbus_wire(const LinkInfo& link, ModbusWires& wires) {
  const wire::Place place = wire_place(link);
  auto& wire = wires[place.words()];
  if (!wire) wire = std::make_shared<ModbusWire>(place);
  return wire;
}

}  // namespace

ModbusLink::ModbusLink(const Rig& rig, LinkId link, ModbusWires& wires)
    : link_(link), side_(std::make_shared<ModbusSide>(rig, link)), wire_(modbus_wire(rig.links[index(link)], wires)) {
  wire_->add(side_);
}
ModbusLink::ModbusLink(const Rig& rig, LinkId link) : ModbusLink(rig, link, *std::make_unique<ModbusWires>()) {}
ModbusLink::~ModbusLink() = default;

const RegistersHeard& ModbusLink::heard() { return side_->heard.look(); }

void ModbusLink::receive(Time now, std::vector<LinkReport>& reports) {
  const RegistersHeard& heard = side_->heard.look();
  if (heard.number == seen_) return;
  seen_ = heard.number;
  // A tick that comes late in its own time must not make an older report of a newer one.
  measured_ = std::max(measured_, now - (machine_now() - heard.measured));
  reports.push_back({.link = link_,
                     .sequence = heard.number,
                     .measured = measured_,
                     .arrival = now,
                     .axes = heard.axes,
                     .faults = heard.faults,
                     .waits = heard.waits,
                     .inputs = heard.inputs,
                     .actions = heard.actions});
}

void ModbusLink::send(const Frame& frame) {
  RegistersTold& told = side_->told.draft();
  told.sequence = frame.sequence;
  told.valid_until = machine_now() + frame.valid_for;
  told.order = frame.order;
  std::copy_n(frame.axes.begin(), std::min(frame.axes.size(), told.axes.size()), told.axes.begin());
  std::copy_n(frame.switches.begin(), std::min(frame.switches.size(), told.switches.size()), told.switches.begin());
  side_->told.publish();
}

std::optional<std::string> ModbusLink::said() {
  const std::lock_guard held(side_->mutex);
  if (side_->all_words.empty()) return std::nullopt;
  std::string first = std::move(side_->all_words.front());
  side_->all_words.erase(side_->all_words.begin());
  return first;
}

}  // namespace gyrax
