#include "recorder.hpp"

#include <linux/input-event-codes.h>

#include <algorithm>

namespace gyrax {
namespace {

constexpr Time still_plugged = Time::max();

std::int64_t in_us(Span span) { return span / std::chrono::microseconds(1); }

}  // namespace

void Recorder::start(Time now) {
  const std::lock_guard held(lock_);
  recording_ = Recording{now, true, std::vector<SessionHandset>(max_handsets)};
}

std::pair<std::vector<SessionHandset>, Span> Recorder::stop(Time now) {
  const std::lock_guard held(lock_);
  if (!recording_) return {};
  const Time end{now - recording_->zero};
  std::vector<SessionHandset> all;
  for (SessionHandset& handset : recording_->handsets) {
    if (handset.plugged.empty()) continue;
    if (handset.plugged.back().second == still_plugged) handset.plugged.back().second = end;
    all.push_back(std::move(handset));
  }
  recording_.reset();
  return {std::move(all), end.time_since_epoch()};
}

bool Recorder::recording() const {
  const std::lock_guard held(lock_);
  return recording_.has_value();
}

bool Recorder::begins() {
  const std::lock_guard held(lock_);
  if (!recording_ || !recording_->fresh) return false;
  recording_->fresh = false;
  return true;
}

void Recorder::plugged(std::size_t seat, const SeenHandset& seen, Time at) {
  const std::lock_guard held(lock_);
  // A recording that is about to begin takes this seat with all others.
  if (!recording_ || recording_->fresh) return;
  const Span since = std::max(at - recording_->zero, Span{0});
  SessionHandset& handset = recording_->handsets[seat];
  handset.name = seen.name;
  handset.track.device = seen.device;
  handset.plugged.emplace_back(Time{since}, still_plugged);
  // Keys that are down come with their next press: nobody saw this one.
  bool any = false;
  for (const SeenControl& control : seen.controls) {
    const ControlName& name = all_controls()[index(control.control)];
    if (!control.known || (name.kind != ControlKind::centred && name.kind != ControlKind::one_sided)) continue;
    handset.track.events.push_back({in_us(since), name.type, name.code, control.raw});
    any = true;
  }
  if (any) handset.track.events.push_back({in_us(since), EV_SYN, SYN_REPORT, 0});
}

void Recorder::unplugged(std::size_t seat, Time at) {
  const std::lock_guard held(lock_);
  if (recording_ && !recording_->handsets[seat].plugged.empty())
    recording_->handsets[seat].plugged.back().second = Time{at - recording_->zero};
}

void Recorder::events(std::size_t seat, const std::vector<InputEvent>& events, const BootClock& clock) {
  const std::lock_guard held(lock_);
  if (!recording_ || recording_->handsets[seat].plugged.empty()) return;
  for (InputEvent event : events) {
    const Time at = clock.at(event.time_us * 1000);
    if (at < recording_->zero) continue;
    event.time_us = in_us(at - recording_->zero);
    recording_->handsets[seat].track.events.push_back(event);
  }
}

}  // namespace gyrax
