/// A simulated drive: the state machine of IEC 61800-7-201, axes behind it, and a watchdog of its own.
///
/// In: a control word, a heartbeat, set points, the time. Out: a status word, positions, speeds. Never: a register; a
/// step beyond its own speed and acceleration.
///
///     sim::Drive drive({.axes = {{.speed = 60, .accel = 300}}, .watchdog_us = 100'000});
///     drive.tell(0x000f, ++beat, {{.position = 12}}, now_us);
///     drive.advance(now_us);
///
/// Source: IEC 61800-7-201, the power drive system's finite state automaton; control and status words as there.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

namespace gyrax::sim {

struct DriveAxisSetup {
  double speed = 100, accel = 2000;  ///< its own limits while it follows, unit/s and unit/s²
  double decel = 500;                ///< with which it stops by itself
  double low = -1e9, high = 1e9;
  double start = 0;
  bool by_speed = false;  ///< it is told a speed; otherwise a position
  double lag_s = 0.02;    ///< time constant with which it follows a position
};
struct DriveSetup {
  std::vector<DriveAxisSetup> axes;
  std::uint64_t watchdog_us = 100'000;  ///< without a new heartbeat while it is on: a fault
};
/// Of a position with a speed, it goes on with that speed until it hears the next or its watchdog stops it.
struct DriveSetPoint {
  double position = 0, speed = 0;
};
enum class DrivePhase : std::uint8_t {
  switch_on_disabled,
  ready_to_switch_on,
  switched_on,
  operation_enabled,
  quick_stop_active,
  fault_reaction_active,
  fault,
};
const char* name_of(DrivePhase phase) noexcept;

class Drive {
 public:
  explicit Drive(const DriveSetup& setup);
  /// Takes what was written.
  void tell(std::uint16_t control, std::uint16_t heartbeat, std::span<const DriveSetPoint> set_points,
            std::uint64_t now_us);
  void advance(std::uint64_t now_us);
  /// Something is wrong with it: it stops, and has a fault until that is reset.
  void fail() noexcept;
  /// Its supply was away: it begins anew, where it stands.
  void restart() noexcept;

  std::uint16_t status() const noexcept;
  DrivePhase phase() const noexcept { return phase_; }
  std::size_t axes() const noexcept { return axes_.size(); }
  double position(std::size_t axis) const noexcept { return axes_[axis].position; }
  double speed(std::size_t axis) const noexcept { return axes_[axis].speed; }
  bool at_rest() const noexcept;
  /// How often its watchdog has stopped it.
  std::uint32_t watchdog_trips() const noexcept { return watchdog_trips_; }

 private:
  struct Axis {
    DriveAxisSetup setup;
    double position = 0, speed = 0, wanted = 0;  // wanted: where its lag has brought the set point
    DriveSetPoint told;
  };
  void take_control(std::uint16_t control) noexcept;
  void move(Axis& axis, double dt_s) noexcept;

  DriveSetup setup_;
  std::vector<Axis> axes_;
  DrivePhase phase_ = DrivePhase::switch_on_disabled;
  std::uint16_t control_ = 0, heartbeat_ = 0;
  std::uint64_t now_us_ = 0, beat_us_ = 0;
  std::uint32_t watchdog_trips_ = 0;
};

}  // namespace gyrax::sim
