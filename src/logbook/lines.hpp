// A logbook's lines: one JSON document each. Private.
#pragma once

#include "sums.hpp"

#include <gyrax/handset/device.hpp>
#include <gyrax/logbook/build.hpp>
#include <gyrax/logbook/record.hpp>
#include <gyrax/rig/rig.hpp>

#include <string>
#include <string_view>
#include <vector>

namespace gyrax {

/// What a tick's line says of what came out: a sum, where a replay makes it anew; or all that changed.
enum class Outputs : std::uint8_t { summed, told };

/// Formats ticks.
class TickLines {
 public:
  TickLines(const Rig& rig, Outputs outputs);
  /// The line of one tick, without its end. Valid until the next call.
  const std::string& line(const TickRecord& tick);
  /// Of what came out, since restart().
  const OutputSums& sums() const noexcept { return sums_; }
  /// From here on a reader knows nothing of what was told.
  void restart();

 private:
  void readings(const TickRecord& tick);
  void reports(const TickRecord& tick);
  void program(const TickRecord& tick);
  void commands(const TickRecord& tick);

  Outputs outputs_;
  OutputSums sums_;
  std::vector<AxisCommand> told_;
  std::vector<std::uint8_t> switched_;
  std::string line_;
};

/// `,"e":[…]`; nothing where there are none.
void append_events(std::string& out, std::span<const Event> events);

/// What reports say of each axis, by AxisId, where they say anything.
void take_measured(const Rig& rig, std::span<const LinkReport> reports, std::vector<AxisReport>& measured);

/// Where a run stands: zones, commands, switches, and what was measured last.
class RunState {
 public:
  explicit RunState(const Rig& rig);
  void tick(const TickRecord& tick);
  /// As a line, without its end.
  std::string line() const;

 private:
  const Rig& rig_;
  Time now_{};
  std::vector<State> zones_;
  std::vector<AxisCommand> commands_;
  std::vector<std::uint8_t> switches_;
  std::vector<AxisReport> measured_;
};

/// `text`: all lines of a piece before this one; `ticks`: how many of them; `axes`: of what came out.
std::string check_line(std::uint64_t ticks, std::string_view text, std::span<const std::uint64_t> axes);
std::string header_line(const Rig& rig, const Build& build, const std::string& started, Outputs outputs);
std::string calibrate_line(SlotId slot, const Calibration& calibration);
std::string seated_line(const Rig& rig, HandsetId handset, const Device& device);
std::string lost_line(std::uint64_t records);

}  // namespace gyrax
