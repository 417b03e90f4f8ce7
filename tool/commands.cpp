#include "commands.hpp"
#include "output.hpp"
#include "pieces.hpp"

#include <gyrax/files/json_text.hpp>
#include <gyrax/files/json_version.hpp>
#include <gyrax/files/text_file.hpp>
#include <gyrax/link/board.hpp>
#include <gyrax/logbook/export.hpp>
#include <gyrax/rehearsal/summary.hpp>
#include <gyrax/rig/differences.hpp>
#include <gyrax/rig/findings.hpp>
#include <gyrax/rig/review.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <charconv>
#include <filesystem>
#include <sstream>

namespace gyrax::tool {
namespace {

/// The demo's files: those of an installed tool, otherwise of the source tree that it was built in
/// (build/PRESET/tool/gyrax). None: empty.
std::filesystem::path demo_folder() {
  std::error_code ignored;
  std::filesystem::path above = std::filesystem::read_symlink("/proc/self/exe", ignored).parent_path().parent_path();
  if (const auto installed = above / "share" / "gyrax" / "demo"; std::filesystem::exists(installed, ignored))
    return installed;
  for (int up = 0; up < 3; ++up, above = above.parent_path())
    if (std::filesystem::exists(above / "demo" / "bench.toml", ignored)) return above / "demo";
  return {};
}

int tell_wiring(const Rig& rig) {
  const std::string list = wiring_list(rig);
  if (list.empty()) complain(fmt::format("{}: none of its links is a board, so there is nothing to wire", rig.path));
  put(list);
  return list.empty() ? wrong_input : Exit::done;
}

}  // namespace

void tell_worst(const Rig& rig) {
  for (const Finding& f : findings(rig))
    if (f.about->severity > Severity::doubtful) remark(sentence(f));
}

void remark(const std::string& text) { put_error(fmt::format("gyrax: {}\n", text)); }

void complain(const std::string& text) {
  remark(text);
  if (!json_is_due()) return;
  const nlohmann::ordered_json whole{{"gyrax_json", json_version}, {"good", false}, {"error", text}};
  put_json(dumped(whole, 2));
}

std::string problems_json(const FileError& error) {
  auto all = nlohmann::ordered_json::array();
  for (const Problem& p : error.problems())
    all.push_back({{"code", code_name(p.code)},
                   {"file", p.file},
                   {"line", p.line},
                   {"column", p.column},
                   {"key", p.key},
                   {"what", p.what},
                   {"allowed", p.allowed},
                   {"guess", p.guess}});
  const nlohmann::ordered_json whole{{"gyrax_json", json_version}, {"good", false}, {"problems", all}};
  return dumped(whole, 2);
}

/// A line of a file with a mark under a place in it; empty where that shows nothing.
std::string marked(const std::string& file, int at_line, int column) {
  if (at_line < 1 || column < 1) return {};
  const std::string text = read_text(file, max_rig).text;
  std::size_t begin = 0;
  for (int line = 1; line < at_line && begin != std::string::npos; ++line)
    if (begin = text.find('\n', begin); begin != std::string::npos) ++begin;
  if (begin == std::string::npos || begin >= text.size()) return {};
  std::string line = text.substr(begin, text.find('\n', begin) - begin);
  std::replace(line.begin(), line.end(), '\t', ' ');
  // Columns are bytes; what stands before the place is shown as far as it fits.
  std::size_t at = std::min(static_cast<std::size_t>(column) - 1, line.size());
  constexpr std::size_t most = 100;
  const std::size_t cut = at > most - 20 ? at - (most - 20) : 0;
  line = visible(line.substr(cut, most), true);
  const std::size_t before = width_of(visible(text.substr(begin + cut, at - cut), true));
  const std::string number = std::to_string(at_line);
  return fmt::format("  {} | {}{}\n  {} | {}{}^\n", number, cut > 0 ? "…" : "", line, std::string(number.size(), ' '),
                     cut > 0 ? " " : "", std::string(before, ' '));
}

int tell(const FileError& error, int otherwise) {
  if (json_is_due()) put_json(problems_json(error));
  for (const Problem& problem : error.problems()) {
    const bool shows = problem.code != Code::version_missing;
    print_error("{}\n{}", sentence(problem), shows ? marked(problem.file, problem.line, problem.column) : "");
  }
  const std::size_t count = error.problems().size();
  if (count > 1) print_error("{} problems\n", count);
  if (error.error() == std::errc::no_such_file_or_directory) return wrong_input;
  const bool world = error.error() == std::errc::permission_denied || error.error() == std::errc::io_error;
  if (error.error() && !world) return wrong_input;
  return world ? world_failed : otherwise;
}

/// "12:14.5" as seconds; nullopt if it is not that.
std::optional<PlotSpan> span_of(const std::string& text) {
  PlotSpan span;
  const char* end = text.data() + text.size();
  const auto first = std::from_chars(text.data(), end, span.from_s);
  if (first.ec != std::errc{} || first.ptr == end || *first.ptr != ':') return std::nullopt;
  const auto second = std::from_chars(first.ptr + 1, end, span.to_s);
  if (second.ec != std::errc{} || second.ptr != end || !(span.to_s > span.from_s)) return std::nullopt;
  return span;
}

void tell_summary(const Outputs& outputs, bool as_json, const std::string& told) {
  if (outputs.to_standard())
    put_error(told);
  else
    as_json ? put_json(told) : put(told);
}

int bad_span(const std::string& text) {
  complain(fmt::format("--span {}: FROM:TO in seconds is wanted, as 17:19.5", text));
  return wrong_input;
}

bool bad_axis(const Rig& rig, const std::string& name) {
  std::string all;
  for (const AxisInfo& axis : rig.axes) {
    if (axis.name == name) return false;
    all += (all.empty() ? "" : ", ") + axis.name;
  }
  if (!name.empty()) complain(fmt::format("--axis {}: the rig has no such axis; there are: {}", name, all));
  return !name.empty();
}

Rig fitted_with_warnings(const std::string& path, const Session& session) {
  Rig rig = load_rig(path);
  const std::size_t before = rig.remarks.size();
  rig = fit(std::move(rig), session.devices());
  for (std::size_t i = before; i < rig.remarks.size(); ++i) remark(rig.remarks[i]);
  tell_worst(rig);
  return rig;
}

/// The findings with their lines, the worst first.
std::string findings_text(const std::vector<Finding>& all) {
  std::string text = "\nFindings\n";
  if (all.empty()) text += "  none\n";
  for (const Finding& f : all) {
    text += fmt::format("  {}\n", heading(f));
    std::istringstream lines(marked(f.at.file, f.at.line, f.at.column));
    for (std::string line; std::getline(lines, line);) text += "  " + line + "\n";
    text += fmt::format("    {}\n    why: {}\n    instead: {}\n", f.what, f.about->why, f.instead);
  }
  return text;
}

/// What means something else in the second of two rigs, and what is found in it and not in the first.
void put_edit(const Rig& before, const Rig& after, std::vector<Finding> found, bool as_json) {
  const std::vector<std::string> all = differences(before, after);
  const std::vector<Finding> old = findings(before);
  std::erase_if(found, [&](const Finding& f) {
    return std::ranges::any_of(old, [&](const Finding& o) { return o.about == f.about && o.what == f.what; });
  });
  if (as_json) {
    nlohmann::ordered_json json{
        {"gyrax_json", json_version}, {"before", before.path}, {"after", after.path}, {"differences", all}};
    json["findings"] = nlohmann::ordered_json::array();
    for (const Finding& f : found) json["findings"].push_back(sentence(f));
    return put_json(json.dump(2) + "\n");
  }
  std::string text = fmt::format("{} → {}\n", before.path, after.path);
  for (const std::string& one : all) text += fmt::format("  {}\n", one);
  if (all.empty()) text += "  nothing means anything else\n";
  put(found.empty() ? text : text + findings_text(found));
}

int check(const CheckOptions& options) {
  try {
    const Rig rig = load_rig(options.edited.empty() ? options.rig : options.edited);
    if (options.wiring) return tell_wiring(rig);
    const std::vector<Finding> all = findings(rig);
    if (!options.edited.empty())
      put_edit(load_rig(options.rig), rig, all, options.json);
    else
      options.json ? put_json(review_json(rig)) : put(review_text(rig) + findings_text(all));
    const auto denied = [&](const Finding& f) {
      const auto least = severity_named(options.deny);
      return least && f.about->severity >= *least;
    };
    const auto count = std::count_if(all.begin(), all.end(), denied);
    if (count == 0) return Exit::done;
    print_error("{} finding{} {} denied\n", count, count == 1 ? "" : "s", count == 1 ? "is" : "are");
    return Exit::did_not_hold;
  } catch (const RigError& error) {
    return tell(error, did_not_hold);
  }
}

int rehearse(const RehearseOptions& options) {
  const auto span = span_of(options.span);
  if (!options.span.empty() && !span) return bad_span(options.span);
  try {
    const Session session = load_session(options.session);
    const Rig rig = fitted_with_warnings(options.rig, session);
    if (bad_axis(rig, options.axis) || !may_write(options.outputs, files_of(rig, &session))) return wrong_input;
    Exports exports(options.outputs, {span, options.axis}, rig);
    Summing summing(rig);
    std::vector<TickWatcher*> watchers(exports.watchers().begin(), exports.watchers().end());
    watchers.push_back(&summing);
    const Account account = gyrax::rehearse(rig, session, watchers);
    const Summary summary = summing.summary(session, account);
    tell_summary(options.outputs, options.json, options.json ? json(rig, summary) : text(rig, summary));
    // How fast it went is not part of the result: that is the same every time.
    print_error("\nRehearsed {:g} s in {:.1f} ms: {:.0f} times faster than real time.\n", summary.length_s,
                account.took_s * 1e3, summary.length_s / account.took_s);
    if (const int failed = exports.save(); failed != Exit::done) return failed;
    return summary.good() ? Exit::done : did_not_hold;
  } catch (const FileError& error) {
    return tell(error, wrong_input);
  }
}

int demo(const std::string& folder, bool replace) {
  if (folder == "-") {
    complain("--out -: the demo leaves several files; give a folder");
    return wrong_input;
  }
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  if (error) {
    complain(fmt::format("cannot make the folder '{}': {}", folder, error.message()));
    return world_failed;
  }
  const std::filesystem::path from = demo_folder(), to = folder;
  if (from.empty()) {
    complain("the demo's files are neither installed beside this program nor in a source tree above it");
    return world_failed;
  }
  RehearseOptions options;
  options.rig = (from / "bench.toml").string();
  options.session = (from / "session.toml").string();
  options.outputs = {(to / "signals.csv").string(), (to / "session.png").string(), replace};
  const int result = rehearse(options);
  if (result != Exit::done) return result;
  print("\nSignals: {}\nPlot:    {}\nThe rig: {}\n", options.outputs.csv, options.outputs.plot, options.rig);
  return result;
}

}  // namespace gyrax::tool
