/// A board's stand-in: a simulated board that serves the wire of a rig's link, in real time; with those that take turns
/// with it, where it is on a bus.
///
/// In: a rig and one of its boards, the one that is broken and mended and that is told of; lines that break it and mend
/// it. Out: bytes on that wire; lines of what it sees. Never: a look at what the near end thinks.
///
///     StandIn board(rig, link);
///     while (board.run(Span{…})) for (const auto& line : board.seen()) …
#pragma once

#include <gyrax/link/board.hpp>
#include <gyrax/sim/board.hpp>
#include <gyrax/wire/served_port.hpp>

#include <string>
#include <vector>

namespace gyrax {

/// A simulated board as a rig wants it: its channels with some room above the rig's own limits.
sim::BoardSetup stand_in_setup(const Rig& rig, LinkId link, std::uint64_t seed = 1);

class StandIn {
 public:
  /// Errors: std::invalid_argument where the link is no board; std::runtime_error where its wire cannot be served.
  StandIn(const Rig& rig, LinkId link);

  /// For so long; `waits_for` is a descriptor that ends it sooner once it is readable, or -1.
  void run(Span span, int waits_for = -1);
  /// "cut", "noisy", "slow", "hung", "stuck", "sag", "mend", "restart", "print TEXT". Returns what is wrong with it;
  /// empty: nothing.
  std::string take(const std::string& line);
  /// What changed since the last time this was asked, a line each.
  std::vector<std::string> seen();
  /// Where each channel is that is elsewhere than it was told last: "lamp_tilt 1500.0 µs, scale_bar no pulse".
  std::string moved();
  const sim::Board& board() const noexcept { return board_; }

 private:
  void exchange();
  std::uint64_t now_us() const;
  std::string words_of(std::size_t channel) const;

  BoardSetup wanted_;
  sim::Board board_;
  std::vector<sim::Board> others_;  // on the same bus
  wire::Place place_;
  wire::ServedPort port_;
  std::uint64_t began_us_ = 0;
  std::uint32_t session_ = 0;
  std::vector<std::uint8_t> status_;
  std::vector<std::string> seen_, told_;  // told_: by channel of the rig
};

}  // namespace gyrax
