// bring-up: one axis at a time, slowly, with a person's enable: does it move, and which way? A servo's ends and centre
// are taught, and kept in the rig.
#include "board_asker.hpp"
#include "commands.hpp"
#include "input_lines.hpp"
#include "onlookers.hpp"
#include "output.hpp"
#include "reporter.hpp"
#include "signals.hpp"

#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/live.hpp>
#include <gyrax/link/board.hpp>
#include <gyrax/link/board_ear.hpp>
#include <gyrax/link/link.hpp>
#include <gyrax/live/hands.hpp>
#include <gyrax/live/runner.hpp>
#include <gyrax/rig/bring_up.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/format.h>

#include <poll.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <memory>
#include <optional>
#include <thread>
#include <utility>

namespace gyrax::tool {
namespace {

constexpr int look_ms = 20;
constexpr Span survey_within = std::chrono::seconds(3);
constexpr Span still_for = std::chrono::milliseconds(300);

/// store: the next axis, once the far end keeps what was taught of this one.
enum class Next { axis, store, quit, failed };

/// Asks until it holds, or too long. False: it does not.
template <class Holds>
bool ask_until(BoardAsker& board, Holds holds) {
  const BootClock clock;
  const Time begin = clock.now();
  for (Time now = begin; !holds(board.asks()) && now - begin < survey_within; now = clock.now()) {
    board.turn(now);
    ::poll(nullptr, 0, 1);
  }
  return holds(board.asks());
}

/// Opens its wire and asks for every channel; complains where there is no answer.
bool answers(BoardAsker& board, const LinkInfo& link) {
  board.open();
  if (ask_until(board, [](const BoardSurvey& asks) { return asks.rounds() > 0; })) return true;
  const std::string why = board.trouble();
  complain(fmt::format("link {}: {} {}", link.name, board.place().words(),
                       why.empty() ? "is open, and nobody answers" : why));
  return false;
}

/// The bindings of a rig that are of use here: "stick.left.x jogs lamp_tilt".
std::string keys_of(const Rig& rig) {
  std::string words;
  for (const BindingInfo& binding : rig.bindings) words += fmt::format("  {}\n", binding.sentence);
  return words;
}

/// One axis, live, while a person types what to keep.
class OneAxis {
 public:
  OneAxis(const BringUpOptions& options, const Rig& rig, AxisId axis, Rig alone, const Session* played)
      : options_(options), rig_(rig), axis_(axis), alone_(std::move(alone)), reporter_(plain_reporter()) {
    const std::string& name = rig.axes[index(axis)].name;
    for (std::size_t a = 0; a < alone_.axes.size(); ++a)
      if (alone_.axes[a].name == name) here_ = id_at<AxisId>(a);
    servo_ = std::get_if<ServoMap>(&alone_.setup.axes[index(here_)].drive);
    if (played != nullptr) {
      alone_ = fit(std::move(alone_), played->devices());
      servo_ = std::get_if<ServoMap>(&alone_.setup.axes[index(here_)].drive);
      hands_ = std::make_unique<PlayedHands>(*played, alone_);
    } else {
      handsets_ = std::make_unique<LiveHandsets>(Seats(alone_.seats), clock_);
      hands_ = std::make_unique<DeviceHands>(*handsets_);
    }
    onlookers_ = std::make_unique<Onlookers>(alone_);
    links_ = std::make_unique<RigLinks>(alone_);
    Runner::Options runner;
    runner.real_time = options.real_time;
    runner_ = std::make_unique<Runner>(alone_, *hands_, *links_, clock_, runner);
    engine_ = std::thread([this] { runner_->run(); });
  }
  ~OneAxis() { end(); }
  OneAxis(const OneAxis&) = delete;
  OneAxis& operator=(const OneAxis&) = delete;

  Next run(InputLines& lines, Signals& signals) {
    print("{}\n", keys_of(alone_));
    print("{}\n", help());
    std::optional<Next> next;
    while (!next) {
      pollfd waits[2] = {{lines.descriptor(), POLLIN, 0}, {signals.descriptor(), POLLIN, 0}};
      ::poll(waits, 2, look_ms);
      for (int signal = signals.next(); signal != 0; signal = signals.next())
        if (signal != SIGTSTP) next = Next::quit;
      look();
      for (const std::string& line : lines.next())
        if (!next) next = take(line);
      if (!next && (lines.descriptor() < 0 || over())) next = Next::quit;
      if (output_failed()) next = Next::failed;
    }
    end();
    return *next;
  }

 private:
  bool over() const { return options_.for_s > 0 && to_seconds(clock_.now()) >= options_.for_s; }
  const std::string& name() const { return rig_.axes[index(axis_)].name; }
  std::string help() const {
    return servo_ != nullptr ? "Type low, centre or high to keep where it is now; undo; other (way); then keep, "
                               "store (keep, in its board as well), drop or quit."
                             : "Type other where it runs the other way; undo; then keep, drop or quit.";
  }

  /// The others get no power here.
  bool is_of_another(const std::string& words) const {
    return words.find(" has had no pulse yet") != std::string::npos &&
           words.find(name() + " on channel") == std::string::npos;
  }

