#include <gyrax/faults/page.hpp>
#include <gyrax/files/gnuplot.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>

namespace gyrax {
namespace {

using Out = std::back_insert_iterator<std::string>;

/// A name of somebody, as text of a table's cell.
std::string cell(const std::string& name) {
  std::string text;
  for (const char c : name) {
    if (c == '|' || c == '*' || c == '_' || c == '`' || c == '<' || c == '[' || c == '\\') text += '\\';
    text += static_cast<unsigned char>(c) < ' ' ? ' ' : c;
  }
  return text;
}

bool is_drawn(const FaultRow& row) { return !row.only_time && row.is_measured() && row.way > 0; }

/// A bar for each failure: until it is noticed, the stop, the lag; and a mark where it was measured.
Drawn draw(const Rig& rig, AxisId axis, const std::vector<const FaultRow*>& rows) {
  std::string data, tics;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const FaultRow& row = *rows[i];
    const double y = -static_cast<double>(i);
    data += fmt::format("{} {:.6f} {:.6f} {:.6f} {:.6f}\n", y, row.predicted.notice_way,
                        row.predicted.notice_way + row.predicted.stop_way, row.predicted.way(), row.way);
    tics += fmt::format("{}\"{}\" {}", i > 0 ? ", " : "", row.sentence, y);
  }
  const auto bar = [](int from, int to, const char* colour, const char* title) {
    const std::string begin = from > 0 ? fmt::format("${}", from) : "0";
    return fmt::format(
        "'{}' using (({}+${})/2):1:({}):{}:($1-0.35):($1+0.35) with boxxyerror fs solid 0.9 noborder "
        "lc rgb '{}' title '{}'",
        gnuplot_data, begin, to, begin, to, colour, title);
  };
  const int height = 120 + 22 * static_cast<int>(rows.size());
  const std::string script = fmt::format(
      "set terminal svg size 1000,{} noenhanced font 'DejaVu Sans,11' background '#ffffff'\nset encoding utf8\n"
      "set border 1 lc rgb '#888888'\nset ytics nomirror scale 0 ({})\nset yrange [{}:0.6]\nset xrange [0:*]\n"
      "set xtics nomirror\nset rmargin 8\nset grid xtics lt 1 lw 0.6 lc rgb '#e4e4e4'\nset key outside top center "
      "samplen 1.5 width -4 "
      "horizontal\n"
      "set xlabel 'from the failure to the machine at rest, {}'\nplot {}, {}, {}, '{}' using 5:1 with points pt 9 "
      "ps 0.9 lc rgb '#000000' title 'measured'\n",
      height, tics, -static_cast<double>(rows.size()) + 0.4, rig.axes[index(axis)].unit,
      bar(0, 2, "#e69f00", "until it is noticed"), bar(2, 3, "#0072b2", "the stop"), bar(3, 4, "#56b4e9", "lag"),
      gnuplot_data);
  return gnuplot(script, data, "T\n");
}

std::string numbers(const Rig& rig, const FaultRow& row, double way, double time_s) {
  const std::string time = std::isfinite(time_s) ? fmt::format("{:.0f} ms", time_s * 1e3) : "for ever";
  return row.only_time ? time : fmt::format("{:.1f} {}, {}", way, rig.axes[index(row.axis)].unit, time);
}

void write_row(Out out, const Rig& rig, const FaultRow& row) {
  if (row.forbids_motion()) {
    fmt::format_to(out, "| {} | | no motion | {} | | {} |\n", row.sentence, row.way > 0 ? "motion" : "none",
                   row.holds() ? "" : "**beyond**");
    return;
  }
  const bool goes_on = row.goes_on();
  const std::string stopped = row.cause == Cause::none ? "" : about(row.cause).name;
  fmt::format_to(out, "| {} | {} | {} | {} | {} | {}{} |\n", row.sentence, row.predicted.notice,
                 numbers(rig, row, row.predicted.way(), row.predicted.time_s()),
                 goes_on ? "goes on" : numbers(rig, row, row.way, row.time_s),
                 goes_on ? "" : fmt::format("{:.0f} %", row.share() * 100), stopped,
                 row.holds()      ? ""
                 : row.beyond > 0 ? " **beyond**"
                                  : " **unexpected**");
}

}  // namespace

StopsPage stops_page(const Rig& rig, const FaultsReport& report, const std::string& stem) {
  StopsPage page;
  const Out out = std::back_inserter(page.text);
  fmt::format_to(out, "# How far it goes: {}\n\n", cell(rig.title.empty() ? rig.path : rig.title));
  fmt::format_to(out,
                 "From {}. For each failure the worst of all moments that were tried: predicted from the rig, and "
                 "measured on the simulated machine ({} runs). Ways and times go from the failure to the machine at "
                 "rest, at full speed. Gyrax is not a safety-rated device: the emergency stop is wired, not "
                 "programmed.\n\n{}\n",
                 cell(rig.path), report.runs,
                 report.holds()
                     ? "No run went further, or longer, than predicted."
                     : "**Some runs went further, or longer, than predicted, or stopped of another cause.**");
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    std::vector<const FaultRow*> rows, drawn;
    for (const FaultRow& row : report.rows)
      if (index(row.axis) == a) rows.push_back(&row);
    if (rows.empty()) continue;
    const AxisInfo& info = rig.axes[a];
    const MotionLimits& full = rig.setup.axes[a].limits.full();
    fmt::format_to(out, "\n## {}\n\nFull speed {:g} {}/s, deceleration {:g} {}/s² with a jerk of {:g} {}/s³.\n",
                   cell(info.name), full.speed, info.unit, full.decel, info.unit, full.decel_jerk, info.unit);
    // What takes seconds to notice would make all else a dot.
    for (const FaultRow* row : rows)
      if (is_drawn(*row) && row->predicted.notice_s < 2) drawn.push_back(row);
    if (!drawn.empty()) {
      const Drawn picture = draw(rig, id_at<AxisId>(a), drawn);
      const std::string name = fmt::format("{}.{}.svg", stem, info.name);
      if (picture.why.empty()) {
        page.pictures.push_back({name, picture.picture});
        fmt::format_to(out, "\n![{}: predicted and measured](<{}>)\n", cell(info.name), name);
      } else {
        page.why = picture.why;
      }
    }
    fmt::format_to(out,
                   "\n| failure | noticed after | predicted | measured | share | stopped by |\n"
                   "| --- | --- | --- | --- | --- | --- |\n");
    for (const FaultRow* row : rows) write_row(out, rig, *row);
  }
  if (!report.untried.empty()) fmt::format_to(out, "\n## Not tried\n\n");
  for (const std::string& one : report.untried) fmt::format_to(out, "- {}\n", cell(one));
  return page;
}

}  // namespace gyrax
