/// Words in nanometres and nanodegrees, for machines that take positions.
#pragma once

#include <gyrax/base/command.hpp>

namespace gyrax {

/// What a far end has to know of a word: it stands for offset + scale · word, in the axis's unit.
struct WordMeaning {
  double scale = 1e-9, offset = 0;
  double dead_band = 0;  ///< of a share of power: below this share of it nothing turns
};

struct CountedMap {
  static constexpr bool is_place = true;
  AxisWord word(const AxisCommand& command) const noexcept;
  WordMeaning meaning() const noexcept { return {}; }
};

}  // namespace gyrax
