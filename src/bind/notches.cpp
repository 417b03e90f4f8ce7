#include <gyrax/bind/notches.hpp>

namespace gyrax {

Numbers::Numbers(const NotchSetup& setup) : numbers_(setup.numbers), override_of_(setup.override_of) {
  for (const auto& override : setup.overrides) overrides_.emplace_back(override.values, override.start);
  for (const auto& list : setup.increments) increments_.emplace_back(list.values, list.start);
}

NumberId Numbers::own_of(CoordinateId coordinate) const noexcept {
  NumberId last = no<NumberId>;
  for (std::size_t n = 0; n < numbers_.size(); ++n)
    if (numbers_[n].coordinates.size() == 1 && numbers_[n].coordinates.front() == coordinate) last = id_at<NumberId>(n);
  return last;
}

bool Numbers::move(NumberId number, int by) noexcept {
  const auto& one = numbers_[index(number)];
  if (one.override != no<OverrideId>) return overrides_[index(one.override)].move(by);
  bool moved = false;
  for (const CoordinateId c : one.coordinates) moved = increments_[index(c)].move(by) || moved;
  return moved;
}

bool Numbers::pick(NumberId number, double percent, Nano increment) noexcept {
  const auto& one = numbers_[index(number)];
  if (one.override != no<OverrideId>) return overrides_[index(one.override)].pick(percent);
  bool moved = false;
  for (const CoordinateId c : one.coordinates) moved = increments_[index(c)].pick(increment) || moved;
  return moved;
}

/// Whether a number is, among others, this coordinate's.
bool Numbers::moves(NumberId number, CoordinateId coordinate) const noexcept {
  const auto& one = numbers_[index(number)];
  if (one.override != no<OverrideId>) return override_of(coordinate) == one.override;
  for (const CoordinateId c : one.coordinates)
    if (c == coordinate) return true;
  return false;
}

bool Numbers::move_raises(NumberId number, int by, CoordinateId coordinate) const noexcept {
  if (!moves(number, coordinate)) return false;
  const OverrideId override = numbers_[index(number)].override;
  return override != no<OverrideId> ? overrides_[index(override)].rises(by) : increments_[index(coordinate)].rises(by);
}

bool Numbers::pick_raises(NumberId number, double wanted, Nano increment_wanted,
                          CoordinateId coordinate) const noexcept {
  if (!moves(number, coordinate)) return false;
  const OverrideId override = numbers_[index(number)].override;
  return override != no<OverrideId> ? wanted > percent(override) : increment_wanted > increment(coordinate);
}

}  // namespace gyrax
