/// The room that turns readings into samples.
///
/// In: readings, in the order in which they happened. Out: for each reading what changed, and at any time the sample
/// of every control. Never: a value for a control that has not reported since it was plugged in or since a gap;
/// such a control is unknown, which is not neutral.
///
///     Signal signal(handsets, controls);
///     Change change = signal.accept(reading, now);
///     if (signal.sample(slot).known) …
#pragma once

#include <gyrax/base/reading.hpp>
#include <gyrax/signal/calibration.hpp>

#include <optional>
#include <span>
#include <vector>

namespace gyrax {

/// One control of one handset that the rig uses.
struct ControlSetup {
  HandsetId handset{};
  ControlId control{};
  Calibration calibration = Calibration::key();
  double dead_zone = 0;            ///< [0, 1) of full deflection
  SlotId partner = no<SlotId>;     ///< the other half of a stick whose dead zone is radial
  bool is_second_of_pair = false;  ///< the y of that pair
};

/// What the rig says of a handset's habits.
struct HandsetSetup {
  /// Set for a handset that reports steadily: silence for longer than this is a loss. Not set for one that reports
  /// changes only: there silence means "unchanged", and only presence tells that it is gone.
  std::optional<Span> longest_silence;
  /// A reading older than this when it is taken is a fault: its hands may have moved on.
  Span oldest_reading = std::chrono::milliseconds(100);
};

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
  bool pressed = false;      ///< for key
  bool first = false;        ///< for moved: the control was unknown before
  std::uint32_t lost = 0;    ///< readings known to be lost before this one; all controls of the handset are then unknown
  ReadingFault fault = ReadingFault::none;
};

struct Sample {
  bool known = false;
  bool pressed = false;  ///< keys
  double value = 0;      ///< centred: [-1, 1]; one-sided: [0, 1]; after the dead zone. A dial: 0, known while plugged in
  bool neutral() const noexcept { return known && !pressed && value == 0; }
};

class Signal {
 public:
  /// Handsets by HandsetId, controls by SlotId. Allocates here and nowhere else.
  Signal(std::span<const HandsetSetup> handsets, std::span<const ControlSetup> controls);

  /// Takes one reading. A reading with a fault changes no sample.
  Change accept(const Reading& reading, Time now) noexcept;

  /// Gives a control other ends. Refused (false) while its handset is present, or for another kind of control.
  bool calibrate(SlotId slot, const Calibration& calibration) noexcept;

  const Sample& sample(SlotId slot) const noexcept { return samples_[index(slot)]; }
  const ControlSetup& setup(SlotId slot) const noexcept { return controls_[index(slot)]; }
  HandsetHealth health(HandsetId handset, Time now) const noexcept;
  /// Readings lost so far, by sequence numbers and by the handsets' own word.
  std::uint64_t lost(HandsetId handset) const noexcept { return states_[index(handset)].lost; }
  std::size_t handsets() const noexcept { return states_.size(); }

 private:
  struct State {
    bool present = false;
    std::uint32_t sequence = 0;
    Time last_event{}, last_arrival{};
    std::uint64_t lost = 0;
  };

  void forget(HandsetId handset) noexcept;
  Change plug(const Reading& reading) noexcept;
  Change take(SlotId slot, std::int32_t raw) noexcept;
  void shape_pair(SlotId slot) noexcept;

  std::vector<HandsetSetup> handsets_;
  std::vector<ControlSetup> controls_;
  std::vector<State> states_;
  std::vector<Sample> samples_;
  std::vector<double> deflections_;  // before the dead zone, by slot
  std::vector<SlotId> slot_of_;      // [handset][control]
};

}  // namespace gyrax
