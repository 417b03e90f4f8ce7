/// What is said to a controller that takes lines of text, and what it answers; without the wire itself.
///
/// In: bytes that came, the engine's frames, time. Out: bytes to send, what it reported, words for a person. Never: a
/// wait; a line that is sent twice; a move before its modes are set and read back, or after something went wrong, until
/// the axes have lost their power or stood still since; a move whose feed is above the axes' limits.
///
/// A controller plans to come to rest where its queue ends, so that it follows at speed v only with v²/2a of way in its
/// queue. It gets a move every so often, each to where the engine is then, and falls behind by just that much: v/2a,
/// one move and the time to get there. A feed that is two percent more or less keeps it from falling behind farther,
/// and from running out.
///
///     ControllerTalk talk(rig, link);
///     talk.hear(now, bytes);
///     talk.tell(frame);
///     wire.write(talk.next(now));
#pragma once

#include <gyrax/base/link_types.hpp>
#include <gyrax/rig/rig.hpp>

#include <cstdint>
#include <deque>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace gyrax {

/// Bits of LinkReport::faults.
inline constexpr std::uint32_t controller_error = 1, controller_alarm = 2, controller_began_anew = 4,
                               controller_lost_answer = 8, controller_strange_answer = 16, controller_paused = 32,
                               controller_wrong_modes = 64, controller_elsewhere = 128, controller_cut_off = 256;

/// A place in the controller's own unit: a whole number of its last decimal.
std::int64_t controller_counts(std::int64_t nano, const Dialect& dialect, bool linear) noexcept;
/// The same in mm or deg.
double controller_place(double in_its_unit, const Dialect& dialect, bool linear) noexcept;
/// "-12.340": whole and exact.
std::string decimal_words(std::int64_t counts, int decimals);

struct ControllerHeard {
  std::uint32_t number = 0;  ///< of the report, from 1; 0: none yet
  Time measured{};           ///< when it was asked for: never later than it was measured
  Span within{};             ///< and so much later at most
  Dialect::State state = Dialect::State::unknown;
  std::string state_word;
  std::uint32_t faults = 0;
  bool waits = false;
  std::vector<AxisReport> axes;
  std::vector<InputReport> inputs;
  std::vector<ActionReport> actions;  ///< what has become of them since the report before
};

struct ControllerCounts {
  std::uint64_t lines = 0, moves = 0, acks = 0, statuses = 0, stops = 0, strange = 0;
  Span shortest_round_trip{}, last_round_trip{}, longest_round_trip{};
};

class ControllerTalk {
 public:
  /// asking: where it is; setting_up: its modes; acting: it carries out an action, and is told nothing else;
  /// held: an action is paused, and what is left of it is kept; stopping: it was told to stop at once, and is not at
  /// rest yet.
  enum class State : std::uint8_t { asking, setting_up, running, acting, held, stopping };

  /// Errors: std::invalid_argument where the link has no dialect.
  ControllerTalk(const Rig& rig, LinkId link);
  ControllerTalk(const ControllerTalk&) = delete;
  ControllerTalk& operator=(const ControllerTalk&) = delete;

  /// Its wire was opened: everything begins anew.
  void opened(Time now);
  void closed() noexcept { is_open_ = false; }
  void hear(Time now, std::span<const std::uint8_t> bytes);
  void tell(const Frame& frame);
  /// Only to look on: it asks, and sends nothing else.
  void only_ask() noexcept { only_asks_ = true; }
  /// What is to be sent now. Valid until the next call.
  std::span<const std::uint8_t> next(Time now);
  /// Whether all that was told is on its way.
  bool all_told() const noexcept { return !is_open_ || (out_.empty() && (state_ != State::running || is_at_target())); }

  /// Whether there is a report since the last time this was asked.
  bool reported() noexcept;
  const ControllerHeard& heard() const noexcept { return heard_; }
  std::optional<std::string> said();
  State state() const noexcept { return state_; }
  const ControllerCounts& counts() const noexcept { return counts_; }
  const std::string& name() const noexcept { return name_; }

