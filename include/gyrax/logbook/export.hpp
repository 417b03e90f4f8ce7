/// A rehearsal's signals for other programs and for the eye.
///
/// In: a rig and its rehearsal. Out: CSV (one row a tick) and PNG or SVG (through gnuplot).
///
///     gyrax::write_text("signals.csv", gyrax::to_csv(rig, done));
///     gyrax::write_plot(rig, done, "session.png");
#pragma once

#include <gyrax/rehearsal/rehearsal.hpp>

#include <optional>
#include <string>
#include <utility>

namespace gyrax {

/// A header line and one row a tick: t_s; state of each zone; override_percent; for each axis NAME_asked (-1..1),
/// NAME_p_UNIT, NAME_v_UNIT_s, NAME_a_UNIT_s2 (commanded), NAME_machine_UNIT and NAME_blocked (interlock or empty);
/// each switch 0 or 1. Numbers are the shortest that read back as the same double.
std::string to_csv(const Rig& rig, const Rehearsal& done);

struct PlotSpan {
  double from_s = 0, to_s = 0;
};

struct PlotView {
  std::optional<PlotSpan> span;  ///< none: all of it
  std::string
      axis;  ///< its position, speed, acceleration and jerk with their limits; none: positions and speeds of all
};

/// Writes a picture; its format follows from the path's ending (.png, .svg). Error: a sentence; nothing is left behind.
std::optional<std::string> write_plot(const Rig& rig, const Rehearsal& done, const std::string& path,
                                      const PlotView& view = {});

}  // namespace gyrax
