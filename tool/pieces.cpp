#include "pieces.hpp"

#include <algorithm>
#include <cmath>

namespace gyrax::tool {

std::string cut_to(const std::string& text, std::size_t width) {
  std::size_t seen = 0, at = 0;
  while (at < text.size() && seen < width) {
    ++at;
    while (at < text.size() && (static_cast<unsigned char>(text[at]) & 0xc0u) == 0x80u) ++at;
    ++seen;
  }
  return text.substr(0, at);
}

/// A sentence on lines of at most `width`, broken between words.
std::vector<std::string> split(std::string text, std::size_t width) {
  std::vector<std::string> parts;
  do {
    std::string part = cut_to(text, width);
    if (part.size() < text.size() && text[part.size()] != ' ')
      if (const std::size_t space = part.rfind(' '); space != std::string::npos && space > 0) part.resize(space);
    if (part.empty()) break;
    text.erase(0, part.size());
    if (text.starts_with(' ')) text.erase(0, 1);
    parts.push_back(std::move(part));
  } while (!text.empty());
  return parts;
}

std::vector<std::string> distinct(const std::vector<std::string>& names, std::size_t width) {
  std::vector<std::string> made;
  for (const std::string& name : names) {
    const std::size_t is = width_of(name), head = width / 2, tail = width - head - 1;
    std::string text = is <= width ? name : cut_to(name, head) + "…" + name.substr(cut_to(name, is - tail).size());
    const auto stands_for_another = [&] {
      for (std::size_t i = 0; i < made.size(); ++i)
        if (made[i] == text && names[i] != name) return true;
      return false;
    };
    for (std::size_t number = 2; stands_for_another(); ++number) {
      const std::string mark = "~" + std::to_string(number);
      text = cut_to(name, width - mark.size()) + mark;
    }
    made.push_back(std::move(text));
  }
  return made;
}

std::string padded(const std::string& text, std::size_t width) {
  const std::size_t is = width_of(text);
  return is >= width ? cut_to(text, width) : text + std::string(width - is, ' ');
}

/// A line's pieces, none beyond `columns`.
Line fitted_line(Line line, std::size_t columns) {
  std::size_t used = 0;
  for (Piece& piece : line) {
    const std::size_t width = width_of(piece.text);
    if (used + width > columns) piece.text = cut_to(piece.text, columns - used);
    used += width_of(piece.text);
  }
  return line;
}

/// "····|██···" of a value in [-1, 1], or "███·····" of one in [0, 1].
std::string bar(double value, bool centred) {
  std::string text;
  const double half = (bar_width - 1) / 2.0;
  for (std::size_t i = 0; i < bar_width; ++i) {
    const double place = static_cast<double>(i);
    const bool middle = centred && place == half;
    const double to = centred ? half + value * half : value * bar_width - 0.5;
    const bool on =
        centred ? (value > 0 ? place > half && place <= to + 0.5 : place < half && place >= to - 0.5) : place <= to;
    text += middle ? "│" : on ? "█" : "·";
  }
  return text;
}

/// Where an axis stands within its travel.
std::string travel_bar(double p, const AxisLimits& limits, bool endless) {
  const double turns = p / 360;
  const double share = endless ? turns - std::floor(turns) : (p - limits.low()) / (limits.high() - limits.low());
  return place_bar(share);
}

std::string place_bar(double share) {
  const auto at = static_cast<std::size_t>(std::lround(std::clamp(share, 0.0, 1.0) * (travel_width - 1)));
  std::string text;
  for (std::size_t i = 0; i < travel_width; ++i) text += i == at ? "█" : "─";
  return text;
}

Style style_of(State state) {
  switch (state) {
    case State::live: return Style::good;
    case State::ready:
    case State::stopping: return Style::warn;
    case State::tripped: return Style::bad;
    case State::stowed: break;
  }
  return Style::dim;
}

std::size_t width_of(const std::string& text) {
  return static_cast<std::size_t>(
      std::count_if(text.begin(), text.end(), [](char c) { return (static_cast<unsigned char>(c) & 0xc0u) != 0x80u; }));
}

}  // namespace gyrax::tool
