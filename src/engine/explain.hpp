// Why each axis does what it does.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

/// Fills in `why`, and tells which zones stand still.
void explain(EngineParts& e) noexcept;

}  // namespace gyrax::detail
