// A radio that repeats its last values when the handset is out of reach looks like a hand that holds still.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

/// Stops a zone that moves while nothing at all has changed for too long on a handset that moves or enables it; tells
/// so two seconds before.
void watch_steady(EngineParts& e) noexcept;

}  // namespace gyrax::detail
