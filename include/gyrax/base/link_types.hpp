/// What passes between the engine and whatever moves: frames out, reports back. A simulated machine sees this header
/// and no other of the core.
///
/// Frame: one word per axis of that link in the device's own unit, with how long it is valid. The receiver stops on
/// its own when that runs out. Report: what the far end measured, in the axis's unit.
#pragma once

#include <gyrax/base/category.hpp>
#include <gyrax/base/ids.hpp>
#include <gyrax/base/time.hpp>

#include <cstdint>
#include <optional>
#include <span>

namespace gyrax {

/// off: no power, the brake holds; braked: power, and the brake holds; stand: stay where you are by power alone;
/// follow: be at the position at the frame's time. What has no brake stands where it is braked.
enum class Mode : std::uint8_t { off, stand, follow, braked };

/// One axis of a frame. Unit of position: nm or ndeg; for a servo whole microseconds of pulse; for a motor millionths
/// of full power.
struct AxisWord {
  Mode mode = Mode::off;
  std::int64_t position = 0;
  std::int64_t speed = 0;  ///< the same a second, signed; 0 where the drive knows none
  bool operator==(const AxisWord&) const = default;
};

/// What a link is to carry out besides its axes. It stands in every frame until the action is over.
struct ActionOrder {
  ActionId action{};
  std::uint32_t number = 0;  ///< another one each time: the same action may follow at once
  bool cancelled = false;    ///< it was ended before it was done: the far end stops what it does for it
  bool paused = false;       ///< the far end comes to rest, and goes on once it is not paused any more
  bool operator==(const ActionOrder&) const = default;
};

struct Frame {
  LinkId link{};
  std::uint32_t sequence = 0;
  Time sent{};
  Span valid_for{};  ///< from `sent`; afterwards the receiver must stop by itself
  std::span<const AxisWord> axes;
  std::span<const std::uint8_t> switches;  ///< 0 off, 1 on
  Time due{};                              ///< when the axes are to be where their words say
  std::optional<Category> stop{};          ///< the far end is to stop by itself; reserved for wires
  std::optional<ActionOrder> order{};
};

/// One axis of a report. Where the far end cannot measure it, it may still know where it told the axis to be last;
/// where it knows neither, the numbers mean nothing.
struct AxisReport {
  bool measured = false;
  double position = 0;  ///< mm or deg
  double speed = 0;     ///< mm/s or deg/s, signed; of a measured one
  bool told = false;    ///< the position is where it was told to be last
};

/// One of a link's inputs: a limit switch, a load, a temperature.
struct InputReport {
  InputId input{};
  double value = 0;   ///< in the input's unit; 0 or 1 where it is a contact
  bool fresh = true;  ///< false: the far end has not read it since its last report, and the value is old
  bool operator==(const InputReport&) const = default;
};

/// What became of an action that it was ordered, as often as it likes. timed_out: it gave up by itself.
struct ActionReport {
  enum class Result : std::uint8_t { done, refused, timed_out };
  ActionId action{};
  Result result = Result::done;
  std::uint32_t number = 0;  ///< the order's
  bool operator==(const ActionReport&) const = default;
};

struct LinkReport {
  LinkId link{};
  std::uint32_t sequence = 0;  ///< the heartbeat: one more each time
  Time measured{};             ///< when the far end measured; never after `arrival`
  Time arrival{};
  std::span<const AxisReport> axes;
  std::uint32_t faults = 0;  ///< what is wrong with the far end, a bit for each; while there is one it stops
  Span within{};             ///< it may have measured so much later than `measured`: the far end has a clock of its own
  bool waits = false;        ///< it has been told to have power, and is still switching on: it does not follow yet
  std::span<const InputReport> inputs{};
  std::optional<Time> far_clock{};  ///< the far end's own clock as it measured; reserved for wires
  std::span<const ActionReport> actions{};
};

}  // namespace gyrax
