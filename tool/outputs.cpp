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

namespace {

int tell_written(const std::string& path, const std::error_code& error) {
  if (error)
    complain(fmt::format("cannot write '{}': {}; check the folder and its permissions", path, error.message()));
  return error ? world_failed : Exit::done;
}

}  // namespace

int save_text(const std::string& path, const std::string& text) {
  if (path == "-") {
    put_bytes(text);
    return Exit::done;
  }
  return tell_written(path, write_text(path, text));
}

Exports::Exports(const Outputs& outputs, const PlotView& view, const Rig& rig) : outputs_(outputs) {
  if (!outputs.csv.empty()) {
    if (outputs.csv != "-") file_ = std::make_unique<NewText>(outputs.csv);
    table_ = std::make_unique<CsvTable>(rig, [this](std::string_view lines) {
      if (file_)
        file_->put(lines);
      else
        put_bytes(lines);
    });
    watchers_.push_back(table_.get());
  }
  if (outputs.plot.empty()) return;
  points_ = std::make_unique<PlotPoints>(rig, view);
  watchers_.push_back(points_.get());
}

int Exports::save() {
  int exit = Exit::done;
  if (table_) table_->end();
  if (file_) exit = tell_written(outputs_.csv, file_->finish());
  if (!points_) return exit;
  const Drawn drawn = points_->draw(plot_format(outputs_.plot).value_or(PlotFormat::png));
  if (drawn.why.empty()) return std::max(exit, save_text(outputs_.plot, drawn.picture));
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
