/// What means something else after an edit: two rigs side by side, whatever their files look like.
///
///     for (const std::string& one : gyrax::differences(before, after)) puts(one.c_str());
#pragma once

#include <gyrax/rig/rig.hpp>

#include <string>
#include <vector>

namespace gyrax {

/// One sentence for each fact of the review that is another one: "axis x: speed was 180, is 200". Names make a thing
/// the same thing, so a new name is a new axis. Places in files, and the order of lines, mean nothing.
std::vector<std::string> differences(const Rig& before, const Rig& after);

}  // namespace gyrax
