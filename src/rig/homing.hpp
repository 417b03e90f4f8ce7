// What a review says of homing by Gyrax itself. Private to the rig room.
#pragma once

#include <gyrax/rig/rig.hpp>

#include <string>

namespace gyrax {

/// Of an axis that has it: how it runs, in words.
std::string homing_words(const Rig& rig, std::size_t axis);

}  // namespace gyrax
