/// A rehearsal's or a replay's signals for other programs and for the eye.
///
/// In: a rig and every tick. Out: CSV (one row a tick) and PNG or SVG (through gnuplot). Never: memory that grows with
/// time.
///
///     gyrax::write_text("signals.csv", gyrax::to_csv(rig, done));
///     gyrax::write_plot(rig, done, "session.png");
#pragma once

#include <gyrax/files/gnuplot.hpp>
#include <gyrax/rehearsal/rehearsal.hpp>

#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>

namespace gyrax {

/// A header line and one row a tick: t_s; state of each zone; override_percent; for each axis NAME_asked (-1..1),
/// NAME_p_UNIT, NAME_v_UNIT_s, NAME_a_UNIT_s2 (commanded), NAME_machine_UNIT and NAME_blocked (interlock or empty);
/// each switch 0 or 1. Numbers are the shortest that read back as the same double.
std::string to_csv(const Rig& rig, const Rehearsal& done);

/// The same, piece by piece, while the ticks come.
class CsvTable final : public TickWatcher {
 public:
  /// `out` gets whole lines.
  CsvTable(const Rig& rig, std::function<void(std::string_view)> out);
  void tick(const TickSample& sample, std::span<const Event> events) override;
  /// Hands over what is left.
  void end();

 private:
  std::function<void(std::string_view)> out_;
  std::string text_;
};

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

/// What a plot is drawn from, however many ticks there are: up to some thousands each of them, otherwise of runs of
/// ticks the least and the greatest of every curve in the order in which they came, so that no peak is lost.
class PlotPoints final : public TickWatcher {
 public:
  /// `rig` has to last as long.
  PlotPoints(const Rig& rig, PlotView view);
  ~PlotPoints() override;
  void tick(const TickSample& sample, std::span<const Event> events) override;
  /// Through gnuplot, in memory.
  Drawn draw(PlotFormat format) const;

 private:
  class Work;
  std::unique_ptr<Work> work_;
};

/// Draws in memory, through gnuplot. Of a rig only its axes' names and units are part of what gnuplot carries out,
/// which are letters, digits and _; its title is data.
Drawn draw_plot(const Rig& rig, const Rehearsal& done, PlotFormat format, const PlotView& view = {});
/// The same into a file, in the format of its ending. Error: a sentence; nothing is left behind.
std::optional<std::string> write_plot(const Rig& rig, const Rehearsal& done, const std::string& path,
                                      const PlotView& view = {});

}  // namespace gyrax
