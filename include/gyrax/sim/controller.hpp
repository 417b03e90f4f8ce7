/// A simulated controller of a machine: it plans moves ahead, each with its own acceleration, and comes to rest where
/// its queue ends.
///
/// In: moves, a stop, the time. Out: where it is, whether it moves. Never: a line of text; a speed or an acceleration
/// above its own.
///
///     sim::Controller machine({.axes = {{.speed = 200, .accel = 900}}, .moves = 16});
///     machine.move({12.5}, 80);
///     machine.advance(now_us);
#pragma once

#include <cstdint>
#include <deque>
#include <span>
#include <vector>

namespace gyrax::sim {

struct ControllerAxisSetup {
  double speed = 200, accel = 1000;  ///< unit/s and unit/s²
  double low = -1e9, high = 1e9;     ///< where its end switches are
  double start = 0;
  double corner = 5;  ///< it takes a corner without slowing down where its speed changes by no more, unit/s
};
struct ControllerSetup {
  std::vector<ControllerAxisSetup> axes;
  std::size_t moves = 16;  ///< that it plans ahead
};
enum class ControllerState : std::uint8_t { idle, moving, paused, alarm };

class Controller {
 public:
  explicit Controller(const ControllerSetup& setup);
  bool has_room() const noexcept { return queue_.size() < setup_.moves; }
  /// To a place, at a speed along the way (unit/s). What has no room, comes in an alarm or leads beyond an end is
  /// refused.
  bool move(std::span<const double> to, double speed);
  /// At once, at its own deceleration along its way; what is queued is dropped.
  void stop() noexcept;
  /// It stands at once, and has an alarm: its position is lost.
  void abort() noexcept;
  /// It comes to rest on its way, and keeps its queue; not while it has an alarm.
  void pause(bool paused) noexcept;
  void alarm() noexcept;
  /// A person has looked at what was wrong.
  void clear() noexcept;
  /// Its supply was away: it stands at once, and begins anew where it is.
  void restart() noexcept;
  /// Of every speed: somebody turns its knob.
  void scale(double share) noexcept { share_ = share; }
  void advance(std::uint64_t now_us);

  ControllerState state() const noexcept;
  double position(std::size_t axis) const noexcept { return positions_[axis]; }
  /// Along its way, unit/s.
  double speed() const noexcept { return speed_; }
  /// Of one axis, signed.
  double speed(std::size_t axis) const noexcept;
  std::size_t queued() const noexcept { return queue_.size(); }
  /// What is still to go along its way.
  double way_left() const noexcept;
  std::size_t axes() const noexcept { return positions_.size(); }
  const ControllerSetup& setup() const noexcept { return setup_; }
  /// Where its last move ends.
  double end(std::size_t axis) const noexcept { return ends_[axis]; }

 private:
  struct Block {
    std::vector<double> from, along;  // along: of length 1
    double length = 0, done = 0, speed = 0, accel = 0;
    double exit = 0;    // the greatest speed at its end, of those that follow
    double corner = 0;  // the greatest at its beginning
  };
  void plan() noexcept;
  void step(double dt_s) noexcept;
  void stand() noexcept;

  ControllerSetup setup_;
  std::vector<double> positions_, ends_;
  std::deque<Block> queue_;
  double speed_ = 0, share_ = 1;
  bool paused_ = false, stops_ = false, has_alarm_ = false;
  std::uint64_t now_us_ = 0;
};

}  // namespace gyrax::sim
