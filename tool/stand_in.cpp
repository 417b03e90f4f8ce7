#include "commands.hpp"
#include "input_lines.hpp"
#include "output.hpp"
#include "signals.hpp"

#include <gyrax/handset/session.hpp>
#include <gyrax/link/controller_stand_in.hpp>
#include <gyrax/link/drive_stand_in.hpp>
#include <gyrax/link/stand_in.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <optional>

namespace gyrax::tool {
namespace {

/// The rig's link of a kind that is meant; complains where that is not plain. `what`: "board".
std::optional<LinkId> link_of(const Rig& rig, const StandInOptions& options, const std::string& kind,
                              const std::string& what) {
  std::vector<std::string> all, wires;
  std::optional<LinkId> found;
  for (std::size_t l = 0; l < rig.links.size(); ++l) {
    if (rig.links[l].kind != kind) continue;
    all.push_back(rig.links[l].name);
    // Drives on one wire are one stand-in.
    const std::string wire = kind == "modbus" ? wire_place(rig.links[l]).words() : rig.links[l].name;
    if (std::ranges::count(wires, wire) == 0) wires.push_back(wire);
    if (options.link.empty() || options.link == rig.links[l].name) found = id_at<LinkId>(l);
  }
  if (all.empty())
    complain(fmt::format("{}: no link of it is of the kind \"{}\"", options.rig, kind));
  else if (options.link.empty() && wires.size() > 1)
    complain(fmt::format("{}: several links are {}s; say which with --link: {}", options.rig, what, listed(all)));
  else if (!found)
    complain(fmt::format("--link {}: there is no such {}; there are: {}", options.link, what, listed(all)));
  return wires.size() > 1 && options.link.empty() ? std::nullopt : found;
}

/// The rig's handset that is meant; complains where that is not plain.
std::optional<std::size_t> handset_of(const Rig& rig, const StandInOptions& options) {
  std::vector<std::string> wired;
  std::optional<std::size_t> found;
  for (std::size_t h = 0; h < rig.seats.size(); ++h) {
    if (!rig.seats[h].wire) continue;
    wired.push_back(rig.handsets[h]);
    if (options.handset.empty() || options.handset == rig.handsets[h]) found = h;
  }
  if (wired.empty())
    complain(fmt::format("{}: no handset of it hangs on a wire: wire = {{ serial = \"…\" }}", options.rig));
  else if (options.handset.empty() && wired.size() > 1)
    complain(
        fmt::format("{}: several handsets hang on wires; say which with --handset: {}", options.rig, listed(wired)));
  else if (!found)
    complain(
        fmt::format("--handset {}: no such handset hangs on a wire; there are: {}", options.handset, listed(wired)));
  return wired.size() > 1 && options.handset.empty() ? std::nullopt : found;
}

/// A far end that serves its wire until it is told to quit.
class Served {
 public:
  Served(PlayedFarEnd& far_end, const StandInOptions& options) : options_(options), far_end_(far_end) {}

  int run() {
    Signals signals;
    while (!done_ && !(options_.for_s > 0 && seconds() >= options_.for_s)) {
      far_end_.run(std::chrono::milliseconds(20), lines_.descriptor());
      for (const std::string& line : lines_.next()) take(line);
      for (const std::string& line : far_end_.seen()) tell(line);
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
    if (const std::string moved = far_end_.moved(); !moved.empty()) tell(moved);
  }
  void take(const std::string& line) {
    if (line == "quit") {
      done_ = true;
    } else if (const std::string wrong = line.empty() ? "" : far_end_.take(line); !wrong.empty()) {
      complain(wrong);
    }
  }

  const StandInOptions& options_;
  PlayedFarEnd& far_end_;
  InputLines lines_;
  std::chrono::steady_clock::time_point began_ = std::chrono::steady_clock::now();
  double told_at_ = 0;
  bool done_ = false;
};

/// The options of the other kind say nothing here.
bool fits(const StandInOptions& options) {
  const bool is_handset = options.kind == "handset";
  const char* const wrong =
      is_handset && !options.link.empty()     ? "--link is for a far end of a link; a handset is chosen with --handset"
      : is_handset && options.session.empty() ? "a handset plays a recording: gyrax stand-in handset RIG SESSION"
      : !is_handset && !options.session.empty() ? "only a handset plays a recording; gyrax run takes one with --hands"
      : !is_handset && !options.handset.empty()
          ? "--handset is for a handset; a far end of a link is chosen with --link"
          : nullptr;
  if (wrong != nullptr) complain(wrong);
  return wrong == nullptr;
}

int be_board(const Rig& rig, const StandInOptions& options) {
  const auto link = link_of(rig, options, "board", "board");
  if (!link) return wrong_input;
  StandIn board(rig, *link);
  return Served(board, options).run();
}

int be_drive(const Rig& rig, const StandInOptions& options) {
  const auto link = link_of(rig, options, "modbus", "drive");
  if (!link) return wrong_input;
  DriveStandIn drive(rig, *link);
  return Served(drive, options).run();
}

int be_controller(const Rig& rig, const StandInOptions& options) {
  const auto link = link_of(rig, options, "controller", "controller");
  if (!link) return wrong_input;
  ControllerStandIn controller(rig, *link);
  return Served(controller, options).run();
}

int be_handset(const Rig& rig, const StandInOptions& options) {
  const auto handset = handset_of(rig, options);
  if (!handset) return wrong_input;
  const Session session = load_session(options.session);
  const std::string& name = rig.handsets[*handset];
  const auto played = std::ranges::find(session.handsets, name, &SessionHandset::name);
  if (played == session.handsets.end()) {
    complain(
        fmt::format("{}: it has no handset '{}', which is what {} has on a wire", options.session, name, options.rig));
    return wrong_input;
  }
  HandsetStandIn board(played->track, *rig.seats[*handset].wire);
  return Served(board, options).run();
}

}  // namespace

int stand_in(const StandInOptions& options) {
  if (!fits(options)) return wrong_input;
  try {
    const Rig rig = load_rig(options.rig);
    return options.kind == "handset"      ? be_handset(rig, options)
           : options.kind == "drive"      ? be_drive(rig, options)
           : options.kind == "controller" ? be_controller(rig, options)
                                          : be_board(rig, options);
  } catch (const FileError& error) {
    return tell(error, wrong_input);
  } catch (const std::runtime_error& error) {
    complain(error.what());
    return world_failed;
  }
}

}  // namespace gyrax::tool
