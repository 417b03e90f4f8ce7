/// From a normalised deflection to the value that counts.
///
/// In: deflections, [-1, 1]. Out: shaped ones: dead zone, then straight pushes, then the curve. Never: a jump; a value
/// beyond ±1; anything but exactly 0 at rest and exactly ±1 at full deflection.
///
///     ShapeState state;
///     double x = shaped(0.08, {.zone = {0.1}}, state);                   // 0: inside the dead zone
///     Deflection d = shaped(Deflection{0.9, 0.05}, shape, state);        // a stick's two halves together
#pragma once

#include <gyrax/signal/curve.hpp>

namespace gyrax {

/// A stick's pair, each [-1, 1].
struct Deflection {
  double x = 0, y = 0;
};

/// What of a size counts as nothing, and what as full.
struct Zone {
  double inner = 0;       ///< [0, 1): nothing up to here
  double hysteresis = 0;  ///< [0, inner]: what counts once goes on counting, until it is this much below `inner`
  double outer = 0;       ///< [0, 1 − inner): as near to full as this is full
};

/// A dead zone with its memory. The way out runs from 0 at `inner` to 1 at 1 − outer; the way back from wherever it
/// turned runs straight to 0 at inner − hysteresis. The two meet where it turns, so that nothing ever jumps.
class Edge {
 public:
  /// `size` ≥ 0; what is not a number counts as 0.
  double pass(double size, const Zone& zone) noexcept;

 private:
  double farthest_ = 0;  // since it left rest; 0: at rest
};

/// All of a control's shaping; the order is that of the members.
struct Shape {
  Zone zone{};  ///< of a pair: round
  Zone straight{0,
                0};  ///< of a pair: the share of its weaker part in the stronger one up to which it counts as nothing
  Curve curve{};     ///< of a pair: of its distance from the centre, direction kept
};

struct ShapeState {
  Edge zone, straight;
};

/// One control, for itself.
double shaped(double value, const Shape& shape, ShapeState& state) noexcept;
/// A stick. A part that is at its end raw is exactly ±1, whatever the other part does (but for straight pushes).
Deflection shaped(Deflection value, const Shape& shape, ShapeState& state) noexcept;

/// A low pass of first order, held constant between readings. Its delay: a steady change comes out that much later
/// (out + delay·d(out)/dt = in, so that for in = c·t, out settles at c·(t − delay)). The step is implicit, stable for
/// any dt.
class Smoothing {
 public:
  /// What is this near to what comes in is the same: a 12-bit converter's smallest difference.
  static constexpr double same = 1.0 / 4096;
  void start(double value) noexcept { value_ = value; }
  double advance(double target, double dt_s, double delay_s) noexcept;
  double value() const noexcept { return value_; }

 private:
  double value_ = 0;
};

}  // namespace gyrax
