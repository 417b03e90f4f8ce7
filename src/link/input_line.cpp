#include "input_line.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>

namespace gyrax {

double raw_of(const InputInfo& input, double value) {
  return input.unit.empty() ? ((value != 0) != input.inverted ? 1 : 0) : value * input.counts / input.is;
}

InputLine read_input_line(const std::string& line, const std::vector<InputInfo>& inputs, const std::string& where,
                          bool can_break) {
  constexpr std::size_t begin = 6;  // behind "input "
  const std::size_t space = line.find(' ', begin);
  const std::string name = line.substr(begin, space == std::string::npos ? space : space - begin);
  const std::string word = space == std::string::npos ? "" : line.substr(space + 1);
  InputLine read;
  const auto input = std::ranges::find(inputs, name, &InputInfo::name);
  if (input == inputs.end()) {
    read.wrong = fmt::format("there is no input '{}' on this {}", name, where);
    return read;
  }
  read.row = static_cast<std::size_t>(input - inputs.begin());
  char* end = nullptr;
  const double number = std::strtod(word.c_str(), &end);
  const bool is_contact = input->unit.empty(), is_number = !word.empty() && *end == 0 && std::isfinite(number);
  const bool breaks = can_break && word == "broken";
  if (!breaks && (is_contact ? word != "on" && word != "off" : !is_number)) {
    const std::string right = is_contact ? (can_break ? "\"on\", \"off\"" : "\"on\"") : "a number of " + input->unit;
    const char* const last =
        can_break ? (is_contact ? " or \"broken\"" : ", or \"broken\"") : (is_contact ? " or \"off\"" : "");
    read.wrong = fmt::format("input {} is {}{}", name, right, last);
    return read;
  }
  if (!breaks) read.raw = raw_of(*input, is_contact ? (word == "on" ? 1 : 0) : number);
  read.says = fmt::format("{} is {}{}{}", name, word, is_contact || breaks ? "" : " ", breaks ? "" : input->unit);
  return read;
}

}  // namespace gyrax
