// logbook: what a run did, whether it comes out the same again, and its signals for other programs.
#include "commands.hpp"
#include "output.hpp"

#include <gyrax/files/json_version.hpp>
#include <gyrax/logbook/replay.hpp>
#include <gyrax/logbook/writer.hpp>
#include <gyrax/rehearsal/summary.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <filesystem>
#include <map>

namespace gyrax::tool {
namespace {

namespace fs = std::filesystem;

int list_logbooks(bool as_json) {
  const fs::path folder = fs::path(default_logbook_path()).parent_path();
  std::map<std::string, std::uintmax_t> found;
  for (const auto& entry : fs::directory_iterator(folder))
    if (entry.path().extension() == ".jsonl") found[entry.path().string()] = entry.file_size();
  if (as_json) {
    nlohmann::ordered_json all{{"gyrax_json", json_version}, {"logbooks", nlohmann::ordered_json::array()}};
    for (const auto& [path, size] : found) all["logbooks"].push_back({{"path", path}, {"bytes", size}});
    put_json(all.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace));
    return Exit::done;
  }
  if (found.empty()) print("No run has left a logbook in {} yet; `gyrax run RIG` does.\n", folder.string());
  for (const auto& [path, size] : found) print("{:>12} bytes  {}\n", size, path);
  return Exit::done;
}

std::string rest_of(const Replay& replay) {
  std::string all;
  for (const std::string& note : replay.notes) all += fmt::format("  {}\n", note);
  return all;
}

}  // namespace

int logbook(const LogbookOptions& options) {
  const auto span = span_of(options.span);
  if (!options.span.empty() && !span) return bad_span(options.span);
  try {
    if (options.file.empty()) return list_logbooks(options.json);
    if (!may_write(options.outputs, {options.file})) return wrong_input;
    const Replay replay = gyrax::replay(options.file, span);
    if (replay.done.trace.ticks == 0) {
      std::string why =
          span ? fmt::format(" from {:g} to {:g} s; it has {:.3f} s", span->from_s, span->to_s, replay.length_s) : "";
      for (const std::string& note : replay.notes) why += "; " + note;
      complain(fmt::format("{}: no tick to show{}", options.file, why));
      return wrong_input;
    }
    if (bad_axis(replay.rig, options.axis)) return wrong_input;
    const Summary summary = summarise(replay.rig, replay.session, replay.done);
    if (options.json) {
      auto all = nlohmann::ordered_json::parse(json(replay.rig, summary));
      all["replay"] = {
          {"same", replay.same}, {"difference", replay.difference}, {"ticks", replay.ticks}, {"notes", replay.notes}};
      tell_summary(options.outputs, true, all.dump(2));
    } else {
      tell_summary(options.outputs, false,
                   fmt::format("{}\nThe logbook\n{}  {}\n", text(replay.rig, summary), rest_of(replay),
                               replay.same ? fmt::format("replayed: all {} ticks came out the same, to the last bit",
                                                         replay.ticks)
                                           : "REPLAYED OTHERWISE: " + replay.difference));
    }
    print_error("\nReplayed {:.3f} s in {:.1f} ms: {:.0f} times faster than real time; {:.1f} MB an hour.\n",
                replay.length_s, replay.took_s * 1e3, replay.length_s / replay.took_s,
                static_cast<double>(replay.bytes) / replay.length_s * 3600 / 1e6);
    if (const int failed = save(options.outputs, {std::nullopt, options.axis}, replay.rig, replay.done);
        failed != Exit::done)
      return failed;
    return replay.same ? Exit::done : did_not_hold;
  } catch (const FileError& error) {
    return tell(error, wrong_input);
  } catch (const std::exception& error) {
    complain(error.what());
    return world_failed;
  }
}

}  // namespace gyrax::tool
