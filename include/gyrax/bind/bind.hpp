/// The room that knows which control asks for what.
///
/// In: what each reading changed, and the samples. Out: for each change the asks that follow from it, in order; once a
/// tick the requests of all coordinates. Never: an ask from a control that is deflected while its layer changes, before
/// it has been at neutral.
///
///     for (const Ask& ask : bind.changed(change, signal)) …
///     bind.requests(signal, requests);
#pragma once

#include <gyrax/base/request.hpp>
#include <gyrax/bind/notches.hpp>
#include <gyrax/signal/signal.hpp>

#include <span>
#include <vector>

namespace gyrax {

enum class Effect : std::uint8_t {
  jog,
  step,
  handwheel,
  follow,
  go,
  pose,
  set,
  rate,
  increment,
  reduced,
  ready,
  stow,
  enable,
  stop,
  reset
};
enum class SwitchTo : std::uint8_t { off, on, toggle, while_held };

/// A key's jog grows: after so long it runs at this share of its speed.
struct JogStage {
  Span after{};
  double share = 1;  ///< (0, 1]
};

/// One of the places that make a pose.
struct PosePlace {
  CoordinateId coordinate{};
  Nano goal = 0;
};

static_assert(Effect::pose < Effect::set && Effect::set < Effect::ready);  // what moves; what does not; what permits

/// One line of the rig: this control, in this layer, asks for this effect. Which fields count follows from the effect.
struct BindingSetup {
  SlotId slot{};
  SlotId layer = no<SlotId>;  ///< counts only while this control is held; none: the base layer
  Effect effect = Effect::jog;
  std::uint32_t zones = ~0u;       ///< of ready, stow, enable, stop, reset: bit per zone
  CoordinateId coordinate{};       ///< of jog, step, handwheel, follow, go
  double share = 1;                ///< of jog: [-1, 1], of the speed in force at full deflection or while held
  double accel = 1;                ///< of jog: (0, 1], of the axis's acceleration
  int count = 1;                   ///< of step and handwheel: increments; of rate and increment: notches; signed
  Nano goal = 0;                   ///< of go
  Nano behind = 0;                 ///< of handwheel: the most that the axis may owe; 0: every count is kept
  double low = 0, high = 0;        ///< of follow: the positions at the control's two ends; high may be the lower one
  double catch_up = 0;             ///< of follow: unit/s until the control is met
  SwitchId target{};               ///< of set
  SwitchTo to = SwitchTo::toggle;  ///< of set and reduced
  double squeeze = 2;              ///< of enable on a one-sided control: beyond this share it is squeezed; > 1: never
  std::vector<JogStage> stages;    ///< of jog by a key: rising in time; none: the whole share at once
  std::vector<PosePlace> pose;     ///< of pose: axes of one group
};

/// What a person asked for at one moment.
struct Ask {
  enum class Kind : std::uint8_t { ready, stow, enable, release, squeeze, stop, reset, step, wheel, set, rate, increment, reduced };
  Kind kind = Kind::stop;
  BindingId binding{};
  std::uint32_t zones = 0;
  CoordinateId coordinate{};
  Nano by = 0;              ///< of step; of wheel: for each count
  std::int64_t counts = 0;  ///< of wheel
  SwitchId target{};        ///< of set
  SwitchTo to = SwitchTo::toggle;
};

/// The numbers that bindings pick from.
struct NotchSetup {
  std::vector<double> rates{100};  ///< percent, in (0, 100]
  std::size_t rate = 0;
  struct Increments {
    std::vector<Nano> values;  ///< may be empty: the axis takes no steps
    std::size_t start = 0;
  };
  std::vector<Increments> increments;  ///< by CoordinateId
  /// Reduced speed, for setting up: shares of speed and acceleration while it is on.
  struct Reduced {
    double speed = 1, accel = 1;  ///< (0, 1]
    bool starts_on = false;
  } reduced;
};

class Bind {
 public:
  Bind(std::span<const BindingSetup> bindings, std::size_t slots, const NotchSetup& notches);

  /// What follows at once from one change. The span is valid until the next call.
  std::span<const Ask> changed(const Change& change, const Signal& signal) noexcept;

  /// What is asked for at the time `now` by everything that is deflected or held; `out` by CoordinateId.
  void requests(const Signal& signal, Time now, std::span<Request> out) noexcept;

  /// The rate in force, (0, 1].
  double rate() const noexcept { return rate_.value() / 100; }
  /// Whether reduced speed is on: latched, or held by a control.
  bool reduced() const noexcept { return reduced_ || reduced_held_ > 0; }
  /// The increment in force; 0 where the coordinate takes no steps.
  Nano increment(CoordinateId coordinate) const noexcept;
  const BindingSetup& binding(BindingId binding) const noexcept { return bindings_[index(binding)]; }

  /// A deflection counts as a press from the first of these shares on, until it is back below the second.
  static constexpr double press_at = 0.5, release_below = 0.4;

 private:
  struct State {
    bool armed = false;     // jog by deflection: has been at neutral since the binding came to count
    bool engaged = false;   // jog, go, pose by a key: pressed since the binding came to count
    Time since{};           // and when
    bool squeezed = false;  // enable: squeezed since it was last let go
  };
  bool pressed(SlotId slot, const Signal& signal) const noexcept;
  bool counts(std::size_t row, const Signal& signal) const noexcept;
  bool press_changed(const Change& change, const Signal& signal) noexcept;
  void on_press(std::size_t row, Time at) noexcept;
  void on_release(std::size_t row) noexcept;
  void reduce(std::size_t row, bool pressed) noexcept;
  void add_request(std::size_t row, const Sample& sample, Time now, std::span<Request> out) noexcept;
  static double grown(const BindingSetup& b, Span held) noexcept;
  void watch_squeeze(std::size_t row, const Signal& signal) noexcept;
  void ask(Ask::Kind kind, std::size_t row) noexcept;

  /// A binding that asks for motion as long as it is deflected or held.
  struct Moving {
    BindingId binding{};
    SlotId slot{};
    CoordinateId coordinate{};
    bool by_key = false, follows = false, layered = false;  // layered: whether it counts depends on what else is held
  };
  void follow(const BindingSetup& b, const Sample& sample, bool centred, Request& request) const noexcept;

  std::vector<BindingSetup> bindings_;
  std::vector<State> states_;
  std::vector<Moving> moving_;
  std::vector<std::uint8_t> pressed_;            // by slot: deflections taken as presses
  std::vector<std::vector<BindingId>> of_slot_;  // bindings of a slot
  std::vector<std::vector<SlotId>> rivals_;      // by binding of the base layer: layers in which its control does else
  std::vector<Ask> asks_;
  Notches<double> rate_;
  bool reduced_ = false;
  int reduced_held_ = 0;  // controls that hold it
  std::vector<Notches<Nano>> increments_;
};

}  // namespace gyrax
