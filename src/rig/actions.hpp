// What a review says of actions, in text and in JSON alike. Private to the rig room.
#pragma once

#include <gyrax/rig/rig.hpp>

#include <string>
#include <vector>

namespace gyrax {

/// What is done for it, what it moves and needs, how it is confirmed and when it is over: a sentence a line.
std::vector<std::string> action_words(const Rig& rig, ActionId id);
std::vector<std::string> names_of_states(StateBits states);

}  // namespace gyrax
