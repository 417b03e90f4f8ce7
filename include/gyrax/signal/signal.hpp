/// The room that turns readings into samples.
///
/// In: readings, in the order in which they happened; once a tick the time. Out: for each reading what changed, and at
/// any time the sample of every control. Never: a value for a control that has not reported since it was plugged in or
/// since a gap; such a control is unknown, which is not neutral.
///
/// The order: ends and direction (calibration), smoothing, dead zone, straight pushes, curve; a key: debounce; a dial:
/// counts a detent. Then the controls that are made of others, each with a shape of its own.
///
///     Signal signal(handsets, controls);
///     Change change = signal.accept(reading, now);
///     for (const SlotId slot : signal.forgotten()) …
///     for (const Change& also : signal.also_changed()) …
///     if (signal.sample(slot).known) …
#pragma once

#include <gyrax/base/lists.hpp>
#include <gyrax/base/reading.hpp>
#include <gyrax/base/recompute.hpp>
#include <gyrax/signal/calibration.hpp>
#include <gyrax/signal/shape.hpp>
#include <gyrax/signal/virtual_control.hpp>

#include <optional>
#include <span>
#include <vector>

namespace gyrax {

/// One control of one handset that the rig uses.
struct ControlSetup {
  HandsetId handset{};  ///< of a made one: that of its first part
  ControlId control{};  ///< no<ControlId> for a made one
  Calibration calibration = Calibration::key();
  Shape shape{};                   ///< the same for both of a pair
  SlotId partner = no<SlotId>;     ///< the other half of a stick that is shaped as one
  bool is_second_of_pair = false;  ///< the y of that pair
  double smoothing_s = 0;          ///< delay of its low pass; 0: none
  Span debounce{};             ///< of a key: after a change nothing counts for so long; then what it is by then does
  int detent = 1;              ///< of a dial: counts for one, [1, 1000]
  double press_at = 0.5;       ///< used as a key: pressed from this deflection on …
  double release_below = 0.4;  ///< … until it is below this
  VirtualControl
      virtual_control{};  ///< of which other controls it is made; those come before it and are not made themselves
  bool trembles = false;  ///< its readings were measured never to stand still, so that between its ends they do not
};

/// What the rig says of a handset's habits.
struct HandsetSetup {
  /// Set for a handset that reports steadily: silence for longer than this is a loss. Not set for one that reports
  /// changes only: there silence means "unchanged", and only presence tells that it is gone.
  std::optional<Span> max_silence;
  /// A reading older than this when it is taken is a fault: its hands may have moved on.
  Span max_age = std::chrono::milliseconds(100);
  /// While an axis moves that this handset moves or enables, something on it has to change at least so often; zero: it
  /// need not. Not set: usual_max_steady where it is wireless, and by cable it need not.
  std::optional<Span> max_steady{};
  /// The same while a control that trembles is held off its rest, where that is shorter; zero: none does.
  Span max_tremble{};
};
/// Longer than anybody holds a stick without the least tremor or change of mind; no standard gives a number.
inline constexpr Span usual_max_steady = std::chrono::seconds(10);

enum class HandsetHealth : std::uint8_t { present, absent, silent };

/// What is wrong with a reading itself.
enum class ReadingFault : std::uint8_t { none, clock, implausible };

/// What one reading changed.
struct Change {
  /// held: a key that is down in the first word that it says, so that nobody saw it being pressed.
  enum class Kind : std::uint8_t { nothing, key, held, moved, counted, present, absent } kind = Kind::nothing;
  SlotId slot = no<SlotId>;  ///< for key, held, moved and counted
  Time at{};                 ///< when it happened, by the reading's own stamp
  std::int32_t counts = 0;   ///< for counted
  bool pressed = false;      ///< for key; with a fault, or kind nothing: whether what was not taken says "pressed"
  bool first = false;        ///< for moved: the control was unknown before
  std::uint32_t lost = 0;  ///< readings known to be lost before this one; all controls of the handset are then unknown
  ReadingFault fault = ReadingFault::none;
  bool unheard = false;  ///< the handset is not present, so that nothing is taken of it; the first time that it is so
};

struct Sample {
  bool known = false;
  bool pressed = false;  ///< keys
  double value = 0;  ///< centred: [-1, 1]; one-sided: [0, 1]; after the dead zone. A dial: 0, known while plugged in
  bool neutral() const noexcept { return known && !pressed && value == 0; }
};

class Signal {
 public:
  /// Handsets by HandsetId, controls by SlotId. Allocates here and nowhere else.
  Signal(std::span<const HandsetSetup> handsets, std::span<const ControlSetup> controls,
         Recompute recompute = Recompute::changed);

