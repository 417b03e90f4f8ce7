#include <gyrax/base/nano.hpp>
#include <gyrax/output/servo.hpp>

#include <cmath>

namespace gyrax {
namespace {

constexpr double max_speed_us = 1e9;

}  // namespace

std::optional<ServoMap> ServoMap::make(double low, double high, int low_us, int high_us, bool reversed,
                                       int trim_us) noexcept {
  if (!(is_position(low) && is_position(high) && low < high)) return std::nullopt;
  if (low_us < min_us || high_us > max_us || low_us >= high_us) return std::nullopt;
  if (trim_us <= low_us - high_us || trim_us >= high_us - low_us) return std::nullopt;
  ServoMap map;
  map.low_ = low;
  map.high_ = high;
  map.low_us_ = low_us;
  map.high_us_ = high_us;
  map.trim_us_ = trim_us;
  map.reversed_ = reversed;
  return map;
}

double ServoMap::exact_us(double position) const noexcept {
  const double share = (position - low_) / (high_ - low_);
  const double run = share * (high_us_ - low_us_);
  return (reversed_ ? high_us_ - run : low_us_ + run) + trim_us_;
}

int ServoMap::pulse_us(double position) const noexcept {
  const double pulse = std::floor(exact_us(position) + 0.5);
  if (pulse >= high_us_) return high_us_;
  if (pulse <= low_us_) return low_us_;
  if (!(pulse > low_us_)) return low_us_ + (high_us_ - low_us_) / 2;
  return static_cast<int>(pulse);
}

bool ServoMap::reaches(double position) const noexcept {
  const double pulse = std::floor(exact_us(position) + 0.5);
  return pulse >= low_us_ && pulse <= high_us_;
}

AxisWord ServoMap::word(const AxisCommand& command) const noexcept {
  const double slope = (reversed_ ? -1 : 1) * (high_us_ - low_us_) / (high_ - low_);
  const double speed = std::floor(command.v * slope + 0.5);
  const bool counts = speed >= -max_speed_us && speed <= max_speed_us;
  return {command.mode, pulse_us(command.p), counts ? static_cast<std::int64_t>(speed) : 0};
}

double ServoMap::position(int pulse_us) const noexcept {
  const double run = static_cast<double>(pulse_us - trim_us_ - low_us_) / (high_us_ - low_us_);
  const double share = reversed_ ? 1 - run : run;
  return low_ + share * (high_ - low_);
}

WordMeaning ServoMap::meaning() const noexcept {
  WordMeaning meaning;
  meaning.scale = (position(high_us_) - position(low_us_)) / (high_us_ - low_us_);
  meaning.offset = position(low_us_) - meaning.scale * low_us_;
  return meaning;
}

}  // namespace gyrax
