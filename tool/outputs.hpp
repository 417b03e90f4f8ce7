// What a verb leaves in files: one rule for all of them. `-` is standard output; what is there already is not replaced
// without --replace; nothing that is read is written; all this is found out before the work.
#pragma once

#include <gyrax/files/text_file.hpp>
#include <gyrax/logbook/export.hpp>

#include <memory>
#include <span>
#include <string>
#include <vector>

namespace gyrax::tool {

struct Outputs {
  std::string csv, plot;  ///< where to; empty: not
  bool replace = false;
  /// One of them takes standard output: then what is told goes to standard error.
  bool to_standard() const { return csv == "-" || plot == "-"; }
};

/// Whether it can be written later; if not, it is told why.
bool may_write(const std::string& path, bool replace, const std::vector<std::string>& inputs);
bool may_write(const Outputs& outputs, const std::vector<std::string>& inputs);
/// The files that a rig and a session were read from.
std::vector<std::string> files_of(const Rig& rig, const Session* session = nullptr);

/// The table and the picture that were asked for: the one is written while the ticks come, the other afterwards.
class Exports {
 public:
  /// `outputs` and `rig` have to last as long.
  Exports(const Outputs& outputs, const PlotView& view, const Rig& rig);
  /// They have to see every tick.
  std::span<TickWatcher* const> watchers() const { return watchers_; }
  /// After the last tick; without it nothing is left behind. An exit code.
  int save();

 private:
  const Outputs& outputs_;
  std::unique_ptr<NewText> file_;
  std::unique_ptr<CsvTable> table_;
  std::unique_ptr<PlotPoints> points_;
  std::vector<TickWatcher*> watchers_;
};
int save_text(const std::string& path, const std::string& text);

/// The first of NAME, NAME-2, NAME-3 … under which no session and no track is there yet.
std::string free_stem(const std::string& name, const std::vector<std::string>& handsets);

}  // namespace gyrax::tool
