// watch and run: hands, an engine in its own thread, and a view of both.
#include "commands.hpp"
#include "input_lines.hpp"
#include "onlookers.hpp"
#include "output.hpp"
#include "reporter.hpp"
#include "run_logbook.hpp"
#include "screen.hpp"
#include "signals.hpp"
#include "terminal.hpp"

#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/plugged.hpp>
#include <gyrax/handset/reading_thread.hpp>
#include <gyrax/link/link.hpp>
#include <gyrax/link/simulated.hpp>
#include <gyrax/rehearsal/player.hpp>
#include <gyrax/rig/remembered.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <poll.h>
#include <unistd.h>
#include <algorithm>
#include <csignal>
#include <filesystem>
#include <memory>
#include <optional>
#include <thread>
#include <utility>

namespace gyrax::tool {
namespace {

constexpr int frame_ms = 50;
constexpr std::size_t max_remembered = 1u << 16;

/// One live session of the tool, from its first frame to its end.
class Live {
 public:
  Live(const LiveOptions& options, std::optional<Rig> rig, std::optional<Session> played)
      : options_(options), rig_(std::move(rig)), played_(std::move(played)) {
    screen_ = !options.plain && !options.json && !options.typed;
    if (screen_) {
      const std::string why_not = Terminal::why_not();
      screen_ = why_not.empty();
      if (why_not.size() > 1) remark(why_not + "; lines are told instead, as with --plain");
    }
    reporter_ = options.json ? json_reporter() : screen_ ? screen_reporter() : plain_reporter();
    if (!played_) handsets_ = std::make_unique<LiveHandsets>(rig_ ? Seats(rig_->seats) : open_seats(), clock_);
    if (rig_ && options_.verb == LiveVerb::run) take_remembered();
    // Before the engine: a terminal that fails does so while nothing moves.
    if (screen_) terminal_ = std::make_unique<Terminal>();
    output_ = std::make_unique<OutputThread>();
    if (rig_) {
      start_engine();
    } else if (handsets_) {
      reading_ = std::make_unique<ReadingThread>(*handsets_);
    }
    reporter_->started(rig_ ? &*rig_ : nullptr, log_ ? log_->path() : std::string());
    if (!options.record.empty()) toggle_recording();
  }
  ~Live() {
    if (engine_.joinable()) {
      runner_->end();
      engine_.join();
    }
  }
  Live(const Live&) = delete;
  Live& operator=(const Live&) = delete;

  int run(Signals& signals) {
    while (!done_) {
      pollfd wait[3] = {{signals.descriptor(), POLLIN, 0},
                        {terminal_ ? terminal_->keys_descriptor() : -1, POLLIN, 0},
                        {takes_lines() ? lines_.descriptor() : -1, POLLIN, 0}};
      ::poll(wait, 3, frame_ms);
      for (int signal = signals.next(); signal != 0; signal = signals.next()) take_signal(signal);
      if (over()) ask_to_end("its time was over");
      keys();
      if (takes_lines())
        for (const std::string& line : lines_.next()) type(line);
      look();
      if (suspending_ && (!runner_ || view_->resting)) suspend();
      frame();
    }
    return finish();
  }

 private:
  /// The numbers that the last run ended with, where the rig wants that.
  void take_remembered() {
    if (!remembers(*rig_)) return;
    remembered_at_ = remembered_path(rig_->path);
    remembered_ = read_text(remembered_at_, max_remembered).text;
    const std::size_t before = rig_->remarks.size();
    rig_ = with_remembered(std::move(*rig_), remembered_);
    for (std::size_t i = before; i < rig_->remarks.size(); ++i) remark(rig_->remarks[i]);
    places_ = rig_->left_at;
    places_.resize(rig_->axes.size());
    had_power_.resize(rig_->axes.size());
  }

  /// Kept as soon as it changes: a crash forgets nothing.
  void remember() {
    if (remembered_at_.empty() || view_ == nullptr || view_->ticks == 0) return;
    for (std::size_t a = 0; a < places_.size(); ++a) {
      const AxisCommand& command = view_->axes[a].command;
      const bool has_power = command.mode != Mode::off;
      if (has_power)
        places_[a].reset();
      else if (had_power_[a])
        places_[a] = command.p;
      had_power_[a] = has_power;
    }
    std::string now = remembered_text(*rig_, view_->overrides, view_->increments, places_, view_->zeros);
    if (now == remembered_) return;
    std::error_code failed;
    std::filesystem::create_directories(std::filesystem::path(remembered_at_).parent_path(), failed);
    if (!failed) failed = write_text(remembered_at_, now);
    if (failed) {
      note(fmt::format("cannot remember the overrides and increments in {}: {}", remembered_at_, failed.message()));
      remembered_at_.clear();
    }
    remembered_ = std::move(now);
  }

