// Why each axis does what it does.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

/// `why` by AxisId.
void explain(const EngineParts& e, std::span<AxisStatus> why) noexcept;

}  // namespace gyrax::detail
