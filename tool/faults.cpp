#include "commands.hpp"
#include "output.hpp"

#include <gyrax/faults/campaign.hpp>
#include <gyrax/faults/page.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <optional>
#include <tuple>

namespace gyrax::tool {
namespace {

bool bad_failure(const std::string& code) {
  const std::vector<AboutFailure> all = about_failures();
  if (code.empty() || std::ranges::any_of(all, [&](const AboutFailure& one) { return one.code == code; })) return false;
  std::vector<std::string> codes;
  for (const AboutFailure& one : all) codes.emplace_back(one.code);
  const std::string near = nearest(code, codes);
  complain(fmt::format("--failure {}: there is no such failure; {}", code,
                       near.empty() ? "there are: " + listed(codes) : fmt::format("did you mean '{}'?", near)));
  return true;
}

/// What did not hold; otherwise what went farthest, but for what takes seconds until anybody notices.
const FaultRow* worst_of(const FaultsReport& report) {
  const FaultRow* worst = nullptr;
  const auto rank = [](const FaultRow& row) {
    return std::tuple(!row.holds(), row.predicted.notice_s < 2, row.only_time ? row.time_s : row.way);
  };
  for (const FaultRow& row : report.rows)
    if (!row.moment.empty() && (worst == nullptr || rank(row) > rank(*worst))) worst = &row;
  return worst;
}

int save_plot(const Rig& rig, const FaultsReport& report, const FaultsOptions& options) {
  const FaultRow* const worst = worst_of(report);
  if (worst == nullptr) {
    complain("--plot: nothing moved, so that there is nothing to draw");
    return did_not_hold;
  }
  FaultReplay run = replay(rig, *worst);
  const std::string& axis = rig.axes[index(worst->axis)].name;
  const std::string reach = worst->only_time ? fmt::format("{:.0f} ms, predicted {:.0f}", worst->time_s * 1e3,
                                                           worst->predicted.time_s() * 1e3)
                                             : fmt::format("{:.1f} {}, predicted {:.1f}", worst->way,
                                                           rig.axes[index(worst->axis)].unit, worst->predicted.way());
  run.rig.title = fmt::format("{}: {}, {}, at {:.2f} s; {}", axis, worst->sentence, worst->moment, run.failed_s, reach);
  const PlotFormat format = plot_format(options.plot).value_or(PlotFormat::png);
  const Drawn drawn = draw_plot(run.rig, run.done, format, {PlotSpan{run.from_s, run.to_s}, axis});
  if (drawn.why.empty()) return save_text(options.plot, drawn.picture);
  complain(drawn.why);
  return world_failed;
}

int save_page(const Rig& rig, const FaultsReport& report, const FaultsOptions& options,
              const std::vector<std::string>& inputs) {
  const std::filesystem::path path = options.page;
  const StopsPage page = stops_page(rig, report, path.stem().string());
  for (const PagePicture& picture : page.pictures)
    if (!may_write((path.parent_path() / picture.name).string(), options.replace, inputs)) return wrong_input;
  int exit = save_text(options.page, page.text);
  for (const PagePicture& picture : page.pictures)
    exit = std::max(exit, save_text((path.parent_path() / picture.name).string(), picture.svg));
  if (!page.why.empty()) complain(page.why);
  return page.why.empty() ? exit : world_failed;
}

}  // namespace

int faults(const FaultsOptions& options) {
  try {
    const Rig rig = load_rig(options.rig);
    tell_worst(rig);
    const std::vector<std::string> inputs = files_of(rig);
    if (options.campaign > 0) {
      const CampaignReport report = campaign(rig, options.campaign, options.seed);
      options.json ? put_json(json(rig, report, options.seed)) : put(text(rig, report, options.seed));
      return report.violations == 0 ? Exit::done : did_not_hold;
    }
    if (bad_axis(rig, options.axis) || bad_failure(options.failure)) return wrong_input;
    if (!may_write(Outputs{"", options.plot, options.replace}, inputs)) return wrong_input;
    if (options.page == "-") {
      complain("--page -: the page comes with pictures beside it; give a file");
      return wrong_input;
    }
    if (!options.page.empty() && !may_write(options.page, options.replace, inputs)) return wrong_input;
    const FaultsReport report = provoke(rig, {options.axis, options.failure});
    const bool all = options.all || !options.failure.empty();
    tell_summary(Outputs{"", options.plot, options.replace}, options.json,
                 options.json ? json(rig, report) : text(rig, report, all));
    int exit = report.holds() ? Exit::done : did_not_hold;
    if (!options.plot.empty()) exit = std::max(exit, save_plot(rig, report, options));
    if (!options.page.empty()) exit = std::max(exit, save_page(rig, report, options, inputs));
    return exit;
  } catch (const FileError& error) {
    return tell(error, wrong_input);
  }
}

}  // namespace gyrax::tool