  void start_engine() {
    if (options_.verb == LiveVerb::run) {
      onlookers_ = std::make_unique<Onlookers>(*rig_);
      if (!onlookers_->trouble().empty()) remark("nobody can look on at the wires: " + onlookers_->trouble());
      links_ = std::make_unique<RigLinks>(*rig_);
      log_ = std::make_unique<RunLogbook>(options_, *rig_, [this](std::size_t number) {
        return real() != nullptr ? real()->device(number) : Device{};
      });
    } else {
      // No machine moves, whatever the rig's links lead to.
      simulated_ = std::make_unique<SimulatedLinks>(*rig_);
    }
    Runner::Options runner;
    runner.log = log_ ? &log_->writer() : nullptr;
    runner.real_time = options_.real_time;
    if (const double end = end_s(); end > 0) runner.end_at = Time{from_seconds(end)};
    // The engine's zero is its own start: a recording's hands begin with it.
    if (played_) clock_ = BootClock();
    take_hands();
    runner_ = std::make_unique<Runner>(*rig_, *hands_, machines(), clock_, runner);
    engine_ = std::thread([this] { runner_->run(); });
  }

  Machines& machines() { return links_ ? static_cast<Machines&>(*links_) : *simulated_; }

  /// What the far ends say, and whether they are there.
  void look_at_links() {
    if (!links_) return;
    while (const auto words = links_->said()) note(*words);
    onlookers_->look(to_seconds(clock_.now()),
                     [this](LinkId link, Passed& passed) { return links_->passed(link, passed); });
  }

  /// What its disk says, as soon as it says it.
  void look_at_logbook() {
    if (!log_) return;
    for (const std::string& said : log_->look(to_seconds(clock_.now()))) note(said);
  }

  /// Real handsets; or a recording's, which a real one can stop, where there may be any.
  void take_hands() {
    if (!played_) {
      hands_ = std::make_unique<DeviceHands>(*handsets_);
      return;
    }
    try {
      beside_ = std::make_unique<LiveHandsets>(Seats(rig_->seats), clock_);
    } catch (const std::runtime_error& error) {
      remark(fmt::format("no real handset can stop the recording: {}", error.what()));
      hands_ = std::make_unique<PlayedHands>(*played_, *rig_);
      return;
    }
    real_hands_ = std::make_unique<DeviceHands>(*beside_);
    auto supervised = std::make_unique<SupervisedHands>(*played_, *rig_, *real_hands_);
    supervised_ = supervised.get();
    hands_ = std::move(supervised);
  }

  Seats open_seats() const {
    std::vector<WiredPlace> wires;
    if (!options_.wire.empty()) wires.push_back(*wired_place(options_.wire));
    return Seats::open(wires);
  }

  LiveHandsets* real() const { return handsets_ ? handsets_.get() : beside_.get(); }

  /// When it ends by itself; 0: not.
  double end_s() const {
    const double played = played_ ? to_seconds(played_->length) : 0;
    return options_.for_s > 0 && played > 0 ? std::min(options_.for_s, played) : std::max(options_.for_s, played);
  }
  bool over() const { return end_s() > 0 && to_seconds(clock_.now()) >= end_s(); }

  void take_signal(int signal) {
    if (signal != SIGTSTP) return ask_to_end(std::string("SIG") + ::sigabbrev_np(signal));
    suspending_ = true;
    if (runner_) runner_->rest(true);
  }

  /// Everything is at rest and off: now the shell may have its way. Nothing moves afterwards until somebody says ready.
  void suspend() {
    // A keypad that types is the shell's again first.
    const auto is_ours = [](const SeenHandset& seat) { return seat.grabbed; };
    for (int tries = 0; handsets_ && tries < 50 && std::ranges::any_of(handsets_->look().seats, is_ours); ++tries)
      ::poll(nullptr, 0, 10);
    terminal_.reset();
    ::kill(::getpid(), SIGSTOP);
    suspending_ = false;
    if (runner_) runner_->rest(false);
  }