  /// Takes one reading. What a reading with a fault is about is unknown afterwards; so is the whole handset where
  /// readings were lost, or came in another order than they were numbered in.
  Change accept(const Reading& reading, Time now) noexcept;
  /// What became unknown with the last accept(), also where that very reading told it anew. Valid until the next.
  std::span<const SlotId> forgotten() const noexcept { return forgotten_; }
  /// Lets time pass, once a tick after its readings: smoothing goes on, debounced keys settle, tilts are looked at.
  void advance(Time now) noexcept;
  /// What the last accept() or advance() changed besides. Valid until the next of them.
  std::span<const Change> also_changed() const noexcept { return also_changed_; }

  /// What a dial was turned of a detent so far does not count.
  void drop_part(SlotId slot) noexcept { memories_[index(slot)].part = 0; }

  /// Gives a control other ends. Refused (false) while its handset is present, or for another kind of control.
  bool calibrate(SlotId slot, const Calibration& calibration) noexcept;

  /// Where an absolute control is before its dead zone, [-1, 1]; of others 0.
  double deflection(SlotId slot) const noexcept {
    const ControlKind kind = controls_[index(slot)].calibration.kind();
    return kind == ControlKind::centred || kind == ControlKind::one_sided ? memories_[index(slot)].deflection : 0;
  }
  const Sample& sample(SlotId slot) const noexcept { return samples_[index(slot)]; }
  const ControlSetup& setup(SlotId slot) const noexcept { return controls_[index(slot)]; }
  HandsetHealth health(HandsetId handset, Time now) const noexcept;
  /// When anything on it was another reading than before: by the reading's own stamp.
  Time changed_at(HandsetId handset) const noexcept { return states_[index(handset)].changed; }
  /// Whether any handset that is present has to change while it moves something.
  bool watches_steady() const noexcept { return watches_steady_; }
  /// The longest that nothing may change on it now, while it moves something; nullopt: for ever.
  std::optional<Span> max_steady(HandsetId handset) const noexcept;
  /// Readings lost so far, by sequence numbers and by the handsets' own word.
  std::uint64_t lost(HandsetId handset) const noexcept { return states_[index(handset)].lost; }
  std::size_t handsets() const noexcept { return states_.size(); }

 private:
  struct State {
    bool present = false;
    bool unheard = false;  // something came while it was not
    bool wireless = false;
    Time changed{};
    std::uint32_t sequence = 0;
    Time last_event{}, last_arrival{};
    std::uint64_t lost = 0;
  };

  /// What a control remembers.
  struct Memory {
    double deflection = 0;  // its target, before smoothing and shaping
    std::int32_t raw = 0;   // the last reading's
    Smoothing smoothing;
    Time at{};          // up to when it is smoothed
    ShapeState shape;   // of a pair: of its x
    bool down = false;  // a debounced key, as it says
    Time counts_from{};
    std::int32_t part = 0;  // of a detent
  };

  SlotId& slot_of(HandsetId handset, ControlId control) noexcept {
    return slot_of_[index(handset) * named_ + index(control)];
  }
  Span limit_of(std::size_t handset) const noexcept;
  void note_change(State& state, SlotId slot, const Reading& reading) noexcept;
  void forget(HandsetId handset) noexcept;
  void forget(SlotId slot) noexcept;
  void forget_with_virtual(SlotId slot) noexcept;
  Change plug(const Reading& reading) noexcept;
  Change refuse(SlotId slot, std::int32_t raw) noexcept;
  Change take(SlotId slot, std::int32_t raw, Time at) noexcept;
  bool take_plain(SlotId slot, std::int32_t raw, Time at) noexcept;
  Change press(SlotId slot, bool down) noexcept;
  Change deflect(SlotId slot, double deflection, Time at) noexcept;
  std::int64_t lost_before(const Reading& reading, bool& in_turn) const noexcept;
  std::int32_t detents(SlotId slot, std::int32_t counts) noexcept;
  void shape(SlotId slot) noexcept;
  void make_all(SlotId part, Time at) noexcept;
  void make(SlotId slot, Time at) noexcept;
  bool smooth(SlotId slot, Time now) noexcept;

  std::vector<HandsetSetup> handsets_;
  std::vector<ControlSetup> controls_;
  std::vector<State> states_;
  std::vector<Sample> samples_;
  std::vector<Memory> memories_;
  std::size_t named_ = 0;            // controls of a handset up to the last one that is used
  std::vector<SlotId> slot_of_;      // [handset][control]
  std::vector<std::uint8_t> plain_;  // by slot: a deflection that changes nothing but itself and its partner
  Lists<SlotId> virtual_of_;         // by slot: what is made of it
  std::vector<SlotId> restless_;     // those that change by time alone
  std::vector<SlotId> trembling_;
  bool watches_steady_ = false;
  std::vector<Change> also_changed_;  // room for every control that can change with another
  std::vector<SlotId> forgotten_;
};

}  // namespace gyrax
