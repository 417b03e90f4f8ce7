/// The near end of a board: what is said to it, and when; without the wire itself.
///
/// In: bytes that came, what its channels are told, time. Out: bytes to send, what it reported, and words for a person.
/// Never: a wait; memory after construction; a set before the board was greeted, asked for its channels, and told what
/// each becomes on loss; one frame more than its wire has carried away.
///
///     BoardTalk talk(setup, 7);
///     talk.hear(now, bytes);
///     talk.tell(told);                       // by row of setup.channels; the newest wins
///     wire.write(talk.next(now));
#pragma once

#include <gyrax/base/time.hpp>
#include <gyrax/wire/board.hpp>
#include <gyrax/wire/far_clock.hpp>

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace gyrax {

/// A channel as the rig has it. Ends, speed and acceleration in 1/256 unit, those of the axis at its full travel.
struct BoardChannel {
  std::uint8_t number = 0;
  wire::ChannelKind kind = wire::ChannelKind::servo;
  std::string name;  ///< of what is on it
  std::string pin;   ///< what the board has to call it; empty: anything
  wire::Becomes becomes;
  std::int32_t low = 0, high = 0;
  std::uint32_t speed = 0, accel = 0;
};

struct BoardSetup {
  std::string name;  ///< of the link
  std::uint8_t address = 1;
  Span max_round_trip = std::chrono::milliseconds(100);
  Span frame_every = std::chrono::milliseconds(10);
  Span valid_for = std::chrono::milliseconds(50);
  double bytes_per_s = 0;              ///< of its wire; 0: nothing is paced
  std::vector<BoardChannel> channels;  ///< by rising number
};

/// What a channel is told, and what it reports: 1/65536 of its unit, and 1/256 a second.
struct ChannelTold {
  std::uint8_t mode = 0;
  std::int64_t position = 0;
  std::int32_t speed = 0;
  bool operator==(const ChannelTold&) const = default;
};
struct ChannelReport {
  std::uint8_t status = 0;
  std::int64_t position = 0;
  std::int32_t speed = 0;
};

/// What a board is to do besides its channels.
struct BoardOrder {
  std::uint16_t number = 0;  ///< another one each time
  std::string_view message;  ///< valid as long as it is ordered
  bool cancelled = false;
};
/// What has become of it.
struct BoardResult {
  bool done = false;  ///< otherwise it is not, and will not be
};

struct BoardReport {
  Time measured{};  ///< the earliest that it can have been
  Time arrival{};
  Span within{};             ///< and so much later at most
  std::uint32_t number = 0;  ///< one more each time
  std::uint32_t clock_us = 0;
  std::uint8_t state = 0;               ///< wire::stopped, wire::ran_late
  bool began_anew = false;              ///< the first of a session
  std::vector<ChannelReport> channels;  ///< by row
};

/// Since the start.
struct BoardCounts {
  std::uint64_t sent = 0, heard = 0, reports = 0;  ///< heard: frames of its own board
  std::uint64_t lost_there = 0, bad_there = 0, late_there = 0, refused_there = 0;
  std::uint64_t bad_here = 0, strange_here = 0;  ///< spoiled; another board's, another session's, malformed
  std::uint64_t sessions = 0;
  Span shortest_round_trip{}, last_round_trip{}, longest_round_trip{};
};

class BoardTalk {
 public:
  enum class State : std::uint8_t { greeting, asking, assigning, running, disagrees };

  /// `seed`: another one at each start of the program; session numbers come from it.
  BoardTalk(BoardSetup setup, std::uint64_t seed);

  void hear(Time now, std::span<const std::uint8_t> bytes);
  /// By row. Copied.
  void tell(std::span<const ChannelTold> told);
  /// What it is to do besides; nullopt: nothing, or what it was is over. Again and again until it is over, as frames
  /// go.
  void order(const std::optional<BoardOrder>& order);
  /// What has become of the order; nullopt: nothing yet.
  const std::optional<BoardResult>& result() const noexcept { return result_; }
  /// Whether what was told last has gone out; so it is too where no board takes sets now.
  bool all_told() const noexcept { return untold_ == 0 || state_ != State::running; }
  /// What is to be sent now: a frame at most, empty where nothing is due or the wire is still busy with the last one.
  /// Valid until the next call.
  std::span<const std::uint8_t> next(Time now);
  /// A stop goes before everything else, and the board is greeted anew afterwards.
  void stop(std::uint8_t category) { stop_ = category; }
  /// What it was told counts no more: its session begins anew.
  void greet_anew() { begin(asked_at_, State::greeting); }

  /// Whether there is a report since the last time this was asked.
  bool reported() noexcept;
  const BoardReport& report() const noexcept { return report_; }
  /// That a session began was heard.
  void forget_beginning() noexcept { report_.began_anew = false; }
  /// The next words for a person, oldest first.
  std::optional<std::string> said();

  State state() const noexcept { return state_; }
  const BoardCounts& counts() const noexcept { return counts_; }
  const BoardSetup& setup() const noexcept { return setup_; }
  const std::string& far_name() const noexcept { return far_name_; }

 private:
  void take(Time now, const wire::Frame& frame);
  void take_welcome(Time now, const wire::Welcome& welcome, std::uint32_t session);
  void take_channel(Time now, const wire::ChannelInfo& info);
  void take_report(Time now, const wire::Frame& frame);
  void take_refusal(Time now, const wire::Refused& refused);
  void take_result(const wire::Result& result);
  void end_order(bool done, std::string_view why = {});
  bool is_message_due(Time now) const noexcept;
  void write_message(Time now, wire::Writer& out);
  bool agrees(const BoardChannel& ours, const wire::ChannelInfo& theirs);
  void next_row(Time now, State after);
  void begin(Time now, State state);
  void plan_runs();
  void hear_clock(Time now, std::uint16_t heard, std::uint32_t heard_at_us, std::uint32_t clock_us);
  void write_request(wire::Writer& out, wire::Kind& kind);
  void write_set(Time now, wire::Writer& out);
  std::span<const std::uint8_t> pack(Time now, wire::Kind kind, const wire::Writer& out);
  template <class... Words>
  void say(const char* format, const Words&... words);

  BoardSetup setup_;
  std::uint64_t random_;
  State state_ = State::greeting;
  std::uint16_t number_ = 0, sequence_ = 0;
  std::uint32_t session_ = 0, echo_us_ = 0;
  std::size_t untold_ = 0;  // frames until everything that was told has gone out
  std::size_t row_ = 0, run_ = 0, max_frame_ = wire::max_frame;
  int tries_ = 0;
  std::optional<std::uint8_t> stop_;
  Time asked_at_{}, free_at_{}, set_at_{}, heard_at_{};
  std::array<Time, 64> sent_at_{};  // by sequence
  wire::FarClock clock_;
  std::vector<wire::Run> runs_;
  std::vector<ChannelTold> told_;
  std::array<std::uint8_t, wire::max_frame> bytes_{};
  wire::Receiver in_;
  BoardReport report_;
  std::uint64_t runs_heard_ = 0;  // a bit for each
  Time oldest_{};
  Span within_{};
  bool was_same_ = false, at_once_ = false;
  bool new_report_ = false;
  std::vector<std::string> said_, told_of_;
  std::string far_name_;
  std::optional<wire::ReportHead> last_head_;
  std::optional<BoardOrder> order_;  // that is not over
  std::optional<BoardResult> result_;
  std::optional<std::uint16_t> ordered_;  // the last order's number
  wire::Asked asked_{};                   // of the order, next
  Time message_at_{};
  std::optional<Time> result_at_;  // by then there has to be one
  std::uint16_t message_sequence_ = 0;
  BoardCounts counts_;
};

}  // namespace gyrax
