#include "outputs.hpp"

#include "commands.hpp"
#include "output.hpp"

#include <gyrax/files/text_file.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

namespace gyrax::tool {

bool may_write(const std::string& path, bool replace, const std::vector<std::string>& inputs) {
  if (path.empty() || path == "-") return true;
  const auto why = why_not_written(path, replace, inputs);
  if (why) complain(*why);
  return !why;
}

bool may_write(const Outputs& outputs, const std::vector<std::string>& inputs) {
  if (!outputs.plot.empty() && outputs.plot != "-" && !plot_format(outputs.plot)) {
    complain(fmt::format("--plot {}: the ending decides the format; take .png or .svg", outputs.plot));
    return false;
  }
  if (!outputs.csv.empty() && outputs.csv == outputs.plot) {
    complain(fmt::format("--csv and --plot both go to '{}'; two names are wanted", outputs.csv));
    return false;
  }
  return may_write(outputs.csv, outputs.replace, inputs) && may_write(outputs.plot, outputs.replace, inputs);
}

std::vector<std::string> files_of(const Rig& rig, const Session* session) {
  std::vector<std::string> files;
  for (const RigSource& source : rig.sources) files.push_back(source.path);
  if (session == nullptr) return files;
  files.push_back(session->path);
  for (const SessionHandset& handset : session->handsets) files.push_back(handset.track_path);
  return files;
}

int save_text(const std::string& path, const std::string& text) {
  if (path == "-") {
    put_bytes(text);
    return Exit::done;
  }
  const std::error_code error = write_text(path, text);
  if (error)
    complain(fmt::format("cannot write '{}': {}; check the folder and its permissions", path, error.message()));
  return error ? world_failed : Exit::done;
}

int save(const Outputs& outputs, const PlotView& view, const Rig& rig, const Rehearsal& done) {
  int exit = Exit::done;
  if (!outputs.csv.empty()) exit = std::max(exit, save_text(outputs.csv, to_csv(rig, done)));
  if (outputs.plot.empty()) return exit;
  const Drawn drawn = draw_plot(rig, done, plot_format(outputs.plot).value_or(PlotFormat::png), view);
  if (drawn.why.empty()) return std::max(exit, save_text(outputs.plot, drawn.picture));
  complain(drawn.why);
  return world_failed;
}

std::string free_stem(const std::string& name, const std::vector<std::string>& handsets) {
  const auto taken = [&](const std::string& stem) {
    std::error_code ignored;
    return std::filesystem::exists(stem + ".toml", ignored) ||
           std::any_of(handsets.begin(), handsets.end(), [&](const std::string& handset) {
             return std::filesystem::exists(fmt::format("{}-{}.evemu", stem, handset), ignored);
           });
  };
  std::string stem = name;
  for (int number = 2; taken(stem); ++number) stem = fmt::format("{}-{}", name, number);
  return stem;
}

}  // namespace gyrax::tool
