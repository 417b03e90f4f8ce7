/// The room that knows which control asks for what.
///
/// In: what each reading changed, the samples, and the time. Out: for each change the asks that follow from it, in order; once a
/// tick the requests of all coordinates. Never: an ask from a control that is deflected while its layer changes, before it has
/// been at neutral; motion for a handset that is not in charge; anything for a control that nobody knows any more, or that was
/// begun before its zone stopped or changed.
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
    number,  ///< an override or an increment is another one now
    chosen,  ///< another number is chosen
    layer,   ///< a latched layer is on or off now
    reduced,
    touched,     ///< something that would move an axis, on a handset that is not in charge
    stale,       ///< what was begun before `zones` stopped or changed, and so does nothing
    squeezed,    ///< enable, squeezed through already
    raise,       ///< a number that would be faster, on a handset that is not in charge
    reset_long,  ///< reset was kept down for `Bind::long_reset`
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
  bool lost = false;  ///< of set: nobody knows whether its control is still held
};

struct BindSetup {
  std::vector<BindingSetup> bindings;
  std::vector<LayerSetup> layers;
  NotchSetup notches;
  GestureTimes gestures;
  std::vector<ZoneId> zone_of;         ///< by CoordinateId; the first zone where it is too short
  std::vector<ZoneId> zone_of_switch;  ///< by SwitchId; the same
};

class Bind {
 public:
  /// How long reset is kept down to go on without a handset that does not come back.
  static constexpr Span long_reset = std::chrono::seconds(2);

  /// `setup` with its controls' number. The only place that allocates.
  Bind(const BindSetup& setup, std::size_t slots);

  // What follows at once: from time alone up to `now` (call it before a reading of that time is taken, and once a tick after all
  // readings), and from one change. The spans are valid until the next call of either.
  std::span<const Ask> pass(Time now, const Signal& signal) noexcept;
  std::span<const Ask> changed(const Change& change, const Signal& signal) noexcept;
  /// Ends whatever stands for these controls: nobody knows them any more. Call it before changed(), for the same reading.
  std::span<const Ask> lose(std::span<const SlotId> slots) noexcept;
  /// A zone has stopped, or its state is another one (`live`: it is live now). What was begun before is void: no gesture that is
  /// under way, no key that is down does anything in it, until it is pressed anew.
  void end(ZoneId zone, bool live, const Signal& signal) noexcept;
  /// The same for what moves one of these coordinates: they lack something. What is held down or deflected has to be let go first.
  void end_moves(std::span<const AxisId> coordinates, const Signal& signal) noexcept;
  /// Whether something that enables this zone is engaged, and all its keys are seen pressed.
  bool enabling(ZoneId zone, const Signal& signal) const noexcept;

  /// What is asked for at the time `now` by everything that is deflected or held; `out` by CoordinateId.
  void requests(const Signal& signal, Time now, std::span<Request> out) noexcept;

  /// Bits of the handsets that may move a coordinate; all of them at first.
  void put_in_charge(CoordinateId coordinate, std::uint32_t handsets) noexcept;
  /// What a binding asked for did not come about: it does not repeat itself any more.
  void refused(BindingId binding) noexcept { states_[index(binding)].repeats = false; }

  const Numbers& numbers() const noexcept { return numbers_; }
  /// The number that a dial adjusts; none where nothing is to be chosen.
  NumberId chosen() const noexcept { return chosen_; }
  /// Whether reduced speed is on: latched, or held by a control. A control that could hold it and that nobody knows holds it; one
  /// that was lost while it held it goes on to, until it is pressed and let go once more.
  bool reduced() const noexcept { return reduced_ || reduced_held_; }
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
    bool armed = false;       // jog by deflection: has been at neutral since the binding came to count
    bool engaged = false;     // pressed since the binding came to count, and not let go
    bool repeats = false;     // step and the like: goes on while it is engaged
    bool squeezed = false;    // enable: squeezed since it was last let go
    bool told = false;        // touched, and said so, since it was last at neutral; of reset: was kept down for its long time
    bool ended = false;       // was engaged when its zone stopped or changed: it has to be let go first
    bool lost = false;        // momentary reduced speed: was lost while it held
    bool unknown = true;      // momentary reduced speed: nobody knows its control
    bool down = false;        // momentary reduced speed: its control is seen down, pressed just now or not
    std::uint32_t zones = 0;  // of what permits: bits of the zones in which it is engaged
    Time since{}, next{};     // when it was pressed; when it repeats next
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
  void act(std::size_t row, const Signal& signal) noexcept;
  void on_release(std::size_t row) noexcept;
  void latch(std::size_t row, bool is_pressed) noexcept;
  void reduce(std::size_t row, const Signal& signal) noexcept;
  void hold_reduced(std::size_t row) noexcept;
  void sum_up_reduced() noexcept;
  void watch_reduced(const Signal& signal) noexcept;
  void tell_reduced(std::size_t row, bool before) noexcept;
  void repeat(Time now, const Signal& signal) noexcept;
  void lose(std::size_t row) noexcept;
  void end(std::size_t row, const Signal& signal) noexcept;
  void wait_for_long_reset(Time now) noexcept;
  std::uint32_t zones_of(const BindingSetup& b) const noexcept;
  std::uint32_t stale_for(const BindingSetup& b) const noexcept;
  bool in_charge_of_all(SlotId slot, const Signal& signal) const noexcept;
  bool change_number(std::size_t row, int by, const Signal& signal) noexcept;
  bool all_known(const BindingSetup& b, const Signal& signal) const noexcept;
  bool all_pressed(const BindingSetup& b, const Signal& signal) const noexcept;
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
  std::vector<std::uint8_t> pressed_;                       // by slot: deflections taken as presses
  std::vector<LayerId> pressed_in_;                         // by slot: the layer in which it was pressed last
  std::vector<std::vector<BindingId>> of_slot_;             // bindings of a slot
  std::vector<std::vector<LayerId>> layers_of_;             // by slot: the layers that bind it, the one that goes before the others first
  std::vector<std::vector<BindingId>> chords_of_;           // by slot: the chords that it is part of
  std::vector<BindingId> repeating_, holds_;                // those that can
  std::vector<BindingId> reducing_, resetting_, enabling_;  // momentary reduced speed; reset; enable
  std::vector<std::uint32_t> stale_;                        // by slot: bits of the zones that stopped or changed since it went down
  std::vector<ZoneId> zone_of_, zone_of_switch_;
  std::vector<std::uint32_t> in_charge_;  // by CoordinateId
  std::vector<Ask> asks_;
  Gestures gestures_;
  Numbers numbers_;
  NumberId chosen_ = no<NumberId>;
  bool reduced_ = false, reduced_held_ = false;
};

}  // namespace gyrax
