#include <gyrax/base/nano.hpp>
#include <gyrax/base/visit.hpp>
#include <gyrax/output/drive.hpp>

namespace gyrax {
AxisWord CountedMap::word(const AxisCommand& command) const noexcept {
  // Most axes rest most of the time, and rounding is dear where doubles are computed in software.
  return {command.mode, to_nano(command.p), command.v == 0 ? 0 : to_nano(command.v)};
}

bool is_place(const Drive& drive) noexcept {
  bool place = true;
  visit_held(drive, [&]<class Kind>(const Kind&) { place = Kind::is_place; });
  return place;
}

AxisWord word_of(const Drive& drive, const AxisCommand& command) noexcept {
  AxisWord word;
  visit_held(drive, [&](const auto& kind) { word = kind.word(command); });
  return word;
}

WordMeaning meaning_of(const Drive& drive) noexcept {
  WordMeaning meaning;
  visit_held(drive, [&](const auto& kind) { meaning = kind.meaning(); });
  return meaning;
}

}  // namespace gyrax
