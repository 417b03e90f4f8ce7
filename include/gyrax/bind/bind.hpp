/// The room that knows which control asks for what.
///
/// In: what each reading changed, the samples, and the time. Out: for each change the asks that follow from it, in order; once a
/// tick the requests of all coordinates. Never: an ask from a control that is deflected while its layer changes, before it has
/// been at neutral; motion for a handset that is not in charge.
///
///     for (const Ask& ask : bind.pass(reading.event, signal)) …
///     for (const Ask& ask : bind.changed(change, signal)) …
///     bind.requests(signal, now, requests);
#pragma once

#include <gyrax/base/request.hpp>
#include <gyrax/bind/binding.hpp>
#include <gyrax/bind/gesture.hpp>
#include <gyrax/bind/notches.hpp>
#include <gyrax/signal/signal.hpp>

#include <span>
#include <vector>

namespace gyrax {

/// What a person asked for at one moment.
struct Ask {
  enum class Kind : std::uint8_t {
    ready,
    stow,
    enable,
    release,
    squeeze,
    stop,
    reset,
    step,
    wheel,
    set,
    number,  ///< a rate or an increment is another one now
    chosen,  ///< another number is chosen
    layer,   ///< a latched layer is on or off now
    reduced,
    touched,  ///< something that would move an axis, on a handset that is not in charge
  };
  Kind kind = Kind::stop;
  BindingId binding{};
  std::uint32_t zones = 0;
  CoordinateId coordinate{};
  Nano by = 0;              ///< of step; of wheel: for each count
  std::int64_t counts = 0;  ///< of wheel
  SwitchId target{};        ///< of set
  SwitchTo to = SwitchTo::toggle;
  NumberId number = no<NumberId>;
};

struct BindSetup {
  std::vector<BindingSetup> bindings;
  std::vector<LayerSetup> layers;
  NotchSetup notches;
  GestureTimes gestures;
};

class Bind {
 public:
  /// `setup` with its controls' number. The only place that allocates.
  Bind(const BindSetup& setup, std::size_t slots);

  // What follows at once: from time alone up to `now` (call it before a reading of that time is taken, and once a tick after all
  // readings), and from one change. The spans are valid until the next call of either.
  std::span<const Ask> pass(Time now, const Signal& signal) noexcept;
  std::span<const Ask> changed(const Change& change, const Signal& signal) noexcept;

  /// What is asked for at the time `now` by everything that is deflected or held; `out` by CoordinateId.
  void requests(const Signal& signal, Time now, std::span<Request> out) noexcept;

  /// Bits of the handsets that may move a coordinate; all of them at first.
  void put_in_charge(CoordinateId coordinate, std::uint32_t handsets) noexcept;
  /// What a binding asked for did not come about: it does not repeat itself any more.
  void refused(BindingId binding) noexcept { states_[index(binding)].repeats = false; }

  const Numbers& numbers() const noexcept { return numbers_; }
  /// The number that a dial adjusts; none where nothing is to be chosen.
  NumberId chosen() const noexcept { return chosen_; }
  /// Whether reduced speed is on: latched, or held by a control.
  bool reduced() const noexcept { return reduced_ || reduced_held_ > 0; }
  bool on(LayerId layer, const Signal& signal) const noexcept;
  /// The key that is on its way to a hold, and how far, [0, 1]; 0 if none is.
  struct Hold {
    BindingId binding = no<BindingId>;
    double share = 0;
  };
  Hold holding(Time now) const noexcept;
  const BindingSetup& binding(BindingId binding) const noexcept { return bindings_[index(binding)]; }

 private:
  struct State {
    bool armed = false;     // jog by deflection: has been at neutral since the binding came to count
    bool engaged = false;   // pressed since the binding came to count, and not let go
    bool repeats = false;   // step and the like: goes on while it is engaged
    bool squeezed = false;  // enable: squeezed since it was last let go
    bool told = false;      // touched, and said so, since it was last at neutral
    Time since{}, next{};   // when it was pressed; when it repeats next
  };
  bool pressed(SlotId slot, const Signal& signal) const noexcept;
  LayerId layer_of(SlotId slot, const Signal& signal) const noexcept;
  bool counts(std::size_t row, const Signal& signal) const noexcept;
  bool may(std::size_t row, const Signal& signal) const noexcept;
  Rivals rivals(SlotId slot, LayerId layer) const noexcept;
  bool press_changed(const Change& change, const Signal& signal) noexcept;
  void key_down(SlotId slot, Time at, const Signal& signal) noexcept;
  void key_up(SlotId slot, Time at, const Signal& signal) noexcept;
  bool complete_chord(SlotId slot, Time at, const Signal& signal) noexcept;
  void turned_out(std::span<const Gestures::Outcome> outcomes, const Signal& signal) noexcept;
  void on_press(std::size_t row, Time at, const Signal& signal) noexcept;
  void act(std::size_t row) noexcept;
  void on_release(std::size_t row) noexcept;
  void latch(std::size_t row, bool is_pressed) noexcept;
  void reduce(std::size_t row, bool is_pressed) noexcept;
  void repeat(Time now, const Signal& signal) noexcept;
  void forget_unknown(const Signal& signal) noexcept;
  void turn(const Change& change, const Signal& signal) noexcept;
  void add_request(std::size_t row, const Sample& sample, Time now, std::span<Request> out) noexcept;
  static double grown(const BindingSetup& b, Span held) noexcept;
  void watch_squeeze(std::size_t row, const Signal& signal) noexcept;
  void ask(Ask::Kind kind, std::size_t row) noexcept;
  void touch(std::size_t row) noexcept;

  /// A binding that asks for motion as long as it is deflected or held.
  struct Moving {
    BindingId binding{};
    SlotId slot{};
    CoordinateId coordinate{};
    bool by_key = false, follows = false, layered = false;  // layered: whether it counts depends on what else is held
  };
  void follow(const BindingSetup& b, const Sample& sample, bool centred, Request& request) const noexcept;

  std::vector<BindingSetup> bindings_;
  std::vector<LayerSetup> layers_;
  std::vector<std::uint8_t> latched_;  // by LayerId
  std::vector<State> states_;
  std::vector<Moving> moving_;
  std::vector<std::uint8_t> pressed_;              // by slot: deflections taken as presses
  std::vector<LayerId> pressed_in_;                // by slot: the layer in which it was pressed last
  std::vector<std::vector<BindingId>> of_slot_;    // bindings of a slot
  std::vector<std::vector<LayerId>> layers_of_;    // by slot: the layers in which it does anything, the first to go last
  std::vector<std::vector<BindingId>> chords_of_;  // by slot: the chords that it is part of
  std::vector<BindingId> repeating_, holds_;       // those that can
  std::vector<std::uint32_t> in_charge_;           // by CoordinateId
  std::vector<Ask> asks_;
  Gestures gestures_;
  Numbers numbers_;
  NumberId chosen_ = no<NumberId>;
  bool reduced_ = false;
  int reduced_held_ = 0;  // controls that hold it
};

}  // namespace gyrax
