// What `check` says of switches. Private to the rig room.
#pragma once

#include <gyrax/rig/rig.hpp>

#include <string>
#include <utility>
#include <vector>

namespace gyrax {

const char* name_of(Becomes becomes) noexcept;
/// What a switch becomes at which causes, the most usual first: "goes off at every other stop and fault".
std::vector<std::string> becomes_words(const SwitchSetup& s);
/// "on for 30 s at most; off for 5 s before it goes on again"; empty where nothing bounds it.
std::string times_words(const SwitchSetup& s);

}  // namespace gyrax
