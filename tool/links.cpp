#include "board_asker.hpp"
#include "commands.hpp"
#include "controllers.hpp"
#include "drives.hpp"
#include "onlookers.hpp"
#include "output.hpp"
#include "signals.hpp"

#include <gyrax/files/json_text.hpp>
#include <gyrax/link/board.hpp>
#include <gyrax/link/board_ear.hpp>
#include <gyrax/threads/boot_clock.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <poll.h>

#include <algorithm>
#include <iterator>
#include <memory>
#include <optional>

namespace gyrax::tool {
namespace {

using Json = nlohmann::ordered_json;

constexpr double usual_wait_s = 3;
constexpr std::uint64_t enough_rounds = 3;
constexpr int turn_ms = 1;

// ---- In words ----

double number(const Json& json, const char* key) { return json.at(key).get<double>(); }
std::string text(const Json& json, const char* key) { return json.at(key).get<std::string>(); }

bool is_input(const Json& channel) {
  const std::string kind = text(channel, "kind");
  return kind.ends_with("input") || kind == "encoder";
}

/// Of the two columns that names of the board and its kinds stand in.
struct Widths {
  std::size_t kind = 8, pin = 10;
};
Widths widths_of(const Json& channels) {
  Widths widths;
  for (const Json& channel : channels) {
    widths.kind = std::max(widths.kind, text(channel, "kind").size() + 1);
    widths.pin = std::max(widths.pin, text(channel, "pin").size() + 1);
  }
  return widths;
}

std::string channel_row(const Json& channel, const Widths& widths) {
  const std::string unit = text(channel, "unit"), space = unit.empty() ? "" : " ";
  const auto most = [&](const char* key, const char* per) {
    const double value = number(channel, key);
    return value == 0 ? "not limited" : fmt::format("{:.6g}{}{}/{}", value, space, unit, per);
  };
  const std::string ends =
      fmt::format("{:.6g} … {:.6g}{}{}", number(channel, "low"), number(channel, "high"), space, unit);
  const bool input = is_input(channel);
  return fmt::format("        {:>2}  {:<{}}{:<{}}{:<14}{:<26}{:<20}{}\n", channel.at("channel").get<int>(),
                     text(channel, "kind"), widths.kind, text(channel, "pin"), widths.pin, text(channel, "drives"),
                     ends, input ? "" : most("speed", "s"), input ? "" : text(channel, "lost"));
}

void print_state(const Json& state) {
  const int pid = state.at("pid").get<int>();
  print("{}  board at address {}, {}\n", text(state, "link"), state.at("address").get<int>(), text(state, "wire"));
  if (pid != 0) print("        run by process {} with {}; it goes on undisturbed\n", pid, text(state, "rig"));
  if (!state.at("answers").get<bool>()) {
    print("        nobody answers\n");
    return;
  }
  print("        \"{}\": version {} of the frames, {} bytes at most; {} channels\n", text(state, "board"),
        state.at("version").get<int>(), state.at("longest_frame").get<int>(), state.at("channel_count").get<int>());
  print("        answers after {:.1f} ms: {:.1f} to {:.1f}, of {} times\n", number(state, "round_trip_ms"),
        number(state, "shortest_ms"), number(state, "longest_ms"), state.at("round_trips").get<std::uint64_t>());
  const double capacity = number(state, "bytes_per_s"), there = number(state, "sent_per_s"),
               back = number(state, "heard_per_s");
  if (there > 0 || back > 0)
    print("        {:.0f} bytes a second there, {:.0f} back{}\n", there, back,
          capacity > 0 ? fmt::format(": {:.0f} and {:.0f} % of the wire", there / capacity * 100, back / capacity * 100)
                       : "");
  print("        {} frames sent, {} heard; lost there {}, spoiled there {}, late {}, refused {}; spoiled here {}\n",
        state.at("sent").get<std::uint64_t>(), state.at("heard").get<std::uint64_t>(),
        state.at("lost_there").get<std::uint64_t>(), state.at("bad_there").get<std::uint64_t>(),
        state.at("late_there").get<std::uint64_t>(), state.at("refused_there").get<std::uint64_t>(),
        state.at("bad_here").get<std::uint64_t>());
  const Widths widths = widths_of(state.at("channels"));
  const bool any_output = !std::ranges::all_of(state.at("channels"), is_input);
  print("        {:>2}  {:<{}}{:<{}}{:<14}{:<26}{:<20}{}\n", "ch", "kind", widths.kind, "pin", widths.pin, "drives",
        "ends", any_output ? "speed" : "", any_output ? "when it hears nothing" : "");
  for (const Json& channel : state.at("channels")) put(channel_row(channel, widths));
}

void print_frame(const Json& frame) {
  print("{:10.4f} s  {:<8} {}  {:<8} {:>5}  {}\n", number(frame, "t"), text(frame, "link"),
        frame.at("to_board").get<bool>() ? "->" : "<-", text(frame, "frame"), frame.at("sequence").get<int>(),
        text(frame, "says"));
}

/// A line of either side, as it was asked for.
void tell_line(const Json& json, const LinksOptions& options) {
  if (options.json) {
    put_json(dumped(json));
  } else if (json.contains("frame")) {
    print_frame(json);
  } else if (json.contains("left_out")) {
    print("          … {} frames left out: this terminal is slower than the wire\n",
          json.at("left_out").get<std::uint64_t>());
  } else {
    print_state(json);
  }
}

// ---- Where it comes from ----

class Source {
 public:
  virtual ~Source() = default;
  /// Hears and asks what is due; tells each frame, where that is wanted.
  virtual void turn(Time now, const LinksOptions& options) = 0;
  /// Whether there is a state that says something.
  virtual bool is_known() const = 0;
  virtual void tell_state(Time now, const LinksOptions& options) = 0;
  virtual bool answers() const = 0;
  virtual bool ended() const { return false; }
  /// Why there is no answer, said of the wire: "cannot be opened: …".
  virtual std::string trouble() const { return {}; }
};

/// A program that has the wire.
class Asked final : public Source {
 public:
  explicit Asked(OtherProgram other) : other_(std::move(other)) {}
  void turn(Time, const LinksOptions& options) override {
    for (const std::string& line : other_.lines()) {
      Json json = Json::parse(line, nullptr, false);
      if (json.is_discarded()) continue;
      if (json.contains("frame") || json.contains("left_out"))
        tell_line(json, options);
      else
        state_ = std::move(json);
    }
  }
  bool is_known() const override { return state_.has_value(); }
  void tell_state(Time, const LinksOptions& options) override {
    if (state_) tell_line(*state_, options);
  }
  bool answers() const override { return state_ && state_->at("answers").get<bool>(); }
  bool ended() const override { return other_.ended(); }
  std::string trouble() const override {
    if (state_ || other_.ended()) return {};
    return fmt::format("is process {}'s, which does not answer; is it suspended?", other_.pid());
  }

