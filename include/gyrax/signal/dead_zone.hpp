/// The part of a deflection that counts as nothing, and the rest stretched over the full range again.
///
/// In: normalised deflections. Out: 0 inside the edge, beginning at 0 on the edge, exactly ±1 at full deflection.
/// Never: a jump at the edge; a value beyond ±1.
///
///     Deflection d = radial_dead_zone({0.06, 0.05}, 0.1);   // both 0: a stick at rest
#pragma once

namespace gyrax {

/// A stick's pair, each [-1, 1].
struct Deflection {
  double x = 0, y = 0;
};

/// Dead zone along one axis; `edge` in [0, 1). Source: out = sign(v)·(|v| − e)/(1 − e) outside the edge.
double axial_dead_zone(double value, double edge) noexcept;

/// Dead zone of a pair by its distance from the centre, direction kept: out = v·(r − e)/((1 − e)·r), then each part
/// limited to ±1. A part that is at its end raw is exactly ±1, whatever the other part does.
Deflection radial_dead_zone(Deflection value, double edge) noexcept;

}  // namespace gyrax
