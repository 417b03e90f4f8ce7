// Kinds of links: their keys, what is allowed and what is usual. Private to the rig room.
#pragma once

#include "../files/toml_reader.hpp"

#include <gyrax/rig/rig.hpp>

#include <string>

namespace gyrax {

/// `kind`, and the keys of that kind in a table of its name.
void read_kind(Table& link, LinkInfo& info);
/// "simulated, lag_ms 12, report_ms 4".
std::string link_words(const LinkInfo& link);

}  // namespace gyrax
