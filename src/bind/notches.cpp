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

}  // namespace gyrax
