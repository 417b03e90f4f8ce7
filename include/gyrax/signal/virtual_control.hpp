/// Controls that the rig makes of others: two triggers into one lever, a stick into two motors, three accelerations
/// into a tilt.
///
/// In: the values of the controls that it is made of. Out: one value in [-1, 1], or pressed or not. Never: a value
/// while one of its parts is unknown.
///
///     made_value({.how = VirtualControl::How::difference}, parts)
#pragma once

#include <gyrax/base/ids.hpp>

#include <array>
#include <cstdint>
#include <optional>

namespace gyrax {

struct VirtualControl {
  enum class How : std::uint8_t {
    none,        ///< a control of the handset itself
    difference,  ///< first − second, at most ±1
    mean,        ///< of both
    greater,     ///< of both, by size; the first where they are equal
    drive_left,  ///< of speed and turn: the left one of two motors
    drive_right,
    tilt_x,  ///< of three accelerations x (right), y (away) and z (up): how far the right side is lowered
    tilt_y,  ///< how far the far side is lowered
    key,     ///< pressed or not, of one control
  };
  static constexpr std::size_t parts_at_most = 3;
  How how = How::none;
  std::array<SlotId, parts_at_most> parts{no<SlotId>, no<SlotId>, no<SlotId>};
  double range = 1;      ///< of a tilt: the angle that is full deflection, rad, (0, π/2]
  bool lower = false;    ///< of a key: pressed towards the control's lower end
  double press = 0.6;    ///< of a key: pressed from this deflection on, (0, 1] …
  double release = 0.4;  ///< … until it is below this, (0, press]
};

/// How many parts a way of making takes.
std::size_t parts_of(VirtualControl::How how) noexcept;

/// The value of anything but a key. Of a tilt the parts are accelerations, 1 for that of free fall; nullopt where they
/// are too small together (below a quarter) to have a direction.
///
/// Two motors: speed + turn and speed − turn, both divided by the greatest of 1 and their sizes, so that a full
/// diagonal keeps its direction and asks for no more than full power. Tilt: atan(−x / √(y² + z²)) and so on, each axis
/// against the plane of the two others, so that neither is ever undefined.
std::optional<double> made_value(const VirtualControl& virtual_control,
                                 const std::array<double, VirtualControl::parts_at_most>& parts) noexcept;

/// Arc tangent of y/x for x ≥ 0, not both 0; rad, within 2e-8. Source: M. Abramowitz and I. Stegun, Handbook of
/// Mathematical Functions, 4.4.49.
double arc_tangent(double y, double x) noexcept;

}  // namespace gyrax
