#include "plot_runs.hpp"

#include <gyrax/files/gnuplot.hpp>
#include <gyrax/files/text_file.hpp>
#include <gyrax/logbook/export.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <iterator>
#include <utility>

namespace gyrax {
namespace {

/// Told apart also by those who see fewer colours (Okabe and Ito, 2008).
constexpr std::array<const char*, 6> colours{"#0072b2", "#d55e00", "#009e73", "#cc79a7", "#56b4e9", "#e69f00"};

const char* colour_of(State state) {
  constexpr std::array<const char*, 5> fills{"#d0d0d0", "#f0e442", "#7fc97f", "#fdae61", "#d73027"};
  return fills[static_cast<std::size_t>(state)];
}

struct Curve {
  std::size_t axis = 0;
  PlotColumn column = PlotColumn::position;
};

struct Panel {
  std::string title, unit;
  std::vector<Curve> curves;
  std::vector<double> limits;            // dashed
  std::vector<std::size_t> inputs = {};  // by InputId
};

/// Numbers by their units, each with what trips; contacts together.
void add_input_panels(const Rig& rig, std::vector<Panel>& all) {
  std::vector<Panel> panels;
  for (std::size_t i = 0; i < rig.inputs.size(); ++i) {
    const std::string unit = rig.inputs[i].unit.empty() ? "1 is on" : rig.inputs[i].unit;
    auto panel = std::ranges::find(panels, unit, &Panel::unit);
    if (panel == panels.end()) panel = panels.insert(panels.end(), Panel{"inputs", unit, {}, {}});
    if (rig.inputs[i].unit.empty()) panel->limits = {0, 1};
    panel->inputs.push_back(i);
    const InputBounds& bounds = rig.setup.inputs[i].bounds;
    for (const double bound : {bounds.low, bounds.high})
      if (std::isfinite(bound)) panel->limits.push_back(bound);
  }
  all.insert(all.end(), panels.begin(), panels.end());
}

std::vector<Panel> panels_of_all(const Rig& rig) {
  std::vector<Panel> all;
  for (const std::string unit : {"mm", "deg", "%"}) {
    const bool motors = unit == "%";
    Panel position{"position", unit, {}, {}}, speed{motors ? "power" : "speed", motors ? unit : unit + "/s", {}, {}};
    for (std::size_t a = 0; a < rig.axes.size(); ++a) {
      if (rig.axes[a].unit != unit) continue;
      position.curves.push_back({a, PlotColumn::position});
      speed.curves.push_back({a, PlotColumn::speed});
    }
    if (position.curves.empty()) continue;
    // A motor has no place.
    if (!motors) all.push_back(position);
    all.push_back(speed);
  }
  add_input_panels(rig, all);
  return all;
}

/// One axis in depth: from position to jerk, each with its limits.
std::vector<Panel> panels_of_axis(const Rig& rig, std::size_t a) {
  const AxisLimits& l = rig.setup.axes[a].limits;
  const MotionLimits& full = l.full();
  const std::string& unit = rig.axes[a].unit;
  const auto both = [](double first, double second) { return std::vector{-first, first, -second, second}; };
  if (rig.axes[a].motor)
    return {{"power", unit, {{a, PlotColumn::speed}}, {-full.speed, full.speed}},
            {"its change", unit + "/s", {{a, PlotColumn::accel}}, both(full.accel, full.decel)},
            {"jerk", unit + "/s²", {{a, PlotColumn::jerk}}, both(full.jerk, full.decel_jerk)}};
  return {{"position",
           unit,
           {{a, PlotColumn::position}},
           rig.axes[a].endless ? std::vector<double>{} : std::vector{l.low(), l.high()}},
          {"speed", unit + "/s", {{a, PlotColumn::speed}}, {-full.speed, full.speed}},
          {"acceleration", unit + "/s²", {{a, PlotColumn::accel}}, both(full.accel, full.decel)},
          {"jerk", unit + "/s³", {{a, PlotColumn::jerk}}, both(full.jerk, full.decel_jerk)}};
}

constexpr int rows_of_a_run = 2;

/// The curves as rows: the time, then the columns of each axis that is drawn.
std::string data_of(const PlotRuns& runs) {
  std::string data;
  const auto out = std::back_inserter(data);
  for (std::size_t r = 0; r < runs.size(); ++r) {
    const bool one_tick = runs.ticks_a_run() == 1;
    for (int row = 0; row < (one_tick ? 1 : rows_of_a_run); ++row) {
      fmt::format_to(out, "{:.4f}", to_seconds(runs.begin(r)) + row * to_seconds(runs.length(r)) / rows_of_a_run);
      for (const PlotRuns::Extent& extent : runs.columns(r))
        fmt::format_to(out, " {:.4f}", extent.least_first() == (row == 0) ? extent.least : extent.greatest);
      data += '\n';
    }
  }
  return data;
}

/// A coloured stretch for each state of the zone, named where there is room.
std::string bands_of(const PlotRuns& runs) {
  std::string script;
  int object = 1;
  const std::size_t last = runs.size() - 1;
  const double whole = to_seconds(runs.end() - runs.begin(0));
  for (std::size_t r = 0; r <= last;) {
    const State state = runs.state(r);
    std::size_t end = r;
    while (end <= last && runs.state(end) == state) ++end;
    const double from = to_seconds(runs.begin(r)), to = to_seconds(end <= last ? runs.begin(end) : runs.end());
    script += fmt::format("set object {} rect from {},0 to {},1 fc rgb '{}' fs solid noborder\n", object, from, to,
                          colour_of(state));
    if (to - from > whole / 25)
      script += fmt::format("set label {} '{}' at {},0.5 center font ',9'\n", object, name_of(state), (from + to) / 2);
    ++object;
    r = end;
  }
  return script;
}

/// What each colour of the band means, for the stretches that are too short for their name.
std::string legend() {
  std::string script;
  double x = 0.60;
  for (int i = 0; i < 5; ++i) {
    const State state = static_cast<State>(i);
    script +=
        fmt::format("set label {} '■' at screen {},0.975 tc rgb '{}' font ',13'\n", 900 + 2 * i, x, colour_of(state));
    script += fmt::format("set label {} '{}' at screen {},0.975 font ',9'\n", 901 + 2 * i, name_of(state), x + 0.012);
    x += 0.06;
  }
  return script;
}

/// A dashed line through the panels at each stop; of more than there is room for, none.
std::string stops_of(const PlotRuns& runs) {
  constexpr int most = 300;
  std::string script;
  int stops = 0;
  for (std::size_t r = 1; r < runs.size(); ++r) {
    if (runs.state(r) == State::live || runs.state(r - 1) != State::live) continue;
    script += fmt::format("set arrow from {0},graph 0 to {0},graph 1 nohead dt 2 lc rgb '#999999'\n",
                          to_seconds(runs.begin(r)));
    ++stops;
  }
  return stops > most ? std::string() : script;
}

/// `first`: the first axis that is among the data, of `axes`.
std::string curves_of(const Rig& rig, const Panel& panel, std::size_t first, std::size_t axes) {
  const auto column = [first](const Curve& curve, PlotColumn which) {
    return 2 + plot_columns * (curve.axis - first) + static_cast<std::size_t>(which);
  };
  std::string script;
  const auto add = [&](const std::string& curve) { script += (script.empty() ? "plot " : ", ") + curve; };
  for (const double limit : panel.limits) add(fmt::format("{} with lines lw 1 dt 2 lc rgb '#999999' notitle", limit));
  for (const Curve& curve : panel.curves) {
    const char* colour = colours[curve.axis % colours.size()];
    const bool measured = curve.column == PlotColumn::position || curve.column == PlotColumn::speed;
    if (measured)
      add(fmt::format(
          "'{}' using 1:{} with lines lw 1 dt 3 lc rgb '{}' notitle", gnuplot_data,
          column(curve, curve.column == PlotColumn::speed ? PlotColumn::machine_speed : PlotColumn::machine_position),
          colour));
    add(fmt::format("'{}' using 1:{} with {} lw 1.6 lc rgb '{}' title \"{}\"", gnuplot_data,
                    column(curve, curve.column), curve.column == PlotColumn::jerk ? "steps" : "lines", colour,
                    rig.axes[curve.axis].name));
  }
  for (const std::size_t input : panel.inputs)
    add(fmt::format("'{}' using 1:{} with lines lw 1.6 lc rgb '{}' title \"{}\"", gnuplot_data,
                    2 + plot_columns * axes + input, colours[input % colours.size()], rig.inputs[input].name));
  return script + "\n";
}

std::string script_of(const Rig& rig, const PlotRuns& runs, const std::vector<Panel>& panels,
                      const std::string& terminal, std::size_t first_axis, std::size_t axes) {
  const double from = to_seconds(runs.begin(0)), to = to_seconds(runs.end());
  // The title is somebody's text: it comes as data, as a whole line behind its first letter, and is never a command.
  std::string s = fmt::format(
      "set datafile separator \"\\n\"\nset datafile commentschars \"\"\n"
      "stats '{}' using (title = strcol(1)[2:*], 0) nooutput\n"
      "set datafile separator whitespace\n",
      gnuplot_title);
  s += fmt::format(
      "set terminal {}\nset encoding utf8\nset multiplot\nset xrange [{}:{}]\nset lmargin at screen "
      "0.08\n"
      "set rmargin at screen 0.88\nset key outside right top samplen 1.5 font ',10'\nset tics font ',10'\n",
      terminal, from, to);
  s += "set label 999 title at screen 0.08,0.975 font ',13'\n";
  s += "set tmargin at screen 0.95\nset bmargin at screen 0.92\nset yrange [0:1]\nunset ytics\nset format x ''\nset "
       "border 0\nunset key\n";
  s += bands_of(runs) + legend();
  s += "plot NaN notitle\nunset object\nunset label\nset border 31 lc rgb '#888888'\nset grid xtics ytics lt 1 lw 0.6 "
       "lc rgb "
       "'#e4e4e4'\nset key\nset ytics autofreq\nset yrange [*:*]\nset offsets 0,0,graph 0.05,graph 0.05\n";
  s += stops_of(runs);
  const double top = 0.89, bottom = 0.085, gap = 0.022;
  const double height = (top - bottom) / static_cast<double>(panels.size());
  // Low panels have room for few numbers only.
  if (panels.size() > 4) s += "set ytics font ',7'\n";
  for (std::size_t i = 0; i < panels.size(); ++i) {
    const double upper = top - static_cast<double>(i) * height;
    const bool lowest = i + 1 == panels.size();
    s += fmt::format("set tmargin at screen {}\nset bmargin at screen {}\nset ylabel '{}, {}' font ',10' offset 0.5\n",
                     upper, upper - height + gap, panels[i].title, panels[i].unit);
    if (lowest)
      s += "set format x '%g'\nset xlabel 'time, s     (solid: commanded, dotted: the simulated machine, dashed: "
           "limits)' font ',11'\n";
    s += curves_of(rig, panels[i], first_axis, axes);
  }
  return s + "unset multiplot\n";
}

/// One line: "T" and the title, without what could end it. A quote and a backslash mean something in data, and are
/// drawn as signs that look like them.
std::string title_of(const Rig& rig) {
  std::string text = "T";
  for (const char c : rig.title.empty() ? rig.path : rig.title) {
    if (c == '"') {
      text += "″";
    } else if (c == '\\') {
      text += "∖";
    } else if (static_cast<unsigned char>(c) >= ' ' && c != 0x7f) {
      text += c;
    }
  }
  return text + "\n";
}

}  // namespace

std::optional<PlotFormat> plot_format(const std::string& path) {
  if (path.ends_with(".svg")) return PlotFormat::svg;
  if (path.ends_with(".png")) return PlotFormat::png;
  return std::nullopt;
}

class PlotPoints::Work {
 public:
  Work(const Rig& rig, PlotView view) : rig_(rig), view_(std::move(view)), runs_(rig.period) {
    while (axis_ < rig.axes.size() && rig.axes[axis_].name != view_.axis) ++axis_;
    known_ = view_.axis.empty() || axis_ < rig.axes.size();
    if (view_.axis.empty()) axis_ = 0;
    count_ = view_.axis.empty() ? rig.axes.size() : 1;
  }

