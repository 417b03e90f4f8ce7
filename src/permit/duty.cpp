#include <gyrax/permit/duty.hpp>

namespace gyrax {
namespace {

// A part that has only begun to be too old counts as a whole: what is counted is never less than what was run.
constexpr std::size_t parts = 30;

}  // namespace

Duty::Duty(const DutyLimits& limits) : limits_(limits), runs_(limits.share < 1 ? parts + 1 : 0) {}

/// Adds a run, and forgets what is older than `over`.
void Duty::count(Time now, Span run) noexcept {
  if (runs_.empty()) return;
  const Span length = limits_.over / parts;
  if (now - part_since_ >= 2 * limits_.over) {
    for (Span& one : runs_) one = Span{};
    used_ = Span{};
    part_since_ = now;
  }
  while (now - part_since_ >= length) {
    part_since_ += length;
    part_ = part_ + 1 < runs_.size() ? part_ + 1 : 0;
    used_ -= runs_[part_];
    runs_[part_] = Span{};
  }
  runs_[part_] += run;
  used_ += run;
}

void Duty::pass(Time now, int direction) noexcept {
  const Span passed = started_ && now > last_ ? now - last_ : Span{};
  if (!started_) part_since_ = stands_since_ = now;
  started_ = true;
  last_ = now;
  count(now, direction != 0 ? passed : Span{});
  const Span most = from_seconds(to_seconds(limits_.over) * limits_.share);
  if (direction != 0) {
    ran_ = direction == direction_ ? ran_ + passed : passed;
    direction_ = direction;
    stands_since_ = now;
    const bool too_long = limits_.max_run > Span{} && ran_ >= limits_.max_run;
    rests_ = rests_ || too_long || (!runs_.empty() && used_ >= most);
    return;
  }
  if (now - stands_since_ < limits_.rest) return;
  ran_ = Span{};
  rests_ = rests_ && !runs_.empty() && used_ > most - most / 10;
}

}  // namespace gyrax