 private:
  /// A stop that did not come through is told again.
  static constexpr Span stops_within = std::chrono::milliseconds(1500);
  struct AxisRow {
    char letter = 'X';
    bool linear = true;
    double speed = 0, in_position = 0;  // of the axis
    std::int64_t target = 0;            // nano: where it is told to be
    std::int64_t sent = 0;              // counts: where its last move ends
    std::int64_t sent_nano = 0;         // what that stands for, before it was rounded
  };
  struct Line {
    std::size_t bytes = 0;
    std::uint32_t number = 0;
    Time sent{};
    std::string words;
    bool of_action = false;
  };
  /// An action that this link carries out.
  struct Act {
    ActionId id{};
    std::string name;
    std::vector<std::string> lines;
    bool moves = false;
  };

  void take_line(Time now, std::string_view line);
  bool take_status(Time now, std::string_view line);
  bool take_ack(Time now, std::string_view line);
  bool take_error(Time now, std::string_view line);
  void take_modes(Time now, std::string_view modes);
  void settle(Time now);
  void check_place(Time now);
  void say_where();
  void fault(Time now, std::uint32_t bit, const std::string& words);
  /// To rest, and then without a queue; in two steps where its dialect has `pause`. `by_all_means`: in one.
  void stop_at_once(Time now, bool by_all_means = false);
  void send_stop(Time now, const std::string& words);
  void begin(Time now, State state);
  void begin_anew(Time now);
  void ask(Time now);
  void plan_move(Time now);
  void send_move(Time now);
  void set_up(Time now);
  void send_line(Time now, const std::string& words);
  std::string framed(const std::string& words);
  bool takes_lines() const noexcept { return state_ == State::running || state_ == State::setting_up || is_acting(); }
  bool is_acting() const noexcept { return state_ == State::acting || state_ == State::held; }
  void take_order(Time now, std::optional<ActionOrder> order);
  void work_action(Time now);
  void begin_acting(Time now);
  void send_action_line(Time now);
  bool settle_acting(Time now);
  void hold(Time now);
  void go_on(Time now);
  bool settle_held(Time now);
  bool refuse_action_line(Time now, std::string_view answer);
  void end_action(ActionReport::Result result);
  bool has_room(std::size_t bytes) const noexcept;
  double feed(double elapsed_s, double& way) const;
  double behind_s() const noexcept;
  bool is_at_target() const noexcept;
  bool is_told_all_of_action() const noexcept;
  void say(const std::string& words);

  std::string name_;
  Dialect dialect_;
  std::vector<std::pair<std::string, std::string>> switch_lines_;
  std::vector<InputInfo> inputs_;
  std::vector<AxisRow> axes_;
  Span move_every_, ask_every_, answer_within_;
  double accel_ = 0;  // the least of its axes

  State state_ = State::asking;
  bool is_open_ = false, only_asks_ = false;
  bool is_void_ = true;  // what the axes are told counts only after they had no power, or stood
  bool has_power_ = false, moves_ = false;
  std::size_t setup_row_ = 0;
  bool pauses_ = false;  // its queue is still to be dropped, once it rests
  bool modes_asked_ = false, modes_hold_ = false, has_told_setup_ = false, says_where_ = false,
       has_told_silence_ = false;
  Span waits_first_{};
  std::uint32_t number_ = 0;
  std::deque<Line> unanswered_;
  std::size_t unanswered_bytes_ = 0;
  std::optional<Time> asked_;
  bool ask_was_lost_ = false;
  std::vector<Act> acts_;
  std::optional<ActionOrder> order_;
  const Act* act_ = nullptr;      // under way
  std::uint32_t act_number_ = 0;  // of its order
  std::size_t act_line_ = 0;      // the next one
  bool act_in_alarm_ = false;     // it had an alarm when it began
  bool moved_itself_ = false;     // for an action: where it stands then is taken up as it is
  bool act_is_over_ = false;      // carried out: it is told once the modes are set again
  bool has_rested_ = false;       // since it was paused
  Time act_answered_{};
  std::vector<ActionReport> results_;
  Time ask_due_{}, quiet_until_{}, move_began_{}, stop_sent_{}, changed_at_{}, begins_at_{};
  std::string came_;  // a line, until its end
  bool is_overlong_ = false;
  std::string out_, sent_;  // not sent yet; what the last next() gave
  std::vector<std::uint8_t> switches_told_, switches_wanted_;
  std::vector<double> positions_;        // by axis, of the last status
  double correction_ = 0, fastest_ = 0;  // fastest_: along the way, since the last move
  std::uint32_t once_ = 0, lasting_ = 0;
  ControllerHeard heard_;
  bool new_report_ = false;
  std::vector<std::string> words_;
  ControllerCounts counts_;
};

}  // namespace gyrax
