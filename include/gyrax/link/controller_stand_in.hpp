/// A simulated controller on its real wire: `gyrax stand-in controller`.
///
/// In: lines of text, over a serial line's pseudo-terminal or TCP, each byte as slow as the wire; lines from whoever
/// plays. Out: answers; what it sees, in words.
///
///     ControllerStandIn controller(rig, link);
///     for (;;) controller.run(20ms);
#pragma once

#include <gyrax/link/controller_far_end.hpp>
#include <gyrax/link/stand_in.hpp>
#include <gyrax/wire/served_port.hpp>

#include <chrono>
#include <optional>
#include <string>
#include <vector>

namespace gyrax {

class ControllerStandIn final : public PlayedFarEnd {
 public:
  /// Errors: std::invalid_argument where the link has no dialect; std::runtime_error where its wire cannot be served.
  ControllerStandIn(const Rig& rig, LinkId link);
  void run(Span span, int waits_for = -1) override;
  /// "cut", "silent", "lose", "twice", "refuse", "alarm", "pause", "slow", "noise", "mend", "restart"; "input NAME
  /// VALUE".
  std::string take(const std::string& line) override;
  std::vector<std::string> seen() override;
  std::string moved() override;
  const ControllerFarEnd& far_end() const noexcept { return far_end_; }

 private:
  using Clock = std::chrono::steady_clock;
  std::uint64_t now_us() const;
  void exchange();
  void look();

  LinkInfo link_;
  std::vector<InputInfo> inputs_;
  ControllerFarEnd far_end_;
  wire::Place place_;
  std::optional<wire::ServedPort> port_;
  Clock::time_point began_ = Clock::now();
  std::string in_, out_;  // that the wire has not carried yet
  double room_in_ = 0, room_out_ = 0;
  std::uint64_t paced_us_ = 0, heard_us_ = 0;
  std::uint64_t stops_ = 0, stop_us_ = 0;  // when it was told to stop; 0: it stands, or goes on
  bool is_cut_ = false, was_moving_ = false, has_heard_ = false;
  std::vector<double> from_;  // where it was as it was told to stop, or heard anything last
  std::vector<std::string> seen_;
  std::string moved_;
};

}  // namespace gyrax
