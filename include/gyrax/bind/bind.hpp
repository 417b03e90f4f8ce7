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

enum class Effect : std::uint8_t { jog, step, go, set, rate, increment, ready, stow, enable, stop, reset };
enum class SwitchTo : std::uint8_t { off, on, toggle };

/// One line of the rig: this control, in this layer, asks for this effect. Which fields count follows from the effect.
struct BindingSetup {
  SlotId slot{};
  SlotId layer = no<SlotId>;  ///< counts only while this control is held; none: the base layer
  Effect effect = Effect::jog;
  std::uint32_t zones = ~0u;       ///< of ready, stow, enable, stop, reset: bit per zone
  CoordinateId coordinate{};       ///< of jog, step, go
  double share = 1;                ///< of jog: [-1, 1], of the speed in force at full deflection or while held
  int count = 1;                   ///< of step: increments; of rate and increment: notches; signed
  Nano goal = 0;                   ///< of go
  SwitchId target{};               ///< of set
  SwitchTo to = SwitchTo::toggle;  ///< of set
  double squeeze = 2;              ///< of enable on a one-sided control: beyond this share it is squeezed; > 1: never
};

/// What a person asked for at one moment.
struct Ask {
  enum class Kind : std::uint8_t { ready, stow, enable, release, squeeze, stop, reset, step, set, rate, increment };
  Kind kind = Kind::stop;
  BindingId binding{};
  std::uint32_t zones = 0;
  CoordinateId coordinate{};
  Nano by = 0;        ///< of step
  SwitchId target{};  ///< of set
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
};

class Bind {
 public:
  Bind(std::span<const BindingSetup> bindings, std::size_t slots, const NotchSetup& notches);

  /// What follows at once from one change. The span is valid until the next call.
  std::span<const Ask> changed(const Change& change, const Signal& signal) noexcept;

  /// What is asked for now by everything that is deflected or held; `out` by CoordinateId.
  void requests(const Signal& signal, std::span<Request> out) noexcept;

  /// The rate in force, (0, 1].
  double rate() const noexcept { return rate_.value() / 100; }
  /// The increment in force; 0 where the coordinate takes no steps.
  Nano increment(CoordinateId coordinate) const noexcept;
  const BindingSetup& binding(BindingId binding) const noexcept { return bindings_[index(binding)]; }

  /// A deflection counts as a press from the first of these shares on, until it is back below the second.
  static constexpr double press_at = 0.5, release_below = 0.4;

 private:
  struct State {
    bool armed = false;     // jog by deflection: has been at neutral since the binding came to count
    bool engaged = false;   // jog, go by a key: pressed since the binding came to count
    bool squeezed = false;  // enable: squeezed since it was last let go
  };
  bool pressed(SlotId slot, const Signal& signal) const noexcept;
  bool counts(std::size_t row, const Signal& signal) const noexcept;
  bool press_changed(const Change& change, const Signal& signal) noexcept;
  void on_press(std::size_t row) noexcept;
  void on_release(std::size_t row) noexcept;
  void watch_squeeze(std::size_t row, const Signal& signal) noexcept;
  void ask(Ask::Kind kind, std::size_t row) noexcept;

  std::vector<BindingSetup> bindings_;
  std::vector<State> states_;
  std::vector<std::uint8_t> pressed_;            // by slot: deflections taken as presses
  std::vector<std::vector<BindingId>> of_slot_;  // bindings of a slot
  std::vector<std::vector<SlotId>> rivals_;      // by binding of the base layer: layers in which its control does else
  std::vector<Ask> asks_;
  Notches<double> rate_;
  std::vector<Notches<Nano>> increments_;
};

}  // namespace gyrax