  void ask_to_end(const std::string& why) {
    if (ended_by_.empty()) ended_by_ = why;
    if (runner_) {
      runner_->end();
    } else {
      done_ = true;
    }
  }

  void keys() {
    if (!terminal_) return;
    for (char key = terminal_->key(); key != 0; key = terminal_->key()) {
      if (typing_) {
        type(key);
        continue;
      }
      if (key == 'q') ask_to_end("the key q");
      if (key == 'r' && handsets_) toggle_recording();
      if (key == 'a' && has_actions()) typing_.emplace();
    }
  }

  bool has_actions() const { return options_.verb == LiveVerb::run && rig_ && !rig_->actions.empty(); }
  bool takes_lines() const { return options_.typed && !terminal_ && runner_ != nullptr; }

  /// A key of an action's name.
  void type(char key) {
    constexpr char escape = 27, backspace = 8, erase = 127;
    constexpr std::size_t longest_name = 64;
    if (key == '\n' || key == '\r') {
      type(*std::exchange(typing_, std::nullopt));
    } else if (key == escape) {
      typing_.reset();
    } else if (key == backspace || key == erase) {
      if (!typing_->empty()) typing_->pop_back();
    } else if (key > ' ' && typing_->size() < longest_name) {
      *typing_ += key;
    }
  }

  /// A whole name: that action is asked for.
  void type(std::string name) {
    while (!name.empty() && (name.back() == ' ' || name.back() == '\r')) name.pop_back();
    if (name.empty()) return;
    const auto found = std::ranges::find(rig_->actions, name, &ActionInfo::name);
    if (found == rig_->actions.end()) {
      std::vector<std::string> names;
      for (const ActionInfo& action : rig_->actions) names.push_back(action.name);
      note(names.empty() ? fmt::format("'{}' was typed, and the rig has no actions", as_text(name))
                         : fmt::format("there is no action '{}'; the rig has {}", as_text(name), listed(names)));
    } else if (!runner_->type(id_at<ActionId>(static_cast<std::size_t>(found - rig_->actions.begin())))) {
      note(fmt::format("'{}' was typed too soon after others, and is not asked for", name));
    }
  }

  void toggle_recording() {
    if (!handsets_) return;
    if (!recording_) {
      recording_ = true;
      note("recording");
      return handsets_->start_recording();
    }
    recording_ = false;
    const auto [recorded, length] = handsets_->stop_recording();
    std::vector<std::string> names;
    for (const SessionHandset& handset : recorded) names.push_back(handset.name);
    std::string stem = !options_.record.empty()
                           ? options_.record
                           : fmt::format("session-{:%Y%m%d-%H%M%S}", fmt::gmtime(std::time(nullptr)));
    if (std::exchange(takes_, takes_ + 1) > 0 || !options_.replace || options_.record.empty())
      stem = free_stem(stem, names);
    const auto why = write_session(stem, "Recorded by gyrax watch", recorded, length);
    note(why ? *why
             : fmt::format("recorded {:.1f} s of {} handset(s): {}.toml", to_seconds(length), recorded.size(), stem));
  }

  void note(const std::string& text) {
    note_ = text;
    reporter_->note(clock_.now(), text);
  }

  // What happened since the last look.
  void look() {
    if (handsets_) {
      seen_ = &handsets_->look();
      look_at_handsets();
      if (reading_) drain();
    }
    if (!runner_) return;
    view_ = &runner_->look();
    if (supervised_ != nullptr && supervised_->stopped() && !std::exchange(told_stop_, true))
      note("a real stop ended the recording");
    remember();
    look_at_links();
    look_at_logbook();
    tell_events();
    tell_axes();
    if (view_->ended) done_ = true;
  }

  void look_at_handsets() {
    present_.resize(seen_->seats.size());
    overrides_.resize(seen_->seats.size());
    reports_.resize(seen_->seats.size());
    const double now = to_seconds(clock_.now());
    const bool measure = now - overrides_at_ >= 1;
    for (std::size_t s = 0; s < seen_->seats.size(); ++s) {
      const SeenHandset& seat = seen_->seats[s];
      if (measure) {
        overrides_[s] = static_cast<double>(seat.reports - reports_[s]) / (now - overrides_at_);
        reports_[s] = seat.reports;
      }
      if (present_[s] == seat.present) continue;
      present_[s] = seat.present;
      reporter_->plugged(seen_->at, seat);
      if (seat.present && !seat.warning.empty()) note(fmt::format("{}: {}", seat.name, seat.warning));
    }
    if (measure) overrides_at_ = now;
    if (rig_ && !screen_ && now > 0.3 && !std::exchange(told_waiting_, true))
      for (const SeenHandset& seat : seen_->seats)
        if (!seat.present) note(fmt::format("waiting for {}: it is not plugged in", seat.name));
    if (screen_ || notes_ == seen_->notes) return;
    notes_ = seen_->notes;
    for (const std::string& one : notes_) note("not used: " + one);
  }