 private:
  OtherProgram other_;
  std::optional<Json> state_;
};

/// The wire itself, asked here.
class Surveyed final : public Source {
 public:
  /// `before`: on the same wire, and asked first; may be none.
  Surveyed(const Rig& rig, LinkId link, Surveyed* before)
      : rig_(rig), link_(link), board_(rig.links[index(link)]), before_(before) {}
  void turn(Time now, const LinksOptions& options) override {
    if (!begins(now)) return;
    board_.turn(now, [&](const BoardEar::Heard& heard) {
      if (options.print)
        tell_line(frame_json(rig_.links[index(link_)].name, to_seconds(heard.passed.at), heard), options);
    });
  }
  bool shares_wire_with(const LinkInfo& other) const { return board_.place().words() == wire_place(other).words(); }
  bool is_known() const override { return board_.asks().rounds() >= enough_rounds; }
  void tell_state(Time now, const LinksOptions& options) override {
    tell_line(wire_json({rig_, link_, board_.seen(), to_seconds(now), 0}), options);
  }
  bool answers() const override { return !board_.seen().name.empty(); }
  std::string trouble() const override { return board_.trouble(); }

 private:
  /// Whether it has the wire now.
  bool begins(Time now) {
    if (board_.has_wire()) return true;
    if (has_been_asked_ || (before_ != nullptr && !before_->has_finished(now))) return false;
    if (before_ != nullptr) before_->board_.close();
    has_been_asked_ = true;
    board_.open();
    began_ = now;
    return true;
  }
  bool has_finished(Time now) const {
    constexpr Span turn_of_one = std::chrono::milliseconds(900);
    return board_.has_wire() && (is_known() || now - began_ > turn_of_one);
  }

