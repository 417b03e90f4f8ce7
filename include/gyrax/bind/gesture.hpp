/// What a press of a key was meant as: a press, a tap, a double tap, a long hold.
///
/// In: presses and releases by their own stamps, what is bound to each key, and the time. Out: what each turned out to
/// be, with the time at which that was so. Never: a delay where a key has a plain press alone.
///
/// A plain press beside others waits until it can be none of them (rival_delay says how long at most). A key let go
/// within `tap` is a tap; pressed again within `gap` of that, a double tap; down for its hold time, a hold. What is
/// none of those is a press.
///
///     Gestures gestures(slots, {});
///     for (const Gestures::Outcome& o : gestures.press(slot, at, {.double_tap = true})) …
///     for (const Gestures::Outcome& o : gestures.pass(now)) …
#pragma once

#include <gyrax/base/ids.hpp>
#include <gyrax/base/time.hpp>

#include <span>
#include <vector>

namespace gyrax {

enum class Gesture : std::uint8_t { press, release, tap, double_tap, hold, chord };

struct AboutGesture {
  Gesture gesture;
  const char* key;   ///< as the rig spells it; none: keys together are no key of their own
  const char* said;  ///< behind the control's name, for a person
  bool over;         ///< over as it begins: nothing is held afterwards
};
/// A row for each gesture.
std::span<const AboutGesture> about_gestures() noexcept;
const AboutGesture& about(Gesture gesture) noexcept;

struct GestureTimes {
  Span tap = std::chrono::milliseconds(250);   ///< the longest tap
  Span gap = std::chrono::milliseconds(250);   ///< the longest time between the two of a double tap
  Span chord = std::chrono::milliseconds(80);  ///< between the first and the last key of a chord
};

/// What a key has besides its plain press.
struct Rivals {
  bool tap = false, double_tap = false, chord = false;
  Span hold{};  ///< 0: no hold
  bool any() const noexcept { return tap || double_tap || chord || hold > Span{}; }
  /// Counts another of the key's gestures; `hold_time` of a hold.
  void add(Gesture gesture, Span hold_time) noexcept;
};

/// The longest that a plain press, counted from the moment the key goes down, may have to wait beside these.
Span rival_delay(const Rivals& rivals, const GestureTimes& times) noexcept;

class Gestures {
 public:
  struct Outcome {
    SlotId slot{};
    Gesture gesture = Gesture::press;
    bool over = false;  ///< the key is up again: a tap, or a press that had to wait
    Time at{};          ///< when it was so
  };

  Gestures(std::size_t slots, const GestureTimes& times);

  // The spans are valid until the next call. Stamps may be out of order between keys, not within one.
  std::span<const Outcome> press(SlotId slot, Time at, const Rivals& rivals) noexcept;
  std::span<const Outcome> release(SlotId slot, Time at) noexcept;
  /// What turned out by time alone, in the order in which it did.
  std::span<const Outcome> pass(Time now) noexcept;
  /// Part of something else, a chord: its press is no gesture of its own any more.
  void take(SlotId slot) noexcept;
  /// Nobody knows whether it is down.
  void forget(SlotId slot) noexcept;

  /// Whether it is down, or was tapped and may be tapped again.
  bool under_way(SlotId slot) const noexcept { return keys_[index(slot)].stage != Stage::idle; }
  /// Whether time alone decides what some key was meant as.
  bool waiting() const noexcept { return waiting_ > 0; }
  /// Whether it is up, and was tapped a moment ago.
  bool tapped(SlotId slot) const noexcept { return keys_[index(slot)].stage == Stage::tapped; }
  /// Whether it is down since `at` or later and what that is has not turned out yet.
  bool undecided_since(SlotId slot, Time at) const noexcept;
  /// Of a key that is down and has a hold: how far that is, [0, 1]; otherwise 0.
  double hold_share(SlotId slot, Time now) const noexcept;
  const GestureTimes& times() const noexcept { return times_; }

 private:
  enum class Stage : std::uint8_t { idle, undecided, tapped, decided };
  struct Key {
    Rivals rivals;
    Time down_at{}, turns_at{};  // turns_at: undecided or tapped, when time alone decides
    Stage stage = Stage::idle;
  };
  void wait(Key& key, Stage stage, Time until) noexcept;
  void decide(SlotId slot, Gesture gesture, Time at, bool over, Stage stage) noexcept;

  GestureTimes times_;
  std::vector<Key> keys_;
  std::vector<Outcome> outcomes_;
  std::size_t waiting_ = 0;  // keys that are undecided or tapped
  Time next_{};              // no later than the first of them is decided by time alone
};

}  // namespace gyrax
