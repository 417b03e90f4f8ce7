/// What a logbook holds: everything that went into an engine, and of what came out the events and sums.
#pragma once

#include <gyrax/base/command.hpp>
#include <gyrax/base/reading.hpp>
#include <gyrax/base/request.hpp>
#include <gyrax/engine/event.hpp>
#include <gyrax/signal/calibration.hpp>

#include <cstdint>
#include <span>
#include <string>
#include <utility>
#include <vector>

namespace gyrax {

/// One tick, as it is handed to the writer.
struct TickRecord {
  Time now{};
  bool end = false;
  std::span<const Reading> readings;
  std::span<const LinkReport> reports;
  std::span<const AxisCommand> commands;
  std::span<const std::uint8_t> switches;
  std::span<const Event> events;
  std::span<const ProgramRequest> program{};
  std::span<const ActionId> typed{};
};

/// One line of a logbook, as it is read back.
struct LogRecord {
  enum class Kind : std::uint8_t {
    tick,
    calibrate,  ///< `slot` has `calibration` from here on
    seated,     ///< `text`: which device took the place of which handset
    lost,       ///< `number` records did not fit: what follows cannot be computed anew
    whole,      ///< `text`: where the run stands after the tick before
    check,      ///< `number` ticks since the last one; `sums`: of what came out in them, by axis
    end,        ///< the logbook was closed in order; `text`: the run's own account
  } kind = Kind::tick;
  int line = 0;
  std::string text;
  // of a tick: what went in
  Time now{};
  bool end = false;
  std::vector<Reading> readings;
  std::vector<LinkReport> reports;
  std::vector<ProgramRequest> program;
  std::vector<ActionId> typed;
  // what the reports point to
  std::vector<std::vector<AxisReport>> report_axes;
  std::vector<std::vector<InputReport>> report_inputs;
  std::vector<std::vector<ActionReport>> report_actions;
  // of a tick: what came out
  std::string events;                                          ///< as they stand in the line; empty without any
  std::uint16_t sum = 0;                                       ///< of commands and switches, where the logbook replays
  std::vector<std::pair<std::size_t, AxisCommand>> commands;   ///< those that changed, where it does not
  std::vector<std::pair<std::size_t, std::uint8_t>> switches;  ///< the same
  // of a calibration
  SlotId slot = no<SlotId>;
  Calibration calibration = Calibration::key();
  std::uint64_t number = 0;
  std::vector<std::uint64_t> sums;
};

/// The version of the logbook's format.
inline constexpr int logbook_version = 2;

}  // namespace gyrax