  /// Without an engine nobody else takes the readings; a script gets each of them.
  void drain() {
    while (early_ || reading_->pop(early_.emplace())) {
      const Reading& r = early_->reading;
      const bool names_a_control =
          early_->kind == HandsetItem::Kind::reading && index(r.control) < all_controls().size();
      // Its seat may have been taken after the last look: then it is told after the next.
      if (names_a_control && index(r.handset) >= seen_->seats.size()) return;
      if (names_a_control) tell_reading(seen_->seats[index(r.handset)], r);
      early_.reset();
    }
    early_.reset();
  }

  void tell_reading(const SeenHandset& seat, const Reading& r) {
    const ControlName& name = all_controls()[index(r.control)];
    SeenControl control{r.control, usual_calibration(name), true, r.raw};
    for (const SeenControl& one : seat.controls)
      if (one.control == r.control) control.calibration = one.calibration;
    reporter_->reading(seat, r, name, value_of(control));
  }

  void tell_events() {
    const std::uint64_t first = std::max(
        told_events_, view_->events_so_far - std::min<std::uint64_t>(view_->events_so_far, RunView::kept_events));
    for (told_events_ = first; told_events_ < view_->events_so_far; ++told_events_) {
      const Event& event = view_->events[told_events_ % RunView::kept_events];
      // Of a fault the state that follows from it says the same.
      if (!is_said_by_state(event)) reporter_->event(*rig_, event);
    }
  }

  /// What each axis does or what holds it, whenever that changes.
  void tell_axes() {
    told_axes_.resize(view_->axes.size());
    for (std::size_t a = 0; a < view_->axes.size(); ++a) {
      const AxisStatus& why = view_->axes[a].why;
      if (why == told_axes_[a] && view_->ticks > 1) continue;
      told_axes_[a] = why;
      reporter_->axis(*rig_, id_at<AxisId>(a), *view_);
    }
  }

  void frame() {
    // Back from the background.
    if (screen_ && !terminal_ && Terminal::in_foreground()) terminal_ = std::make_unique<Terminal>();
    if (!terminal_) return;
    Scene scene;
    scene.title = rig_ ? fmt::format("{}{}", options_.verb == LiveVerb::watch ? "watching " : "",
                                     rig_->title.empty() ? rig_->path : rig_->title)
                       : "gyrax watch: every control of every handset";
    scene.keys = handsets_ ? "r records   q ends" : "q ends";
    if (has_actions()) scene.keys = "a types an action   " + scene.keys;
    scene.typing = typing_;
    if (log_ && !log_->path().empty())
      scene.facts.push_back(fmt::format(
          "logbook {}{}", from_home(log_->path()),
          view_ != nullptr && view_->log_lost > 0 ? fmt::format(", {} RECORDS LOST", view_->log_lost) : ""));
    if (view_ != nullptr && view_->ticks > 0 && options_.real_time && !view_->real_time.priority)
      scene.facts.push_back(view_->real_time.why_no_priority);
    if (!note_.empty()) scene.facts.push_back(note_);
    scene.rig = rig_ ? &*rig_ : nullptr;
    scene.run = view_ != nullptr && view_->ticks > 0 ? view_ : nullptr;  // nothing is known before
    scene.hands = seen_;
    scene.reports_per_s = overrides_;
    scene.time_s = to_seconds(clock_.now());
    terminal_->show(compose(scene, terminal_->columns(), terminal_->rows()));
  }

  int finish() {
    if (engine_.joinable()) engine_.join();
    if (recording_) toggle_recording();
    std::string account;
    std::optional<LogbookWriter::Closed> closed;
    if (runner_) account = account_of(runner_->look());
    // Before the terminal, which may not take another byte.
    if (log_) closed = log_->close(account);
    if (view_ != nullptr) look_at_logbook();
    terminal_.reset();
    if (reading_ && reading_->lost() > 0)
      note(fmt::format("{} readings were not told: what takes this output is slower than the handset",
                       reading_->lost()));
    if (!runner_) return Exit::done;
    reporter_->ended(runner_->look(), account, options_.real_time);
    if (!closed) return Exit::done;
    reporter_->logbook(log_->path(), *closed);
    if (!closed->trouble.empty()) remark(fmt::format("the logbook's disk: {}", closed->trouble));
    return closed->trouble.empty() ? Exit::done : world_failed;
  }

