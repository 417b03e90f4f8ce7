/// Pictures, drawn by gnuplot: a process of its own, with no shell and no file between.
///
/// In: a script, its data, somebody's text for the title. Out: a picture. Never: text of somebody as part of a command.
///
///     gnuplot("set terminal svg\nplot '/dev/fd/8' with lines\n", "0 1\n1 2\n", "T\n")
#pragma once

#include <string>
#include <string_view>

namespace gyrax {

/// A picture, or a sentence that says why there is none.
struct Drawn {
  std::string picture, why;
};

/// Where a script reads its data, and its title: a line, behind its first letter.
inline constexpr const char *gnuplot_data = "/dev/fd/8", *gnuplot_title = "/dev/fd/9";

Drawn gnuplot(std::string_view script, std::string_view data, std::string_view title);

}  // namespace gyrax
