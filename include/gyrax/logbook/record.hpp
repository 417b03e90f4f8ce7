/// What a logbook holds: everything that went into an engine, and everything that came out of it.
#pragma once

#include <gyrax/base/command.hpp>
#include <gyrax/base/reading.hpp>
#include <gyrax/base/request.hpp>
#include <gyrax/engine/event.hpp>
#include <gyrax/signal/calibration.hpp>

#include <cstdint>
#include <span>
#include <string>
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
};

/// One line of a logbook, as it is read back.
struct LogRecord {
  enum class Kind : std::uint8_t {
    tick,
    calibrate,  ///< `slot` has `calibration` from here on
    seated,     ///< `text`: which device took the place of which handset
    lost,       ///< `number` records did not fit: what follows cannot be computed anew
    end,        ///< the logbook was closed in order; `text`: the run's own account
  } kind = Kind::tick;
  int line = 0;
  std::string text;  ///< of a tick: the line itself
  // of a tick: what went in
  Time now{};
  bool end = false;
  std::vector<Reading> readings;
  std::vector<LinkReport> reports;
  std::vector<ProgramRequest> program;
  // what the reports point to
  std::vector<std::vector<AxisReport>> report_axes;
  std::vector<std::vector<InputReport>> report_inputs;
  std::vector<std::vector<ActionReport>> report_actions;
  // of a calibration
  SlotId slot = no<SlotId>;
  Calibration calibration = Calibration::key();
  std::uint64_t number = 0;
};

/// The version of the logbook's format.
inline constexpr int logbook_version = 1;

}  // namespace gyrax
