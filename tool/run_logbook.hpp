// The logbook of a run: where it goes, what goes for it, and what there is to say of it meanwhile.
#pragma once

#include "commands.hpp"

#include <gyrax/logbook/writer.hpp>

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <system_error>
#include <vector>

namespace gyrax::tool {

/// A path as people write it: ~ for their home.
std::string from_home(const std::string& path);

class RunLogbook {
 public:
  /// One in a file; without keep_log the last minute alone. `device`: as in LogbookWriter. Errors: std::runtime_error.
  RunLogbook(const LiveOptions& options, const Rig& rig, std::function<Device(std::size_t)> device);

  LogbookWriter& writer() { return *writer_; }
  /// Empty where only the last minute is kept.
  const std::string& path() const { return path_; }
  /// What has changed since the last look, as sentences; and old ones go while this one grows.
  std::vector<std::string> look(double now_s);
  /// Nothing where only the last minute is kept.
  std::optional<LogbookWriter::Closed> close(const std::string& account);

 private:
  void clear_shelf();
  void open(const LogbookWriter::Options& options);

  const LiveOptions& options_;
  const Rig& rig_;
  std::string path_;
  std::unique_ptr<LogbookWriter> writer_;
  std::error_code told_trouble_;
  std::size_t told_written_ = 0;
  double cleared_at_s_ = 0;
};

}  // namespace gyrax::tool
