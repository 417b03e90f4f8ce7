// What the far ends of drives and controllers have in common for whoever asks them: where axes are, what inputs say.
#pragma once

#include <gyrax/base/link_types.hpp>
#include <gyrax/rig/rig.hpp>

#include <nlohmann/json_fwd.hpp>

#include <span>

namespace gyrax::tool {

/// Into its "axes" and "inputs".
void add_heard(nlohmann::ordered_json& json, const Rig& rig, LinkId link, std::span<const AxisReport> axes,
               std::span<const InputReport> inputs);
/// The same in words, a line each.
void print_heard(const nlohmann::ordered_json& state);

}  // namespace gyrax::tool
