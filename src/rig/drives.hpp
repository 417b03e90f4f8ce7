// What drives an axis: each kind of drive with its table, how it is read and how `check` describes it. Private to the
// rig room.
#pragma once

#include "../files/toml_reader.hpp"

#include <gyrax/engine/setup.hpp>

#include <string>

namespace gyrax {

struct DriveRow {
  const char* key;   // its table in [axis.NAME]; none: an axis that names no drive
  const char* unit;  // the unit that alone has it, as "%"; none: any other
  bool unseen;       // nothing measures it, unless the rig says so: it is taken to its middle first
  void (*read)(Table& axis, AxisSetup& setup);
  /// Behind what `check` says of the axis's position; empty: nothing.
  std::string (*describe)(const AxisSetup& setup);
};
/// A row for each kind of drive, in the order of Drive.
const std::vector<DriveRow>& drive_rows();

/// The drive that an axis names, or that its unit has.
void read_drive(Table& axis, const std::string& unit, AxisSetup& setup);
inline const DriveRow& row_of(const Drive& drive) { return drive_rows()[drive.index()]; }

}  // namespace gyrax
