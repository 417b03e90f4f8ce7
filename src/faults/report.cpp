#include <gyrax/faults/faults.hpp>
#include <gyrax/files/json_version.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <set>

namespace gyrax {
namespace {

using Out = std::back_insert_iterator<std::string>;

/// "13.4 mm  155 ms"; of a motor, which has no place, the time alone.
std::string reach(const Rig& rig, const FaultRow& row, double way, double time_s) {
  const std::string time = !std::isfinite(time_s) ? "for ever"
                           : time_s >= 10         ? fmt::format("{:.1f} s ", time_s)
                                                  : fmt::format("{:.0f} ms", time_s * 1e3);
  if (row.only_time) return fmt::format("{:>20}", time);
  return fmt::format("{:>8.1f} {:<4}{:>7}", way, rig.axes[index(row.axis)].unit, time);
}

std::string how(const FaultRow& row) {
  std::string text = row.moment;
  if (row.cause == Cause::none && row.predicted.cause == Cause::handset_steady)
    text += "; its end of travel came first";
  if (row.cause != Cause::none) text += fmt::format("{}{}", text.empty() ? "" : "; ", about(row.cause).name);
  if (row.share() < 0.8 && !row.remark.empty()) text += fmt::format("; {}", row.remark);
  return text;
}

void write_row(Out out, const Rig& rig, const FaultRow& row) {
  const bool nothing = row.forbids_motion();
  const std::string share = nothing ? "" : fmt::format("{:.0f} %", row.share() * 100);
  const std::string mark = row.holds() ? "" : row.beyond > 0 ? "  BEYOND" : "  UNEXPECTED: " + row.unexpected_words;
  if (row.goes_on()) {
    fmt::format_to(out, "  {:<39}{}   goes on as if nothing were\n", row.sentence,
                   reach(rig, row, row.predicted.way(), row.predicted.time_s()));
    return;
  }
  fmt::format_to(
      out, "  {:<39}{}  {}{:>7}  {}{}\n", row.sentence,
      nothing ? fmt::format("{:>20}", "no motion") : reach(rig, row, row.predicted.way(), row.predicted.time_s()),
      reach(rig, row, row.way, row.time_s), share, how(row), mark);
}

}  // namespace

std::string text(const Rig& rig, const FaultsReport& report, bool all) {
  std::string text;
  const Out out = std::back_inserter(text);
  fmt::format_to(out, "{}: {} runs on the simulated machine, each failure at its worst moments\n",
                 rig.title.empty() ? rig.path : rig.title, report.runs);
  if (report.rows.empty() && report.untried.empty())
    return text + "\nNothing moves any axis here, or none can fail like that\n";
  std::size_t left_out = 0, close = 0, counted = 0;
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    std::set<std::string> told;
    bool headed = false;
    for (const FaultRow& row : report.rows) {
      if (index(row.axis) != a) continue;
      if (row.is_measured()) {
        ++counted;
        close += row.share() >= 0.8 ? 1 : 0;
      }
      if (!all && row.holds() && !told.insert(row.side).second) {
        ++left_out;
        continue;
      }
      if (!std::exchange(headed, true))
        fmt::format_to(out, "\n{:<41}{:>20}  {:>20}{:>7}  {}\n", rig.axes[a].name, "predicted", "measured", "",
                       "worst");
      write_row(out, rig, row);
    }
  }
  if (!report.untried.empty()) fmt::format_to(out, "\nNot tried\n");
  for (const std::string& one : report.untried) fmt::format_to(out, "  {}\n", one);
  fmt::format_to(out, "\n");
  if (left_out > 0) fmt::format_to(out, "{} further rows: --all\n", left_out);
  fmt::format_to(out, "{} of {} rows measured within 80 and 100 % of what was predicted\n", close, counted);
  const auto broken = std::ranges::count_if(report.rows, [](const FaultRow& row) { return !row.holds(); });
  if (broken > 0)
    fmt::format_to(out, "{} of {} rows did not hold\n", broken, report.rows.size());
  else
    fmt::format_to(out, "No run went further, or longer, than predicted\n");
  return text;
}

std::string json(const Rig& rig, const FaultsReport& report) {
  using Json = nlohmann::ordered_json;
  Json all;
  all["gyrax_json"] = json_version;
  all["rig"] = rig.title.empty() ? rig.path : rig.title;
  all["holds"] = report.holds();
  all["runs"] = report.runs;
  all["faults"] = Json::array();
  for (const FaultRow& row : report.rows)
    all["faults"].push_back({{"axis", rig.axes[index(row.axis)].name},
                             {"failure", row.failure},
                             {"side", row.side},
                             {"says", row.sentence},
                             {"predicted", row.predicted.way()},
                             {"predicted_s", row.predicted.time_s()},
                             {"measured", row.way},
                             {"measured_s", row.time_s},
                             {"share", row.share()},
                             {"cause", about(row.cause).name},
                             {"moment", row.moment},
                             {"motion", row.motion},
                             {"runs", row.runs},
                             {"holds", row.holds()}});
  all["untried"] = report.untried;
  return all.dump(2) + "\n";
}

}  // namespace gyrax
