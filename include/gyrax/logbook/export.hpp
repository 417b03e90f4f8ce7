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

enum class PlotFormat { png, svg };
/// By the ending of a file's name; nullopt where it is none of them.
std::optional<PlotFormat> plot_format(const std::string& path);

/// A picture, or a sentence that says why there is none.
struct Drawn {
  std::string picture, why;
};
/// Draws in memory, through gnuplot. Of a rig only its axes' names and units are part of what gnuplot carries out,
/// which are letters, digits and _; its title is data.
Drawn draw_plot(const Rig& rig, const Rehearsal& done, PlotFormat format, const PlotView& view = {});
/// The same into a file, in the format of its ending. Error: a sentence; nothing is left behind.
std::optional<std::string> write_plot(const Rig& rig, const Rehearsal& done, const std::string& path,
                                      const PlotView& view = {});

}  // namespace gyrax
