/// What a variant holds, handed to a function. (std::visit can throw, and the core cannot.)
///
///     visit_held(drive, [&](const auto& kind) { word = kind.word(command); });
#pragma once

#include <utility>
#include <variant>

namespace gyrax {

/// Calls `f` once, with what `variant` holds; not at all where an exception has left it without a value.
template <class... Kinds, class F>
constexpr void visit_held(const std::variant<Kinds...>& variant, F&& f) noexcept {
  [&]<std::size_t... Row>(std::index_sequence<Row...>) {
    (void)((variant.index() == Row && (f(*std::get_if<Row>(&variant)), true)) || ...);
  }
  (std::index_sequence_for<Kinds...>{});
}

}  // namespace gyrax
