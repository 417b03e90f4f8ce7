// What a live run and the handsets look like: lines of styled text, for a terminal of any size. No terminal here.
#pragma once

#include <gyrax/live/runner.hpp>
#include <gyrax/rig/rig.hpp>

#include <string>
#include <vector>

namespace gyrax::tool {

enum class Style { plain, dim, strong, good, warn, bad };

struct Piece {
  std::string text;
  Style style = Style::plain;
};
using Line = std::vector<Piece>;

/// What there is to show; what is missing is a null pointer.
struct Scene {
  std::string title;                  ///< what runs
  std::string keys;                   ///< which keys do what
  std::optional<std::string> typing;  ///< of an action's name, so far
  std::vector<std::string> facts;     ///< where the logbook goes, what was not allowed …
  const Rig* rig = nullptr;
  const RunView* run = nullptr;
  const SeenHandsets* hands = nullptr;
  std::vector<double> reports_per_s;  ///< by seat
  double time_s = 0;
};

/// At most `rows` lines of `columns` characters; what does not fit is left out and said.
std::vector<Line> compose(const Scene& scene, std::size_t columns, std::size_t rows);

/// A control's value before the dead zone: -1..1, 0..1, 0 or 1; a dial's counts.
double value_of(const SeenControl& control);

/// The number of characters of a text in UTF-8.
std::size_t width_of(const std::string& text);

}  // namespace gyrax::tool