  void look() {
    const RunView& view = runner_->look();
    while (const auto words = links_->said())
      if (!is_of_another(*words)) reporter_->note(clock_.now(), *words);
    onlookers_->look(to_seconds(clock_.now()),
                     [this](LinkId link, Passed& passed) { return links_->passed(link, passed); });
    if (view.ticks == 0) return;
    const std::uint64_t kept = std::min<std::uint64_t>(view.events_so_far, RunView::kept_events);
    for (told_ = std::max(told_, view.events_so_far - kept); told_ < view.events_so_far; ++told_) {
      const Event& event = view.events[told_ % RunView::kept_events];
      if (!is_said_by_state(event)) reporter_->event(alone_, event);
    }
    const AxisView& axis = view.axes[index(here_)];
    if (!(axis.why == why_)) reporter_->axis(alone_, here_, view);
    why_ = axis.why;
    tell_place(axis);
  }

  /// Where it came to rest, once it has been there for a moment.
  void tell_place(const AxisView& axis) {
    at_ = axis.command.p;
    powered_ = axis.command.mode != Mode::off;
    if (axis.command.v != 0 || !powered_) {
      moved_ = clock_.now();
      was_moving_ = was_moving_ || axis.command.v != 0;
      return;
    }
    if (!was_moving_ || clock_.now() - moved_ < still_for) return;
    was_moving_ = false;
    reporter_->note(clock_.now(), fmt::format("{} is at {}", name(), place_words()));
  }
  std::string place_words() const {
    const std::string place = fmt::format("{:.6g} {}", at_, rig_.axes[index(axis_)].unit);
    return servo_ == nullptr ? place : fmt::format("{} µs ({})", servo_->pulse_us(at_), place);
  }

  void say(const std::string& words) { reporter_->note(clock_.now(), words); }

  std::optional<Next> take(const std::string& line) {
    const auto is = [&](const char* word) { return !line.empty() && std::string_view(word).starts_with(line); };
    if (line.empty()) {
      say(fmt::format("{} is at {}", name(), place_words()));
    } else if (servo_ != nullptr && (is("low") || is("centre") || is("high"))) {
      teach(line.front());
    } else if (is("other")) {
      before_.push_back({taught_, turned_});
      turned_ = !turned_;
      say(turned_ ? "kept: the other way round" : "kept: the way that it is");
    } else if (is("undo")) {
      undo();
    } else if (is("keep")) {
      return keep();
    } else if (servo_ != nullptr && is("store")) {
      if (rig_.links[index(rig_.setup.axes[index(axis_)].wiring.link)].kind != "board")
        say("its far end keeps nothing; keep writes it into the rig");
      else if (keep() == Next::axis)
        return Next::store;
    } else if (is("drop")) {
      say("nothing of it is kept");
      return Next::axis;
    } else if (is("quit")) {
      return Next::quit;
    } else {
      say(fmt::format("there is no '{}'. {}", line, help()));
    }
    return std::nullopt;
  }

  void teach(char what) {
    if (!powered_) return say("it has no power, so nobody sees where it is; make it ready first");
    before_.push_back({taught_, turned_});
    const int us = servo_->pulse_us(at_);
    (what == 'l' ? taught_.low_us : what == 'h' ? taught_.high_us : taught_.centre_us) = us;
    say(fmt::format("{} is {} µs", what == 'l' ? "low" : what == 'h' ? "high" : "centre", us));
  }

  void undo() {
    if (before_.empty()) return say("there is nothing to undo");
    std::tie(taught_, turned_) = before_.back();
    before_.pop_back();
    const auto words = [](const std::optional<int>& us) { return us ? fmt::format("{} µs", *us) : std::string("–"); };
    say(servo_ == nullptr ? "undone"
                          : fmt::format("undone: low {}, centre {}, high {}", words(taught_.low_us),
                                        words(taught_.centre_us), words(taught_.high_us)));
  }

  std::optional<Next> keep() {
    if (!taught_.any() && !turned_) {
      say("nothing was changed");
      return Next::axis;
    }
    try {
      // Of both the second sees what the first has changed.
      Rig rig = rig_;
      std::vector<std::string> says;
      const auto change = [&](const RigEdit& edit) {
        for (RigSource& source : rig.sources)
          if (source.path == edit.path) source.text = edit.text;
        rig = parse_rig(rig.sources);
        says.insert(says.end(), edit.says.begin(), edit.says.end());
        edited_ = edit;
      };
      if (taught_.any()) change(with_servo(rig, axis_, taught_));
      if (turned_) change(with_other_way(rig, axis_));
      const std::string path = options_.out.empty() ? edited_.path : options_.out;
      if (const std::error_code failed = write_text(path, edited_.text)) {
        say(fmt::format("{} cannot be written: {}", path, failed.message()));
        return std::nullopt;
      }
      for (const std::string& one : says) say(one);
      say(says.empty() ? "it was so already" : fmt::format("written: {}", path));
      return Next::axis;
    } catch (const std::runtime_error& error) {
      say(fmt::format("not written: {}", error.what()));
      return std::nullopt;
    }
  }

