// Where an increasing function passes 0, bracketed: never outside, never without an end.
//
// T. R. Chandrupatla, "A new hybrid quadratic/bisection algorithm for finding the zero of a nonlinear function without
// using derivatives", Advances in Engineering Software 28 (1997).
#pragma once

#include <cmath>

namespace gyrax {

/// The last bracket: f(low) ≤ 0 ≤ f(high).
struct Bracket {
  double low = 0, f_low = 0, high = 0, f_high = 0;
};

/// Narrows the bracket until `done(bracket)`, or until nothing is left between its ends.
template <class Function, class Done>
Bracket narrow(Bracket b, Function f, Done done) noexcept {
  // As of a square that begins at the lower end: the functions here rise slowly at first.
  double share = b.f_low < b.f_high ? std::sqrt(b.f_low / (b.f_low - b.f_high)) : 0.5;
  share = share > 0.001 ? (share < 0.999 ? share : 0.999) : 0.001;
  constexpr int bound = 200;
  for (int i = 0; i < bound && !done(b); ++i) {
    const double x = b.low + share * (b.high - b.low);
    if (!(x > b.low && x < b.high)) break;
    const double fx = f(x);
    // The point that drops out of the bracket is the third of the quadratic.
    double old, f_old, last, f_last, other, f_other;
    if (fx <= 0) {
      old = b.low, f_old = b.f_low;
      b.low = x, b.f_low = fx;
      last = x, f_last = fx, other = b.high, f_other = b.f_high;
    } else {
      old = b.high, f_old = b.f_high;
      b.high = x, b.f_high = fx;
      last = x, f_last = fx, other = b.low, f_other = b.f_low;
    }
    const double xi = (last - other) / (old - other), phi = (f_last - f_other) / (f_old - f_other);
    double t = 0.5;
    if (phi * phi < xi && (1 - phi) * (1 - phi) < 1 - xi)
      t = f_last / (f_other - f_last) * (f_old / (f_other - f_old)) +
          (old - last) / (other - last) * (f_last / (f_old - f_last)) * (f_other / (f_old - f_other));
    // From the share of the way last → other to the share of the way low → high.
    t = t < 1e-6 ? 1e-6 : t > 1 - 1e-6 ? 1 - 1e-6 : t;
    share = fx <= 0 ? t : 1 - t;
  }
  return b;
}

}  // namespace gyrax
