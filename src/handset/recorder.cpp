#include "recorder.hpp"

#include <linux/input-event-codes.h>

#include <algorithm>

namespace gyrax {
namespace {

constexpr Time still_plugged = Time::max();
constexpr std::size_t most_kept = 1u << 14;  // events: seconds of two fast pads

std::int64_t in_us(Span span) { return span / std::chrono::microseconds(1); }

/// It was plugged in until then, where nothing has said earlier.
void end(SessionHandset& handset, Time at) {
  if (!handset.plugged.empty() && handset.plugged.back().second == still_plugged) handset.plugged.back().second = at;
}

}  // namespace

Recorder::Recorder(const BootClock& clock) : clock_(clock), kept_(most_kept) {}

void Recorder::start(Time now) {
  const std::lock_guard held(lock_);
  take_kept();  // of an earlier one
  wanted_.store(true, std::memory_order_relaxed);
  recording_ = Recording{now, true, std::vector<SessionHandset>(max_handsets)};
}

std::pair<std::vector<SessionHandset>, Span> Recorder::stop(Time now) {
  const std::lock_guard held(lock_);
  if (!recording_) return {};
  wanted_.store(false, std::memory_order_relaxed);
  take_kept();
  const Time ended{now - recording_->zero};
  std::vector<SessionHandset> all;
  for (SessionHandset& handset : recording_->handsets) {
    if (handset.plugged.empty()) continue;
    end(handset, ended);
    all.push_back(std::move(handset));
  }
  recording_.reset();
  return {std::move(all), ended.time_since_epoch()};
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
  // What was kept since `seen` was looked at comes after it: it may be told twice, and is not lost.
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
  take_kept();
  if (recording_) end(recording_->handsets[seat], Time{at - recording_->zero});
}

void Recorder::collect() {
  const std::lock_guard held(lock_);
  take_kept();
}

void Recorder::keep(const Kept& one) noexcept {
  // What did not fit is a drop, as of the kernel's own.
  const Kept drop{one.seat, {one.event.time_us, EV_SYN, SYN_DROPPED, 0}, false};
  if (full_[one.seat] && !kept_.push(drop)) return;
  full_[one.seat] = !kept_.push(one);
}

void Recorder::take_kept() {
  for (Kept one; kept_.pop(one);) {
    if (!recording_ || recording_->handsets[one.seat].plugged.empty()) continue;
    SessionHandset& handset = recording_->handsets[one.seat];
    const Time at{clock_.at(one.event.time_us * 1000) - recording_->zero};
    if (at < Time{}) continue;
    if (one.gone) {
      end(handset, at);
      continue;
    }
    one.event.time_us = in_us(at.time_since_epoch());
    handset.track.events.push_back(one.event);
  }
}

}  // namespace gyrax
