/// Owns an engine and runs it in real time.
///
/// In: hands, and the machines at the far end. Out: their motion; a logbook; a snapshot for one viewer. Never: a wait
/// for hands, logbook or viewer; a tick to make up for one that came late.
///
///     Runner runner(rig, hands, machines, clock, {.log = &log});
///     std::thread engine([&] { runner.run(); });
///     … runner.look().axes[0].why …
///     runner.end();                         // a controlled stop, then off
#pragma once

#include <gyrax/engine/engine.hpp>
#include <gyrax/link/machines.hpp>
#include <gyrax/live/hands.hpp>
#include <gyrax/logbook/writer.hpp>
#include <gyrax/threads/latest.hpp>
#include <gyrax/threads/pacer.hpp>
#include <gyrax/threads/queue.hpp>
#include <gyrax/threads/real_time.hpp>

#include <array>
#include <atomic>
#include <optional>
#include <vector>

namespace gyrax {

struct AxisView {
  AxisCommand command;
  AxisStatus why;
  Request request;
  AxisReport measured;
};

struct ZoneView {
  State state = State::stowed;
  Cause cause = Cause::none;
  HandsetBits in_charge = 0;
};

/// What an engine did last, for a viewer. Every list has its rig's size.
struct RunView {
  Time now{};
  std::uint64_t ticks = 0, readings = 0, early_ticks = 0;
  Lateness lateness;
  RealTime real_time;
  std::vector<AxisView> axes;
  std::vector<ZoneView> zones;
  std::vector<Sample> samples;  ///< by SlotId
  std::vector<std::uint8_t> switches;
  struct Input {
    InputState state = InputState::unknown;
    double value = 0;  ///< the last that was reported, in its unit
    Beyond beyond = Beyond::no;
  };
  std::vector<Input> inputs;
  std::vector<HandsetHealth> handsets;
  std::vector<std::uint64_t> readings_lost;  ///< by HandsetId
  std::vector<Nano> increments;              ///< by CoordinateId
  std::vector<double> overrides;             ///< by OverrideId, percent
  std::vector<std::uint8_t> layers;          ///< by LayerId: on
  NumberId chosen = no<NumberId>;            ///< what a dial adjusts
  Bind::Hold holding;                        ///< the key that is on its way to a long hold
  bool reduced = false;                      ///< reduced speed is on
  std::vector<ActionView> actions;           ///< by ActionId
  std::vector<Nano> zeros;                   ///< by AxisId: the person's own, counted from the machine's
  std::vector<std::uint8_t> homed;           ///< by AxisId: whether it is known where it is
  /// The latest events; event number n (from 0) stands in row n % size. `events_so_far` counts them all.
  static constexpr std::size_t kept_events = 64;
  std::array<Event, kept_events> events{};
  std::uint64_t events_so_far = 0;
  std::uint64_t log_lost = 0;
  bool ending = false, ended = false;
  bool resting = false;  ///< rest() was asked for, and everything is at rest and off
};

class Runner {
 public:
  struct Options {
    LogbookWriter* log = nullptr;
    bool real_time = true;                    ///< ask for priority and locked memory
    Span max_end = std::chrono::seconds(10);  ///< to come to rest after end(); then it ends all the same
    std::optional<Time> end_at;               ///< ends by itself then, as by end()
    std::size_t max_readings = 1024;          ///< in one tick; more wait for the next
  };
  Runner(const Rig& rig, Hands& hands, Machines& machines, const BootClock& clock);
  Runner(const Rig& rig, Hands& hands, Machines& machines, const BootClock& clock, const Options& options);

  /// Runs on the calling thread until it has been told to end and everything is at rest and off.
  void run();
  /// From any thread or a signal's handler.
  void end() noexcept { ending_.store(true, std::memory_order_relaxed); }
  /// A controlled stop, then off, until it is taken back; nothing starts meanwhile. From any thread.
  void rest(bool wanted) noexcept { resting_.store(wanted, std::memory_order_relaxed); }
  /// Asks for an action by name, without a handset. From any one thread; false: too many at once.
  bool type(ActionId action) noexcept { return typed_.push(action); }
  /// For one viewer.
  const RunView& look() noexcept { return view_.look(); }

 private:
  void take_items(Time now) noexcept;
  void feel(Time now) noexcept;
  void publish(Time now) noexcept;
  bool at_rest_and_off() const noexcept;

  const Rig& rig_;
  Hands& hands_;
  Machines& machines_;
  Options options_;
  BootClock clock_;
  Engine engine_;
  TickBuffers out_;
  std::vector<Reading> readings_;
  std::optional<HandsetItem> kept_;  // came before its turn
  std::vector<Event> events_;
  std::vector<std::uint8_t> blocked_, tripped_;  // by AxisId, ZoneId: in the last tick
  Time next_sign_{};
  RunView now_;
  Latest<RunView> view_;
  Queue<ActionId> typed_{16};
  std::vector<ActionId> typed_now_;
  std::atomic<bool> ending_{false}, resting_{false};
};

}  // namespace gyrax
