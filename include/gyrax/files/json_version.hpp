/// The version of every JSON document of this program: the number of its key "gyrax_json".
#pragma once

namespace gyrax {

/// Raised where a field is taken away or means something else; a new field alone does not (docs/json.md).
inline constexpr int json_version = 1;

}  // namespace gyrax
