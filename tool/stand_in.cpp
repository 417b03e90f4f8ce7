#include "commands.hpp"
#include "input_lines.hpp"
#include "output.hpp"
#include "signals.hpp"

#include <gyrax/link/stand_in.hpp>

#include <fmt/format.h>

#include <chrono>
#include <optional>

namespace gyrax::tool {
namespace {

/// The rig's board that is meant; complains where that is not plain.
std::optional<LinkId> board_of(const Rig& rig, const StandInOptions& options) {
  std::vector<std::string> boards;
  std::optional<LinkId> found;
  for (std::size_t l = 0; l < rig.links.size(); ++l) {
    if (rig.links[l].kind != "board") continue;
    boards.push_back(rig.links[l].name);
    if (options.link.empty() || options.link == rig.links[l].name) found = id_at<LinkId>(l);
  }
  if (boards.empty())
    complain(fmt::format("{}: no link of it is of the kind \"board\"", options.rig));
  else if (options.link.empty() && boards.size() > 1)
    complain(fmt::format("{}: several links are boards; say which with --link: {}", options.rig, listed(boards)));
  else if (!found)
    complain(fmt::format("--link {}: there is no such board; there are: {}", options.link, listed(boards)));
  return boards.size() > 1 && options.link.empty() ? std::nullopt : found;
}

class Session {
 public:
  Session(const Rig& rig, LinkId link, const StandInOptions& options) : options_(options), board_(rig, link) {}

  int run() {
    Signals signals;
    while (!done_ && !(options_.for_s > 0 && seconds() >= options_.for_s)) {
      board_.run(std::chrono::milliseconds(20), lines_.descriptor());
      for (const std::string& line : lines_.next()) take(line);
      for (const std::string& line : board_.seen()) tell(line);
      if (seconds() - told_at_ >= options_.every_s) tell_positions();
      for (int signal = signals.next(); signal != 0; signal = signals.next()) done_ = done_ || signal != SIGTSTP;
      if (output_failed()) return world_failed;
    }
    tell_positions();
    return Exit::done;
  }

 private:
  double seconds() const { return std::chrono::duration<double>(std::chrono::steady_clock::now() - began_).count(); }
  void tell(const std::string& line) { put(fmt::format("{:8.3f} s  {}\n", seconds(), line)); }
  void tell_positions() {
    told_at_ = seconds();
    if (const std::string moved = board_.moved(); !moved.empty()) tell(moved);
  }
  void take(const std::string& line) {
    if (line == "quit") {
      done_ = true;
    } else if (const std::string wrong = line.empty() ? "" : board_.take(line); !wrong.empty()) {
      complain(wrong);
    }
  }

  const StandInOptions& options_;
  StandIn board_;
  InputLines lines_;
  std::chrono::steady_clock::time_point began_ = std::chrono::steady_clock::now();
  double told_at_ = 0;
  bool done_ = false;
};

}  // namespace

int stand_in(const StandInOptions& options) {
  try {
    const Rig rig = load_rig(options.rig);
    const auto link = board_of(rig, options);
    return link ? Session(rig, *link, options).run() : wrong_input;
  } catch (const FileError& error) {
    return tell(error, wrong_input);
  } catch (const std::runtime_error& error) {
    complain(error.what());
    return world_failed;
  }
}

}  // namespace gyrax::tool