  void end() {
    if (!engine_.joinable()) return;
    runner_->end();
    engine_.join();
    look();
  }

  const BringUpOptions& options_;
  const Rig& rig_;
  AxisId axis_, here_{};
  Rig alone_;
  const ServoMap* servo_ = nullptr;
  BootClock clock_;
  std::unique_ptr<Reporter> reporter_;
  std::unique_ptr<LiveHandsets> handsets_;
  std::unique_ptr<Hands> hands_;
  std::unique_ptr<Onlookers> onlookers_;
  std::unique_ptr<RigLinks> links_;
  std::unique_ptr<Runner> runner_;
  std::thread engine_;
  Taught taught_;
  bool turned_ = false, powered_ = false, was_moving_ = false;
  std::vector<std::pair<Taught, bool>> before_;
  RigEdit edited_;
  double at_ = 0;
  Time moved_{};
  AxisStatus why_{};
  std::uint64_t told_ = 0;
};

/// What its far end allows, where it is a servo. False: it could not be asked.
bool ask_far_end(const Rig& rig, AxisId axis, std::optional<PulseRange>& allowed) {
  const AxisSetup& setup = rig.setup.axes[index(axis)];
  const auto* servo = std::get_if<ServoMap>(&setup.drive);
  const LinkInfo& link = rig.links[index(setup.wiring.link)];
  if (servo != nullptr) allowed = PulseRange{servo->low_us(), servo->high_us()};
  if (link.kind != "board") return true;
  BoardAsker board(link);
  if (!answers(board, link)) return false;
  const std::uint8_t number = link.axis_channels[setup.wiring.channel].number;
  const std::vector<FarChannel>& channels = board.seen().channels;
  const auto channel = std::ranges::find(channels, number, &FarChannel::number);
  if (servo == nullptr || channel == channels.end()) return true;
  allowed = PulseRange{std::max(ServoMap::min_us, static_cast<int>(std::ceil(channel->low))),
                       std::min(ServoMap::max_us, static_cast<int>(std::floor(channel->high)))};
  print("channel {} of {} (\"{}\"), which takes {} to {} µs\n", number, link.name, channel->pin, allowed->first,
        allowed->second);
  if ((channel->status & wire::known) == 0)
    print("It has had no pulse yet: when you make it ready it goes to {} µs at once, as fast as it can.\n",
          servo->pulse_us(setup.start));
  return true;
}

/// The servo's ends as the rig has them now, for the board to keep beyond its next power-up.
void store_ends(const Rig& rig, AxisId axis) {
  const AxisSetup& setup = rig.setup.axes[index(axis)];
  const LinkInfo& link = rig.links[index(setup.wiring.link)];
  const auto& servo = std::get<ServoMap>(setup.drive);
  BoardAsker board(link);
  if (!answers(board, link)) return;
  const std::uint8_t number = link.axis_channels[setup.wiring.channel].number;
  constexpr int q8 = 256;
  board.asks().store(number, servo.low_us() * q8, servo.high_us() * q8);
  const bool answered = ask_until(board, [](const BoardSurvey& asks) { return asks.stored().has_value(); });
  const std::string why = answered ? *board.asks().stored() : "it does not answer";
  if (why.empty())
    print("channel {} of {} keeps {} to {} µs by itself, beyond its next power-up\n", number, link.name, servo.low_us(),
          servo.high_us());
  else
    complain(fmt::format("channel {} of {} does not keep its ends: {}", number, link.name, why));
}

int bring_up_all(const BringUpOptions& options) {
  Rig rig = load_rig(options.rig);
  std::optional<Session> played;
  if (!options.hands.empty()) played = load_session(options.hands);
  if (!options.axis.empty() && bad_axis(rig, options.axis)) return wrong_input;
  if (!options.out.empty() && rig.sources.size() > 1) {
    complain("--out: this rig has several files; leave it out, and the one with the axis is changed");
    return wrong_input;
  }
  Signals signals;
  InputLines lines;
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const std::string name = rig.axes[a].name;
    if (!options.axis.empty() && name != options.axis) continue;
    print("\n{} of {}: {}\n", a + 1, rig.axes.size(), name);
    std::optional<PulseRange> allowed;
    if (!ask_far_end(rig, id_at<AxisId>(a), allowed)) return world_failed;
    const Next next = OneAxis(options, rig, id_at<AxisId>(a), bring_up_rig(rig, id_at<AxisId>(a), allowed),
                              played ? &*played : nullptr)
                          .run(lines, signals);
    if (next == Next::store) store_ends(load_rig(options.out.empty() ? options.rig : options.out), id_at<AxisId>(a));
    if (next == Next::quit) return Exit::done;
    if (next == Next::failed) return world_failed;
    // The next axis is told by what was kept of this one.
    if (options.out.empty()) rig = load_rig(options.rig);
  }
  return Exit::done;
}

}  // namespace

int bring_up(const BringUpOptions& options) {
  try {
    return bring_up_all(options);
  } catch (const FileError& error) {
    return tell(error, wrong_input);
  } catch (const std::runtime_error& error) {
    complain(error.what());
    return world_failed;
  }
}

}  // namespace gyrax::tool
