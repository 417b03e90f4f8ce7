/// Whether two engines said the same in a tick, to the last bit: minus zero is not zero here.
///
///     if (!same(out.view(), again.view())) …
#pragma once

#include <gyrax/engine/engine.hpp>

namespace gyrax {

/// Commands, reasons, switches and frames. Events are not looked at: reading them takes them.
bool same(const TickOutput& a, const TickOutput& b) noexcept;
bool same(std::span<const Request> a, std::span<const Request> b) noexcept;

}  // namespace gyrax