  void tick(const TickSample& sample) {
    last_ = sample.at;
    const double at_s = to_seconds(sample.at);
    if (!known_ || (view_.span && (at_s < view_.span->from_s || at_s > view_.span->to_s))) return;
    runs_.add(sample.at, sample.zones.front(), std::span(sample.axes).subspan(axis_, count_), sample.inputs);
  }

  Drawn draw(PlotFormat format) const {
    if (!known_) return {"", fmt::format("there is no axis '{}' in the rig", view_.axis)};
    if (runs_.size() == 0 && !view_.span) return {"", "there is no tick to draw"};
    if (runs_.size() == 0)
      return {"", fmt::format("a span from {:g} to {:g} s is not inside the session's {:g} s", view_.span->from_s,
                              view_.span->to_s, to_seconds(last_))};
    const std::string terminal = format == PlotFormat::svg
                                     ? "svg size 1280,800 noenhanced font 'DejaVu Sans,11' background '#ffffff'"
                                     : "pngcairo size 1280,800 noenhanced font 'DejaVu Sans,11'";
    const std::vector<Panel> panels = view_.axis.empty() ? panels_of_all(rig_) : panels_of_axis(rig_, axis_);
    return gnuplot(script_of(rig_, runs_, panels, terminal, axis_, count_), data_of(runs_), title_of(rig_));
  }

