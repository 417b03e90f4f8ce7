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
};

/// What a switch becomes by itself when no frame is valid any more.
enum class Silent : std::uint8_t { off, on, keep };

struct BenchSetup {
  LinkId link{};
  Span report_every = std::chrono::milliseconds(4);
  Span report_delay = std::chrono::milliseconds(2);
  std::vector<BenchAxis> axes;
  std::size_t switches = 0;
  std::vector<Silent> when_silent;  ///< by switch; where it is shorter: keep
};

/// What can go wrong with an axis. stuck: does not move; reversed: runs the wrong way.
enum class AxisFault : std::uint8_t { none, stuck, reversed };

class Bench {
 public:
  explicit Bench(const BenchSetup& setup);

  /// A frame arrives, unless the wire is cut.
  void receive(const Frame& frame) noexcept;
  /// Moves on to `now`; not before the last time.
  void advance(Time now) noexcept;
  /// The next report that has arrived by `now`, oldest first; nullptr if none. Valid until the next advance().
  const LinkReport* next_report(Time now) noexcept;

  /// Cuts the wire both ways, or mends it.
  void silence(bool silent) noexcept { silent_ = silent; }
  /// Somebody puts an axis elsewhere, by hand.
  void place(std::size_t axis, double position) noexcept { states_[axis].p = states_[axis].target = position; }
  void break_axis(std::size_t axis, AxisFault fault) noexcept { states_[axis].fault = fault; }

  const BenchSetup& setup() const noexcept { return setup_; }
  double position(std::size_t axis) const noexcept { return states_[axis].p; }
  double speed(std::size_t axis) const noexcept { return states_[axis].v; }
  bool switched_on(std::size_t i) const noexcept { return switches_[i] != 0; }

 private:
  struct State {
    double p = 0, v = 0, target = 0;
    Mode mode = Mode::off;
    AxisFault fault = AxisFault::none;
  };
  struct Sent {
    LinkReport report;
    std::vector<AxisReport> axes;
  };
  void move(State& state, const BenchAxis& axis, bool valid, double dt_s) const noexcept;
  void measure(Time now) noexcept;

  BenchSetup setup_;
  std::vector<State> states_;
  std::vector<std::uint8_t> switches_;
  std::vector<Sent> on_the_way_;  // a ring
  std::size_t first_ = 0, count_ = 0;
  std::uint32_t heartbeat_ = 0;
  Time now_{}, valid_until_{}, next_measurement_{};
  bool silent_ = false;
};

}  // namespace gyrax::sim
