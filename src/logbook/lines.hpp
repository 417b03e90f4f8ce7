// A logbook's lines: one JSON document each. Private.
#pragma once

#include <gyrax/handset/device.hpp>
#include <gyrax/logbook/build.hpp>
#include <gyrax/logbook/record.hpp>
#include <gyrax/rig/rig.hpp>

#include <string>

namespace gyrax {

/// Formats ticks. Commands and switches are written when they change, so it remembers the last ones.
class TickLines {
 public:
  explicit TickLines(const Rig& rig);
  /// The line of one tick, without its end. Valid until the next call.
  const std::string& line(const TickRecord& tick);

 private:
  void readings(const TickRecord& tick);
  void reports(const TickRecord& tick);
  void program(const TickRecord& tick);
  void commands(const TickRecord& tick);
  void events(const TickRecord& tick);

  std::vector<AxisCommand> told_;
  std::vector<std::uint8_t> switched_;
  std::string line_;
};

std::string header_line(const Rig& rig, const Build& build, const std::string& started);
std::string calibrate_line(SlotId slot, const Calibration& calibration);
std::string seated_line(const Rig& rig, HandsetId handset, const Device& device);
std::string lost_line(std::uint64_t records);

}  // namespace gyrax
