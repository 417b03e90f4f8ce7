// When the brakes of axes let go and hold.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

/// Lets time pass for each.
void work_brakes(EngineParts& e) noexcept;
/// Those that get power after others: before the brakes.
void work_power(EngineParts& e) noexcept;
/// Whether an axis has power by now.
bool has_power(const EngineParts& e, AxisId axis) noexcept;
/// Whether an axis has one that is told to hold.
bool is_braked(const EngineParts& e, AxisId axis) noexcept;
/// Whether those of a zone hold, as they have to before its stop is over; one that only lets enable go leaves them
/// open.
bool brakes_hold(const EngineParts& e, ZoneId zone) noexcept;

}  // namespace gyrax::detail
