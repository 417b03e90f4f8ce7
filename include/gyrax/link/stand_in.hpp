/// Stand-ins: simulated boards that serve a wire, in real time. One of a rig's link, with what its motors do and those
/// that take turns with it on a bus; or a handset of one's own parts, in the hands of a recording.
///
/// In: a rig and one of its boards, or a recording and a wire; lines that break the board and mend it. Out: bytes on
/// that wire; lines of what it sees. Never: a look at what the near end thinks.
///
///     StandIn board(rig, link);
///     while (board.run(Span{…})) for (const auto& line : board.seen()) …
#pragma once

#include <gyrax/handset/track.hpp>
#include <gyrax/handset/wired.hpp>
#include <gyrax/link/board.hpp>
#include <gyrax/sim/board.hpp>
#include <gyrax/wire/served_port.hpp>

#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace gyrax {

/// A simulated board as a rig wants it: its channels with some room above the rig's own limits.
sim::BoardSetup stand_in_setup(const Rig& rig, LinkId link, std::uint64_t seed = 1);

/// A far end that is played on its wire.
class PlayedFarEnd {
 public:
  virtual ~PlayedFarEnd() = default;
  /// For so long; `waits_for` is a descriptor that ends it sooner once it is readable, or -1.
  virtual void run(Span span, int waits_for = -1) = 0;
  /// A line from whoever plays. Returns what is wrong with it; empty: nothing.
  virtual std::string take(const std::string& line) = 0;
  /// What changed since the last time this was asked, a line each.
  virtual std::vector<std::string> seen() = 0;
  /// Where what moves is that is elsewhere than it was told last: "lamp_tilt 1500.0 µs, scale_bar no pulse".
  virtual std::string moved() { return {}; }
};

/// What boards and handsets have in common.
class ServedBoard : public PlayedFarEnd {
 public:
  void run(Span span, int waits_for = -1) override;
  /// "cut", "noisy", "slow", "hung", "stuck", "sag", "mend", "restart", "print TEXT", "fail TEXT"; of a rig's board
  /// "input NAME on", "off", a number or "broken"; of a handset "pause", "play".
  std::string take(const std::string& line) override;
  std::vector<std::string> seen() override;
  const sim::Board& board() const noexcept { return board_; }

 protected:
  /// Errors: std::runtime_error where the wire cannot be served.
  ServedBoard(const sim::BoardSetup& setup, wire::Place place, std::vector<sim::Board> others);
  /// Lines of its own: nullopt where it is none of them, otherwise what is wrong with it.
  virtual std::optional<std::string> take_own(sim::Board&, const std::string& /*line*/) { return std::nullopt; }
  /// Before bytes go to and fro.
  virtual void act(sim::Board&, std::uint64_t /*now_us*/) {}
  void say(std::string line) { seen_.push_back(std::move(line)); }
  const wire::Place& place() const noexcept { return place_; }
  bool greeted() const noexcept { return session_ != 0; }

 private:
  void exchange();
  std::uint64_t now_us() const;

  sim::Board board_;
  std::vector<sim::Board> others_;  // on the same bus
  wire::Place place_;
  wire::ServedPort port_;
  std::uint64_t began_us_ = 0;
  std::uint32_t session_ = 0;
  std::vector<std::string> seen_;
};

class StandIn final : public ServedBoard {
 public:
  /// Errors: std::invalid_argument where the link is no board; std::runtime_error where its wire cannot be served.
  StandIn(const Rig& rig, LinkId link);
  std::vector<std::string> seen() override;
  std::string moved() override;

 private:
  std::optional<std::string> take_own(sim::Board& board, const std::string& line) override;
  void act(sim::Board& board, std::uint64_t now_us) override;
  std::string words_of(std::size_t channel) const;

  BoardSetup wanted_;
  std::vector<InputInfo> inputs_;  // of this link
  std::vector<ChannelInfo> input_channels_;
  /// An input that says whether an axis is there, in its channel's steps.
  struct Met {
    std::uint8_t axis = 0, input = 0;
    double at = 0;
    bool up = false, inverted = false;
  };
  std::vector<Met> met_;
  std::vector<std::uint8_t> status_;
  std::vector<std::string> told_;  // by channel of the rig
};

/// A board with the controls of a recorded device, named as they are; the recording begins once it is greeted. Takes
/// "pause" and "play", too.
class HandsetStandIn final : public ServedBoard {
 public:
  /// Errors: std::runtime_error where the wire cannot be served, or the device has more than 64 controls.
  HandsetStandIn(const Track& track, const WiredPlace& place);
  bool is_over() const noexcept { return next_ == track_.events.size(); }

 private:
  std::optional<std::string> take_own(sim::Board& board, const std::string& line) override;
  void act(sim::Board& board, std::uint64_t now_us) override;
  void play(sim::Board& board, const InputEvent& event);

  Track track_;
  std::map<std::pair<std::uint16_t, std::uint16_t>, std::size_t> channels_;  // by type and code; of a hat its first
  std::vector<double> counts_;                                               // of dials, by channel
  std::optional<std::uint64_t> now_us_;  // the last time it acted after it was greeted
  std::uint64_t played_us_ = 0;
  bool paused_ = false;
  std::size_t next_ = 0;
};

}  // namespace gyrax
