#include <gyrax/bind/notches.hpp>

namespace gyrax {

Numbers::Numbers(const NotchSetup& setup) : numbers_(setup.numbers), rate_of_(setup.rate_of) {
  for (const auto& rate : setup.rates) rates_.emplace_back(rate.values, rate.start);
  for (const auto& list : setup.increments) increments_.emplace_back(list.values, list.start);
}

bool Numbers::move(NumberId number, int by) noexcept {
  const auto& one = numbers_[index(number)];
  if (one.rate != no<RateId>) return rates_[index(one.rate)].move(by);
  bool moved = false;
  for (const CoordinateId c : one.coordinates) moved = increments_[index(c)].move(by) || moved;
  return moved;
}

bool Numbers::pick(NumberId number, double percent, Nano increment) noexcept {
  const auto& one = numbers_[index(number)];
  if (one.rate != no<RateId>) return rates_[index(one.rate)].pick(percent);
  bool moved = false;
  for (const CoordinateId c : one.coordinates) moved = increments_[index(c)].pick(increment) || moved;
  return moved;
}

/// Whether a number is, among others, this coordinate's.
bool Numbers::moves(NumberId number, CoordinateId coordinate) const noexcept {
  const auto& one = numbers_[index(number)];
  if (one.rate != no<RateId>) return rate_of(coordinate) == one.rate;
  for (const CoordinateId c : one.coordinates)
    if (c == coordinate) return true;
  return false;
}

bool Numbers::move_raises(NumberId number, int by, CoordinateId coordinate) const noexcept {
  if (!moves(number, coordinate)) return false;
  const RateId rate = numbers_[index(number)].rate;
  return rate != no<RateId> ? rates_[index(rate)].rises(by) : increments_[index(coordinate)].rises(by);
}

bool Numbers::pick_raises(NumberId number, double wanted, Nano increment_wanted, CoordinateId coordinate) const noexcept {
  if (!moves(number, coordinate)) return false;
  const RateId rate = numbers_[index(number)].rate;
  return rate != no<RateId> ? wanted > percent(rate) : increment_wanted > increment(coordinate);
}

}  // namespace gyrax
