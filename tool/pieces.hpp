// What lines of the screen are put together from: words that fit, bars, colours of states.
#pragma once

#include "screen.hpp"

#include <gyrax/motion/limits.hpp>
#include <gyrax/permit/phase.hpp>

#include <string>
#include <vector>

namespace gyrax::tool {

inline constexpr std::size_t bar_width = 7, travel_width = 15, cell = 50;

/// The first `width` characters.
std::string cut_to(const std::string& text, std::size_t width);
std::vector<std::string> split(std::string text, std::size_t width);
/// Names of at most `width` characters, as many as there are. What is too long is cut in its middle; names that differ
/// still do, if need be by their numbers.
std::vector<std::string> distinct(const std::vector<std::string>& names, std::size_t width);
std::string padded(const std::string& text, std::size_t width);
Line fitted_line(Line line, std::size_t columns);
std::string bar(double value, bool centred);
/// A place on a line: 0 its beginning, 1 its end.
std::string place_bar(double share);
std::string travel_bar(double p, const AxisLimits& limits, bool endless);
Style style_of(State state);

}  // namespace gyrax::tool
