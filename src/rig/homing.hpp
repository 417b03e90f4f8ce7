// What a review says of homing by Gyrax itself. Private to the rig room.
#pragma once

#include <gyrax/rig/rig.hpp>

#include <string>
#include <vector>

namespace gyrax {

/// How it runs, a sentence a line; nothing of an axis that has none.
std::vector<std::string> homing_words(const Rig& rig, std::size_t axis);

}  // namespace gyrax
