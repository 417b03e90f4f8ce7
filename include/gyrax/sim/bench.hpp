/// A simulated machine: what stands at the far end of a link where there is none.
///
/// In: frames. Out: reports, and what really moved. It follows with a lag, has a speed limit and a deceleration of its
/// own, and stops by itself when the last frame's validity runs out. Never: a look into the core; it knows the wire and
/// no more.
///
///     sim::Bench bench(setup);
///     bench.receive(frame);
///     bench.advance(now);
///     while (const LinkReport* report = bench.next_report(now)) …
#pragma once

#include <gyrax/base/link_types.hpp>

#include <cstdint>
#include <optional>
#include <vector>

namespace gyrax::sim {

struct BenchAxis {
  double scale = 1e-9, offset = 0;  ///< a word stands for offset + scale · word, in the axis's unit
  double lag_s = 0.012;             ///< time constant of following; 0: at once
  double speed = 1;                 ///< its own limit, unit/s, > 0
  double decel = 1;                 ///< with which it stops by itself, unit/s², > 0
  double start = 0;                 ///< where it stands at first
  double resolution = 0.001;        ///< of its measuring, unit; 0: exact
  bool measured = true;             ///< whether reports tell where it is
  bool motor = false;               ///< a word is a share of full power, in its `scale`, and not a place
  double dead_band = 0;             ///< of a motor: below this share of `speed` it does not turn
  double brake_opens_s = -1;        ///< its brake lets go so long after it is told; below 0: it has none
};

/// What a switch becomes by itself when no frame is valid any more.
enum class Silent : std::uint8_t { off, on, keep };

/// A switch that an axis comes upon.
struct BenchSwitch {
  std::size_t input = 0, axis = 0;  ///< rows
  double at = 0;                    ///< where it comes on
  bool up = false;                  ///< it is on from there upwards; else from there downwards
};

struct BenchSetup {
  LinkId link{};
  Span report_every = std::chrono::milliseconds(4);
  Span report_delay = std::chrono::milliseconds(2);
  Span queue{};  ///< what it is told it does so much later, and goes on for so long when it hears no more
  std::vector<BenchAxis> axes;
  std::size_t switches = 0;
  std::vector<Silent> when_silent;  ///< by switch; where it is shorter: keep
  std::vector<InputReport> inputs;  ///< what it reports besides, at first
  std::vector<BenchSwitch> met;     ///< inputs that say whether an axis is there, until they are set
};

/// What can go wrong with an axis.
enum class AxisFault : std::uint8_t {
  none,
  stuck,      ///< it does not move
  reversed,   ///< it runs the wrong way
  slow,       ///< it makes `slow_share` of its speed
  racing,     ///< it runs on the way that it was going, as fast as it can, whatever it is told
  drifting,   ///< it creeps towards its high end, at `slow_share` of its speed, whatever it is told
  unmeasured  ///< it moves as it is told, and its reports go on saying where it was
};
inline constexpr double slow_share = 0.3;

/// What can go wrong with the wire.
enum class WireFault : std::uint8_t {
  none,
  cut,   ///< nothing goes through
  deaf,  ///< frames are lost
  mute   ///< reports are lost
};

/// It carries out an action by doing nothing for so long.
inline constexpr Span action_takes = std::chrono::milliseconds(200);

class Bench {
 public:
  explicit Bench(const BenchSetup& setup);

  /// A frame arrives, unless the wire is cut.
  void receive(const Frame& frame) noexcept;
  /// Moves on to `now`; not before the last time.
  void advance(Time now) noexcept;
  /// The next report that has arrived by `now`, oldest first; nullptr if none. Valid until the next advance().
  const LinkReport* next_report(Time now) noexcept;

  /// Breaks the wire, or mends it.
  void break_wire(WireFault fault) noexcept { wire_ = fault; }
  /// Cuts the wire both ways, or mends it.
  void silence(bool silent) noexcept { break_wire(silent ? WireFault::cut : WireFault::none); }
  /// Somebody puts an axis elsewhere, by hand.
  void place(std::size_t axis, double position) noexcept { states_[axis].p = states_[axis].target = position; }
  void break_axis(std::size_t axis, AxisFault fault) noexcept { states_[axis].fault = fault; }
  /// What an input says from now on; not `fresh`: nothing that can be relied on.
  void set_input(std::size_t i, double value, bool fresh = true) noexcept {
    std::erase_if(setup_.met, [&](const BenchSwitch& one) { return one.input == i; });
    setup_.inputs[i].value = value;
    setup_.inputs[i].fresh = fresh;
  }

  const BenchSetup& setup() const noexcept { return setup_; }
  double position(std::size_t axis) const noexcept { return states_[axis].p; }
  double speed(std::size_t axis) const noexcept { return states_[axis].v; }
  /// Whether its brake has let go; what has none is never held.
  bool brake_open(std::size_t axis) const noexcept { return states_[axis].open_s >= setup_.axes[axis].brake_opens_s; }
  /// How often a brake was told to let go of an axis that moved, or to hold one.
  std::uint64_t brake_slips() const noexcept { return brake_slips_; }
  bool switched_on(std::size_t i) const noexcept { return switches_[i] != 0; }

 private:
  struct State {
    double p = 0, v = 0, target = 0;
    Mode mode = Mode::off;
    AxisFault fault = AxisFault::none;
    double open_s = 0;  // for so long its brake was told to let go
    double told = 0;    // by its last report
    bool back = false;  // it moved towards its low end last
  };
  struct Sent {
    LinkReport report;
    std::vector<AxisReport> axes;
    std::vector<InputReport> inputs;
    std::optional<ActionReport> action;
  };
  /// What it was told, until it does it.
  struct Told {
    Time due{};
    std::vector<Mode> modes;
    std::vector<double> targets;
  };
  void take(const Told& told) noexcept;
  void move(State& state, const BenchAxis& axis, bool valid, double dt_s) const noexcept;
  void work_brake(State& state, const BenchAxis& axis, bool valid, double dt_s) noexcept;
  void measure(Time now) noexcept;

  BenchSetup setup_;
  std::vector<State> states_;
  std::vector<std::uint8_t> switches_;
  std::vector<Told> queue_;  // a ring
  std::size_t queue_first_ = 0, queued_ = 0;
  std::vector<Sent> on_the_way_;  // a ring
  std::size_t first_ = 0, count_ = 0;
  std::uint32_t heartbeat_ = 0;
  Time now_{}, valid_until_{}, next_measurement_{};
  WireFault wire_ = WireFault::none;
  std::uint64_t brake_slips_ = 0;
  std::optional<ActionOrder> order_;  // told last
  Time order_over_{};
  bool order_runs_ = false;
};

}  // namespace gyrax::sim
