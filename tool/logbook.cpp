// logbook: what a run did, whether it comes out the same again, and its signals for other programs.
#include "commands.hpp"
#include "output.hpp"

#include <gyrax/files/json_text.hpp>
#include <gyrax/files/json_version.hpp>
#include <gyrax/logbook/replay.hpp>
#include <gyrax/logbook/shelf.hpp>
#include <gyrax/logbook/writer.hpp>
#include <gyrax/rehearsal/summary.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace gyrax::tool {
namespace {

int list_logbooks(bool as_json) {
  const std::string folder = default_logbook_folder();
  const std::vector<Shelved> found = shelved(folder);
  if (as_json) {
    nlohmann::ordered_json all{{"gyrax_json", json_version}, {"logbooks", nlohmann::ordered_json::array()}};
    for (const Shelved& one : found)
      all["logbooks"].push_back({{"path", one.path},
                                 {"bytes", one.bytes},
                                 {"end", one.written ? "being written" : name_of(one.last.end)},
                                 {"tripped", one.last.label.tripped}});
    put_json(dumped(all, 2));
    return Exit::done;
  }
  if (found.empty()) print("No run has left a logbook in {} yet; `gyrax run RIG` does.\n", folder);
  for (const Shelved& one : found)
    print("{:>12} bytes  {:<13}  {:<7}  {}\n", one.bytes, one.written ? "being written" : name_of(one.last.end),
          one.last.label.tripped ? "tripped" : "", one.path);
  return Exit::done;
}

std::string rest_of(const Replayed& done) {
  std::string all;
  for (const std::string& note : done.notes) all += fmt::format("  {}\n", note);
  return all;
}

std::string verdict(const Replayed& done) {
  if (!done.replays) return "not replayed: it does not begin with its run; this is what it says came out";
  if (!done.same) return "REPLAYED OTHERWISE: " + done.difference;
  return fmt::format("replayed: all {} ticks came out the same, to the last bit", done.ticks);
}

/// The worst of what there is to say.
int exit_of(const Replayed& done) {
  if (!done.same && !done.other_build) return did_not_hold;
  if (done.end != LogEnd::complete) return done.end == LogEnd::damaged ? is_damaged : is_cut_off;
  return done.same ? Exit::done : other_binary;
}

/// Of a file that cannot be read at all.
int exit_of(const FileError& error) {
  const Code code = error.problems().empty() ? Code::unreadable : error.problems().front().code;
  return code == Code::damaged ? is_damaged : code == Code::cut_off ? is_cut_off : wrong_input;
}

}  // namespace

int logbook(const LogbookOptions& options) {
  const auto span = span_of(options.span);
  if (!options.span.empty() && !span) return bad_span(options.span);
  try {
    if (options.file.empty()) return list_logbooks(options.json);
    if (!may_write(options.outputs, {options.file})) return wrong_input;
    Replay replay(options.file);
    const Rig& rig = replay.rig();
    if (bad_axis(rig, options.axis)) return wrong_input;
    Exports exports(options.outputs, {std::nullopt, options.axis}, rig);
    Summing summing(rig);
    std::vector<TickWatcher*> watchers(exports.watchers().begin(), exports.watchers().end());
    watchers.push_back(&summing);
    const Replayed done = replay.run(watchers, span);
    if (done.shown == 0) {
      std::string why =
          span ? fmt::format(" from {:g} to {:g} s; it has {:.3f} s", span->from_s, span->to_s, done.length_s) : "";
      for (const std::string& note : done.notes) why += "; " + note;
      complain(fmt::format("{}: no tick to show{}", options.file, why));
      const int exit = exit_of(done);
      return exit == Exit::done ? wrong_input : exit;
    }
    const Summary summary = summing.summary(replay.session(), done);
    if (options.json) {
      auto all = nlohmann::ordered_json::parse(json(rig, summary));
      all["replay"] = {{"end", name_of(done.end)}, {"replayed", done.replays},      {"other_binary", done.other_build},
                       {"same", done.same},        {"difference", done.difference}, {"ticks", done.ticks},
                       {"notes", done.notes}};
      tell_summary(options.outputs, true, all.dump(2));
    } else {
      tell_summary(options.outputs, false,
                   fmt::format("{}\nThe logbook: {}{}\n{}  {}\n", text(rig, summary), name_of(done.end),
                               done.other_build ? ", of another binary" : "", rest_of(done), verdict(done)));
    }
    print_error("\n{} {:.3f} s in {:.1f} ms: {:.0f} times faster than real time; {:.1f} MB an hour.\n",
                done.replays ? "Replayed" : "Read", done.length_s, done.took_s * 1e3, done.length_s / done.took_s,
                static_cast<double>(done.bytes) / done.written_s * 3600 / 1e6);
    if (const int failed = exports.save(); failed != Exit::done) return failed;
    return exit_of(done);
  } catch (const FileError& error) {
    return tell(error, exit_of(error));
  } catch (const std::exception& error) {
    complain(error.what());
    return world_failed;
  }
}

}  // namespace gyrax::tool
