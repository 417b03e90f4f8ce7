#include <gyrax/permit/runaway.hpp>

#include "../base/size.hpp"

namespace gyrax {
namespace {

// Over more, what was told has changed meanwhile.
constexpr Span max_interval = std::chrono::milliseconds(150);
constexpr std::array<Cause, 4> causes_of_signs{Cause::moves_at_rest, Cause::wrong_way, Cause::overspeed,
                                               Cause::position_frozen};

}  // namespace

Runaway::Runaway(const RunawayTimes& times, double speed, double in_position) noexcept
    : times_{times.moves_at_rest, times.wrong_way, times.overspeed, times.position_frozen},
      slow_(moving_share * speed),
      in_position_(in_position) {}

int Runaway::way_of(const Told& told) const noexcept { return told.speed >= slow_ ? 1 : told.speed <= -slow_ ? -1 : 0; }

void Runaway::begin(Time measured, double position, const Told& told) noexcept {
  at_ = measured;
  from_ = position;
  at_rest_ = told.at_rest;
  way_ = way_of(told);
  peak_ = peak_ + 1 < kept_peaks ? peak_ + 1 : 0;
  peaks_[peak_] = size(told.speed);
}

void Runaway::note(const Told& told) noexcept {
  at_rest_ = at_rest_ && told.at_rest;
  if (way_of(told) != way_) way_ = 0;
  if (size(told.speed) > peaks_[peak_]) peaks_[peak_] = size(told.speed);
}

Cause Runaway::judge(Time measured, double position, const Told& told) noexcept {
  const Span passed = measured - at_;
  if (!started_ || passed > max_interval) {
    started_ = true;
    lasted_.fill({});
    peaks_.fill(0);
    begin(measured, position, told);
    return Cause::none;
  }
  note(told);
  if (passed < min_interval) return Cause::none;
  double peak = 0;
  for (const double one : peaks_) peak = one > peak ? one : peak;
  const double speed = (position - from_) / to_seconds(passed);
  const bool creeps = at_rest_ && size(speed) > slow_ && size(position - told.position) > in_position_;
  const bool turned = way_ * speed < -slow_;
  const bool races = peak > 0 && size(speed) > much_faster * peak + slow_;
  const bool is_frozen = way_ != 0 && position == from_;
  const std::array<bool, signs> shows{creeps, turned, races, is_frozen};
  // A count that flickers goes one way and back.
  const int went = speed > 0 ? 1 : speed < 0 ? -1 : 0;
  for (std::size_t i = 0; went != went_ && i + 1 < signs; ++i) lasted_[i] = {};
  went_ = went;
  Cause wrong = Cause::none;
  for (std::size_t i = signs; i-- > 0;) {
    lasted_[i] = shows[i] ? lasted_[i] + passed : Span{};
    if (times_[i] > Span{} && lasted_[i] >= times_[i]) wrong = causes_of_signs[i];
  }
  begin(measured, position, told);
  return wrong;
}

}  // namespace gyrax
