#include <gyrax/bind/gesture.hpp>

#include <array>

namespace gyrax {
namespace {

constexpr std::array<AboutGesture, 6> gestures{{{Gesture::press, "press", "", false},
                                                {Gesture::release, "release", " released", true},
                                                {Gesture::tap, "tap", " tapped", true},
                                                {Gesture::double_tap, "double_tap", " tapped twice", false},
                                                {Gesture::hold, "hold", " held", false},
                                                {Gesture::chord, nullptr, " together", false}}};

// Found by their gesture's number.
static_assert([] {
  for (std::size_t i = 0; i < gestures.size(); ++i)
    if (static_cast<std::size_t>(gestures[i].gesture) != i) return false;
  return true;
}());

}  // namespace

std::span<const AboutGesture> about_gestures() noexcept { return gestures; }
const AboutGesture& about(Gesture gesture) noexcept { return gestures[static_cast<std::size_t>(gesture)]; }

void Rivals::add(Gesture gesture, Span hold_time) noexcept {
  tap = tap || gesture == Gesture::tap;
  double_tap = double_tap || gesture == Gesture::double_tap;
  chord = chord || gesture == Gesture::chord;
  if (gesture == Gesture::hold) hold = hold_time;
}

Span rival_delay(const Rivals& rivals, const GestureTimes& times) noexcept {
  Span longest{};
  const auto at_least = [&](Span span) { longest = span > longest ? span : longest; };
  if (rivals.chord) at_least(times.chord);
  if (rivals.tap || rivals.double_tap) at_least(times.tap);
  if (rivals.double_tap) at_least(times.tap + times.gap);
  at_least(rivals.hold);
  return longest;
}

Gestures::Gestures(std::size_t slots, const GestureTimes& times) : times_(times), keys_(slots) {
  outcomes_.reserve(slots + 2);
}

void Gestures::decide(SlotId slot, Gesture gesture, Time at, bool over, Stage stage) noexcept {
  Key& key = keys_[index(slot)];
  if (key.stage == Stage::undecided || key.stage == Stage::tapped) --waiting_;
  key.stage = stage;
  outcomes_.push_back({slot, gesture, over, at});
}

void Gestures::wait(Key& key, Stage stage, Time until) noexcept {
  key.stage = stage;
  key.turns_at = until;
  if (waiting_ == 0 || until < next_) next_ = until;
  ++waiting_;
}

std::span<const Gestures::Outcome> Gestures::press(SlotId slot, Time at, const Rivals& rivals) noexcept {
  outcomes_.clear();
  Key& key = keys_[index(slot)];
  if (key.stage == Stage::tapped) {
    decide(slot, Gesture::double_tap, at, false, Stage::decided);
    return outcomes_;
  }
  forget(slot);
  key.rivals = rivals;
  key.down_at = at;
  if (!rivals.any()) {
    decide(slot, Gesture::press, at, false, Stage::decided);
    return outcomes_;
  }
  wait(key, Stage::undecided,
       at + (rivals.hold > Span{}              ? rivals.hold
             : rivals.tap || rivals.double_tap ? times_.tap
                                               : times_.chord));
  return outcomes_;
}

std::span<const Gestures::Outcome> Gestures::release(SlotId slot, Time at) noexcept {
  outcomes_.clear();
  Key& key = keys_[index(slot)];
  // Nobody saw it being pressed.
  if (key.stage == Stage::idle || key.stage == Stage::tapped) return outcomes_;
  if (key.stage == Stage::undecided) {
    const bool tap = at - key.down_at <= times_.tap;
    if (tap && key.rivals.double_tap) {
      --waiting_;
      wait(key, Stage::tapped, at + times_.gap);
    } else {
      decide(slot, tap && key.rivals.tap ? Gesture::tap : Gesture::press, at, true, Stage::idle);
    }
  } else {
    key.stage = Stage::idle;
  }
  outcomes_.push_back({slot, Gesture::release, true, at});
  return outcomes_;
}

std::span<const Gestures::Outcome> Gestures::pass(Time now) noexcept {
  outcomes_.clear();
  // One after the other, the earliest first; each round decides one key.
  while (waiting_ > 0 && next_ <= now) {
    std::size_t first = keys_.size(), next = keys_.size();
    for (std::size_t i = 0; i < keys_.size(); ++i) {
      const Key& key = keys_[i];
      const bool waits = key.stage == Stage::undecided || key.stage == Stage::tapped;
      const bool holds = key.stage == Stage::undecided && key.rivals.hold > Span{};
      // Held for exactly its time it is a hold; what must not come later may come at the very end of its time.
      const bool due = holds ? key.turns_at <= now : key.turns_at < now;
      if (waits && due && (first == keys_.size() || key.turns_at < keys_[first].turns_at)) first = i;
      if (waits && (next == keys_.size() || key.turns_at < keys_[next].turns_at)) next = i;
    }
    next_ = keys_[next].turns_at;
    if (first == keys_.size()) break;
    const Key& key = keys_[first];
    const SlotId slot = id_at<SlotId>(first);
    if (key.stage == Stage::tapped) {
      decide(slot, key.rivals.tap ? Gesture::tap : Gesture::press, key.turns_at, true, Stage::idle);
    } else {
      decide(slot, key.rivals.hold > Span{} ? Gesture::hold : Gesture::press, key.turns_at, false, Stage::decided);
    }
  }
  return outcomes_;
}

void Gestures::take(SlotId slot) noexcept {
  forget(slot);
  keys_[index(slot)].stage = Stage::decided;
}

void Gestures::forget(SlotId slot) noexcept {
  Key& key = keys_[index(slot)];
  if (key.stage == Stage::undecided || key.stage == Stage::tapped) --waiting_;
  key.stage = Stage::idle;
}

bool Gestures::undecided_since(SlotId slot, Time at) const noexcept {
  const Key& key = keys_[index(slot)];
  return key.stage == Stage::undecided && key.down_at >= at;
}

double Gestures::hold_share(SlotId slot, Time now) const noexcept {
  const Key& key = keys_[index(slot)];
  if (key.stage != Stage::undecided || !(key.rivals.hold > Span{})) return 0;
  const double share = to_seconds(now - key.down_at) / to_seconds(key.rivals.hold);
  return share < 0 ? 0 : share > 1 ? 1 : share;
}

}  // namespace gyrax
