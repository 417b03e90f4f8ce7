// Wires in a rig: of a board's link, of a handset. Private.
#pragma once

#include "../files/toml_reader.hpp"

#include <gyrax/wire/port.hpp>

namespace gyrax {

/// One wire, of a kind that there is; what is wrong is told.
void check_wire(Table& table, const wire::Place& place);

}  // namespace gyrax
