// A tick's line, read back. Private.
#pragma once

#include <gyrax/logbook/record.hpp>

#include <span>
#include <string_view>

namespace gyrax {

/// Fills what a tick has. `controls`: by the numbers of this file; `summed`: whether it says a sum of what came out, or
/// all that changed. Error: Wrong.
void read_tick(std::string_view line, std::span<const ControlId> controls, bool summed, LogRecord& record);

}  // namespace gyrax
