#include "run_logbook.hpp"

#include <gyrax/logbook/shelf.hpp>

#include <fmt/format.h>

#include <cstdlib>
#include <stdexcept>
#include <utility>

namespace gyrax::tool {

std::string from_home(const std::string& path) {
  const char* const home = std::getenv("HOME");
  const std::string prefix = home == nullptr || *home == '\0' ? "" : std::string(home) + "/";
  return !prefix.empty() && path.starts_with(prefix) ? "~/" + path.substr(prefix.size()) : path;
}

RunLogbook::RunLogbook(const LiveOptions& options, const Rig& rig, std::function<Device(std::size_t)> device)
    : options_(options), rig_(rig) {
  LogbookWriter::Options how;
  how.replace = options.replace;
  how.device = std::move(device);
  if (!options.keep_log) {
    LastMinute last;
    last.path = [] { return default_logbook_path("trip"); };
    writer_ = std::make_unique<LogbookWriter>(rig, std::move(last), how);
    return;
  }
  clear_shelf();
  open(how);
}

/// Where it was told, or under the first name that no other run takes in the same moment.
void RunLogbook::open(const LogbookWriter::Options& how) {
  while (!writer_) {
    path_ = options_.logbook.empty() ? default_logbook_path() : options_.logbook;
    try {
      writer_ = std::make_unique<LogbookWriter>(rig_, path_, how);
    } catch (const std::system_error& error) {
      if (options_.logbook.empty() && error.code() == std::errc::file_exists) continue;
      throw std::runtime_error(
          fmt::format("{}; another place with --logbook, or none with --no-logbook", error.what()));
    }
  }
}

/// Only of the usual folder the oldest go.
void RunLogbook::clear_shelf() {
  if (!options_.keep_log || !options_.logbook.empty()) return;
  ShelfBounds bounds{rig_.keep_logbooks, static_cast<std::uint64_t>(rig_.keep_logbooks_mb * 1e6)};
  if (options_.keep > 0) bounds.files = options_.keep;
  if (options_.keep_mb > 0) bounds.bytes = static_cast<std::uint64_t>(options_.keep_mb * 1e6);
  // At the start there is one more to come.
  if (!writer_) --bounds.files;
  const std::string folder = default_logbook_folder();
  const std::size_t gone = gyrax::clear_shelf(folder, bounds).size();
  if (gone > 0)
    remark(fmt::format("{} old logbook{} in {} made room for new ones", gone, gone == 1 ? "" : "s", from_home(folder)));
}

std::vector<std::string> RunLogbook::look(double now_s) {
  std::vector<std::string> all;
  if (const std::error_code trouble = writer_->trouble(); trouble != told_trouble_) {
    told_trouble_ = trouble;
    all.push_back(trouble ? fmt::format("the logbook cannot be written: {}; what happens now waits in memory, then it "
                                        "is lost",
                                        trouble.message())
                          : fmt::format("the logbook is written again; {} records lost", writer_->lost()));
  }
  const std::vector<std::string> written = writer_->written();
  for (; told_written_ < written.size(); ++told_written_)
    all.push_back(fmt::format("a zone tripped: the last minute is in {}", from_home(written[told_written_])));
  constexpr double clear_every_s = 60;
  if (now_s > cleared_at_s_ + clear_every_s) {
    clear_shelf();
    cleared_at_s_ = now_s;
  }
  return all;
}

std::optional<LogbookWriter::Closed> RunLogbook::close(const std::string& account) {
  const LogbookWriter::Closed closed = writer_->close(account);
  return options_.keep_log ? std::optional(closed) : std::nullopt;
}

}  // namespace gyrax::tool