 private:
  const Rig& rig_;
  PlotView view_;
  PlotRuns runs_;
  bool known_ = true;
  std::size_t axis_ = 0, count_ = 0;  // of the axes that are drawn
  Time last_{};
};

PlotPoints::PlotPoints(const Rig& rig, PlotView view) : work_(std::make_unique<Work>(rig, std::move(view))) {}
PlotPoints::~PlotPoints() = default;
void PlotPoints::tick(const TickSample& sample, std::span<const Event>) { work_->tick(sample); }
Drawn PlotPoints::draw(PlotFormat format) const { return work_->draw(format); }

Drawn draw_plot(const Rig& rig, const Rehearsal& done, PlotFormat format, const PlotView& view) {
  PlotPoints points(rig, view);
  watch(done.trace, done.events, points);
  return points.draw(format);
}

std::optional<std::string> write_plot(const Rig& rig, const Rehearsal& done, const std::string& path,
                                      const PlotView& view) {
  const std::optional<PlotFormat> format = plot_format(path);
  if (!format) return fmt::format("'{}': the ending decides the format; take .png or .svg", path);
  const Drawn drawn = draw_plot(rig, done, *format, view);
  if (!drawn.why.empty()) return drawn.why;
  if (const std::error_code error = write_text(path, drawn.picture))
    return fmt::format("cannot write '{}': {}; check the folder and its permissions", path, error.message());
  return std::nullopt;
}

}  // namespace gyrax
