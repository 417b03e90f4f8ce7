/// A checked rig, told to a person: what each axis may do, what its stops take, which control asks for what.
///
///     fmt::print("{}", gyrax::review_text(gyrax::load_rig("bench.toml")));
#pragma once

#include <gyrax/rig/rig.hpp>

#include <string>

namespace gyrax {

/// For a terminal of 100 columns.
std::string review_text(const Rig& rig);
/// The same facts as a JSON document, with file and line of every number that the rig sets.
std::string review_json(const Rig& rig);

}  // namespace gyrax