  const Rig& rig_;
  LinkId link_;
  BoardAsker board_;
  Surveyed* before_;
  bool has_been_asked_ = false;
  Time began_{};
};

/// Handsets on wires are far ends as well: here each is a link of its handset's name.
Rig with_handsets(Rig rig) {
  for (const SeatWish& seat : rig.seats) {
    if (!seat.wire) continue;
    LinkInfo link{
        .name = seat.handset,
        .kind = "board",
        .numbers = {{"baud", seat.wire->wire.baud}, {"address", seat.wire->address}},
        .texts = {{"serial", seat.wire->wire.serial}, {"tcp", seat.wire->wire.tcp}, {"udp", seat.wire->wire.udp}},
        .origin = {},
        .axis_channels = {},
        .switch_channels = {},
        .loads = {}};
    rig.links.push_back(with_usual(std::move(link), "board"));
  }
  return rig;
}

/// The links that are meant: boards, then drives and controllers; complains where there are none.
std::vector<LinkId> links_of(const Rig& rig, const LinksOptions& options) {
  std::vector<LinkId> wired = wired_links(rig);
  // A drive has neither frames nor lines.
  if (!options.print)
    for (const LinkId drive : wired_links(rig, "modbus")) wired.push_back(drive);
  for (const LinkId controller : wired_links(rig, "controller")) wired.push_back(controller);
  std::vector<std::string> names;
  for (const LinkId link : wired) names.push_back(rig.links[index(link)].name);
  if (wired.empty())
    complain(options.print
                 ? fmt::format(
                       "{}: --print shows the frames of boards and handsets, and the lines of controllers; it has none",
                       rig.path)
                 : fmt::format("{}: none of its links and handsets hangs on a wire of its own", rig.path));
  if (options.link.empty() || wired.empty()) return wired;
  std::erase_if(wired, [&](LinkId link) { return rig.links[index(link)].name != options.link; });
  if (wired.empty())
    complain(fmt::format("--link {}: no link of that name has a wire; there are: {}", options.link, listed(names)));
  return wired;
}

class Session {
 public:
  Session(const Rig& rig, const std::vector<LinkId>& links, const LinksOptions& options)
      : rig_(rig), links_(links), options_(options) {
    std::vector<Surveyed*> asked;
    for (const LinkId link : links) {
      if (auto other = OtherProgram::of(rig.links[index(link)], options.print))
        sources_.push_back(std::make_unique<Asked>(std::move(*other)));
      else {
        const auto same = std::ranges::find_if(asked.rbegin(), asked.rend(), [&](const Surveyed* one) {
          return one->shares_wire_with(rig.links[index(link)]);
        });
        auto source = std::make_unique<Surveyed>(rig, link, same == asked.rend() ? nullptr : *same);
        asked.push_back(source.get());
        sources_.push_back(std::move(source));
      }
    }
  }

  int run() {
    const double longest_s = options_.for_s > 0 ? options_.for_s : options_.print ? 0 : usual_wait_s;
    while (!done_) {
      const Time now = clock_.now();
      for (const auto& source : sources_) source->turn(now, options_);
      const bool all_known = std::ranges::all_of(sources_, &Source::is_known);
      const bool all_ended = std::ranges::all_of(sources_, &Source::ended);
      done_ = (!options_.print && all_known) || all_ended || (longest_s > 0 && to_seconds(now) >= longest_s);
      for (int signal = signals_.next(); signal != 0; signal = signals_.next()) done_ = done_ || signal != SIGTSTP;
      if (output_failed()) return world_failed;
      if (!done_) ::poll(nullptr, 0, turn_ms);
    }
    return tell_end();
  }

 private:
  int tell_end() {
    bool all_answer = true;
    for (std::size_t i = 0; i < sources_.size(); ++i) {
      Source& source = *sources_[i];
      if (source.is_known() || !source.ended()) source.tell_state(clock_.now(), options_);
      if (const std::string why = source.trouble(); !why.empty()) {
        const LinkInfo& link = rig_.links[index(links_[i])];
        complain(fmt::format("link {}: {} {}", link.name, wire_place(link).words(), why));
      }
      all_answer = all_answer && source.answers();
    }
    return all_answer ? Exit::done : world_failed;
  }

  const Rig& rig_;
  const std::vector<LinkId>& links_;
  const LinksOptions& options_;
  Signals signals_;
  BootClock clock_;
  std::vector<std::unique_ptr<Source>> sources_;
  bool done_ = false;
};

}  // namespace

int links(const LinksOptions& options) {
  try {
    const Rig rig = with_handsets(load_rig(options.rig));
    std::vector<LinkId> all = links_of(rig, options);
    if (all.empty()) return wrong_input;
    const auto kind_of = [&](LinkId link) -> const std::string& { return rig.links[index(link)].kind; };
    if (options.print && kind_of(all.front()) == "controller") {
      if (all.size() == 1) return talk_to_controller(rig, all.front(), options.for_s);
      std::vector<std::string> names;
      for (const LinkId link : all) names.push_back(rig.links[index(link)].name);
      complain(fmt::format("a dialogue is with one controller; say which with --link: {}", listed(names)));
      return wrong_input;
    }
    // Beside boards, whose frames are shown, a controller is left out: it is a dialogue, and chosen by its name.
    if (options.print) std::erase_if(all, [&](LinkId link) { return kind_of(link) == "controller"; });
    std::vector<LinkId> boards;
    std::ranges::copy_if(all, std::back_inserter(boards), [&](LinkId link) { return kind_of(link) == "board"; });
    int exit = boards.empty() ? Exit::done : Session(rig, boards, options).run();
    const double wait_s = options.for_s > 0 ? options.for_s : usual_wait_s;
    for (const LinkId link : all) {
      if (kind_of(link) == "modbus" && !ask_drive(rig, link, wait_s, options.json)) exit = world_failed;
      if (kind_of(link) == "controller" && !ask_controller(rig, link, wait_s, options.json)) exit = world_failed;
    }
    return exit;
  } catch (const FileError& error) {
    return tell(error, wrong_input);
  } catch (const std::runtime_error& error) {
    complain(error.what());
    return world_failed;
  }
}

}  // namespace gyrax::tool
