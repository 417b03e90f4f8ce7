// What whoever plays a far end types of its inputs: "input NAME on", "off", a number. Private.
#pragma once

#include <gyrax/rig/rig.hpp>

#include <optional>
#include <string>
#include <vector>

namespace gyrax {

/// What an input's far end has where it is this, in its unit; of a contact 1 where it is on.
double raw_of(const InputInfo& input, double value);

struct InputLine {
  std::size_t row = 0;        ///< among the far end's inputs
  std::optional<double> raw;  ///< none: it is broken
  std::string says;           ///< "load is 93 %"
  std::string wrong;          ///< what is wrong with the line; empty: nothing
};
/// `where`: "board". `can_break`: it takes "broken" as well.
InputLine read_input_line(const std::string& line, const std::vector<InputInfo>& inputs, const std::string& where,
                          bool can_break);

}  // namespace gyrax