  std::string account_of(const RunView& view) const {
    const Lateness& late = view.lateness;
    return fmt::format(
        "Ended after {:.3f} s ({}): {} ticks, {} late by more than half a period, {} missed, worst {:.3f} ms; {} "
        "readings",
        to_seconds(view.now), ended_by_, view.ticks, late.late, late.missed, to_seconds(late.worst) * 1e3,
        view.readings);
  }

  const LiveOptions& options_;
  std::string remembered_, remembered_at_;
  std::vector<std::optional<double>> places_;  // by AxisId: where it stands without power
  std::vector<bool> had_power_;                // in the last view
  std::optional<Rig> rig_;
  std::optional<Session> played_;
  BootClock clock_;
  bool screen_ = false, done_ = false, recording_ = false;
  std::unique_ptr<LiveHandsets> handsets_;
  std::unique_ptr<ReadingThread> reading_;     // where no engine does
  std::optional<HandsetItem> early_;           // a reading whose seat was not seen yet
  std::unique_ptr<RigLinks> links_;            // of a run
  std::unique_ptr<SimulatedLinks> simulated_;  // of watch
  std::unique_ptr<Onlookers> onlookers_;
  std::unique_ptr<LiveHandsets> beside_;  // real ones, while a recording plays
  std::unique_ptr<Hands> real_hands_, hands_;
  SupervisedHands* supervised_ = nullptr;  // hands_, where it is that
  bool told_stop_ = false, told_waiting_ = false;
  std::unique_ptr<Reporter> reporter_;
  std::unique_ptr<RunLogbook> log_;
  std::unique_ptr<Runner> runner_;
  std::unique_ptr<Terminal> terminal_;
  std::unique_ptr<OutputThread> output_;  // after the terminal: what the end tells comes behind the screen
  std::string ended_by_;
  bool suspending_ = false;
  int takes_ = 0;  // recordings written so far
  std::string note_;
  const SeenHandsets* seen_ = nullptr;
  const RunView* view_ = nullptr;
  std::vector<bool> present_;
  std::vector<double> overrides_;
  std::vector<std::uint64_t> reports_;
  double overrides_at_ = 0;
  std::vector<std::string> notes_;
  std::uint64_t told_events_ = 0;
  std::vector<AxisStatus> told_axes_;
  std::optional<std::string> typing_;  // on the screen: of an action's name
  InputLines lines_;
  std::thread engine_;
};

/// Whether what is to be written may be: asked before anything moves.
bool may_begin(const LiveOptions& options, const std::vector<std::string>& inputs) {
  for (const std::string& name : {options.logbook, options.record})
    if (name == "-") {
      complain("a logbook and a recording are files; standard output has what is told of the run");
      return false;
    }
  return may_write(options.logbook, options.replace, inputs) &&
         (options.record.empty() || may_write(options.record + ".toml", options.replace, inputs));
}

}  // namespace

int live(const LiveOptions& options) {
  try {
    std::optional<Rig> rig;
    std::optional<Session> played;
    if (!options.rig.empty() && options.hands.empty()) {
      rig = load_rig(options.rig);
      tell_worst(*rig);
    }
    if (!options.hands.empty()) {
      played = load_session(options.hands);
      if (!played->faults.empty())
        remark(fmt::format("{}: its faults of machines are left out: they belong to rehearsals", options.hands));
      rig = fitted_with_warnings(options.rig, *played);
    }
    if (!may_begin(options, rig ? files_of(*rig, played ? &*played : nullptr) : std::vector<std::string>{}))
      return wrong_input;
    Signals signals;
    Live session(options, std::move(rig), std::move(played));
    return session.run(signals);
  } catch (const FileError& error) {
    return tell(error, wrong_input);
  } catch (const std::exception& error) {
    complain(error.what());
    return world_failed;
  }
}

int handsets(bool as_json, bool everything) {
  const std::vector<Product> products = plugged_products(everything);
  as_json ? put_json(plugged_json(products)) : put(plugged_text(products));
  return Exit::done;
}

}  // namespace gyrax::tool
