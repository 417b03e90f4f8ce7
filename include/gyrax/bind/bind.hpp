/// The room that knows which control asks for what.
///
/// In: what each reading changed, the samples, and the time. Out: for each change the asks that follow from it, in
/// order; once a tick the requests of all coordinates. Never: an ask from a control that is deflected while its layer
/// changes, before it has been at neutral; motion for a handset that is not in charge; anything for a control that
/// nobody knows any more, or that was begun before its zone stopped or changed.
///
///     for (const Ask& ask : bind.pass(reading.event, signal)) …
///     for (const Ask& ask : bind.changed(change, signal)) …
///     if (bind.requests(signal, now, requests, false)) …
#pragma once

#include <gyrax/base/lists.hpp>
#include <gyrax/base/recompute.hpp>
#include <gyrax/base/request.hpp>
#include <gyrax/bind/ask.hpp>
#include <gyrax/bind/binding.hpp>
#include <gyrax/bind/gesture.hpp>
#include <gyrax/bind/layers.hpp>
#include <gyrax/bind/notches.hpp>
#include <gyrax/bind/reduced.hpp>
#include <gyrax/signal/signal.hpp>

#include <optional>
#include <span>
#include <vector>

namespace gyrax {

struct BindSetup {
  std::vector<BindingSetup> bindings;
  std::vector<LayerSetup> layers;
  NotchSetup notches;
  GestureTimes gestures;
  std::vector<ZoneId> zone_of;         ///< by CoordinateId; the first zone where it is too short
  std::vector<ZoneId> zone_of_switch;  ///< by SwitchId; the same
  ZoneBits hold_to_run = 0;            ///< zones without enable, that move while what moves them is held
};

namespace detail {

/// What effects work with.
struct BindParts {
  Numbers numbers;
  Layers layers;
  ReducedSpeed reduced;
  NumberId chosen = no<NumberId>;      // the number that a dial adjusts
  std::vector<HandsetBits> in_charge;  // by CoordinateId: who may move it
  std::vector<Ask> asks;
};

/// What a binding remembers.
struct BindingState {
  bool armed = false;     // has been at neutral since the binding came to count
  bool engaged = false;   // pressed since the binding came to count, and not let go
  bool repeats = false;   // goes on while it is engaged
  bool squeezed = false;  // enable: squeezed since it was last let go
  bool told = false;   // touched, and said so, since it was last at neutral; of reset: was kept down for its long time
  bool ended = false;  // was engaged when its zone stopped or changed: it has to be let go first
  ZoneBits zones = 0;  // in which it is engaged
  Time since{}, next{};  // when it was pressed; when it repeats next
};

struct Doing;

}  // namespace detail

class Bind {
 public:
  /// How long reset is kept down to go on without a handset that does not come back.
  static constexpr Span long_reset = std::chrono::seconds(2);

  /// `setup` with its controls' number. The only place that allocates.
  Bind(BindSetup setup, std::size_t slots, Recompute recompute = Recompute::changed);

  // What follows at once: from time alone up to `now` (call it before a reading of that time is taken, and once a tick
  // after all readings), and from one change. The spans are valid until the next call of either.
  std::span<const Ask> pass(Time now, const Signal& signal) noexcept;
  std::span<const Ask> changed(const Change& change, const Signal& signal) noexcept;
  /// Ends whatever stands for these controls: nobody knows them any more. Call it before changed(), for the same
  /// reading.
  std::span<const Ask> lose(std::span<const SlotId> slots, const Signal& signal) noexcept;
  /// A zone has stopped, or its state is another one (`live`: it is live now). What was begun before is void: no
  /// gesture that is under way, no key that is down does anything in it, until it is pressed anew.
  void end(ZoneId zone, bool live, const Signal& signal) noexcept;
  /// The same for what moves one of these coordinates: they lack something. What is held down or deflected has to be
  /// let go first.
  void end_moves(std::span<const AxisId> coordinates, const Signal& signal) noexcept;
  /// Whether something that enables this zone is engaged, and all its keys are seen pressed; in a zone that is hold to
  /// run, whether something that moves it is held or deflected, and was let go since the zone stopped or changed.
  bool enabling(ZoneId zone, const Signal& signal, HandsetId by = no<HandsetId>) const noexcept;
  /// Of a zone that is hold to run: whether this control is held or deflected, as above.
  bool runs(SlotId slot, ZoneId zone, const Signal& signal) const noexcept;

  /// What is asked for at the time `now` by everything that is deflected or held; `out` by CoordinateId. Where nothing
  /// has changed since the last call, `out` is left as it was then; somebody who has changed it asks for it `anew`.
  /// Returns whether `out` was written. What else a motion depends on in here, overrides and reduced speed, changes
  /// only where this is written, too.
  bool requests(const Signal& signal, Time now, std::span<Request> out, bool anew) noexcept;

  /// Who may move a coordinate; all of them at first.
  void put_in_charge(CoordinateId coordinate, HandsetBits handsets) noexcept {
    parts_.in_charge[index(coordinate)] = handsets;
    touched_ = true;
  }
  /// What a binding asked for did not come about: it does not repeat itself any more.
  void refused(BindingId binding) noexcept { states_[index(binding)].repeats = false; }

  const Numbers& numbers() const noexcept { return parts_.numbers; }
  /// The number that a dial adjusts; none where nothing is to be chosen.
  NumberId chosen() const noexcept { return parts_.chosen; }
  bool reduced() const noexcept { return parts_.reduced.on(); }
  bool on(LayerId layer, const Signal& signal) const noexcept { return parts_.layers.on(layer, signal); }
  /// The key that is on its way to a hold, and how far, [0, 1]; 0 if none is.
  struct Hold {
    BindingId binding = no<BindingId>;
    double share = 0;
  };
  Hold holding(Time now) const noexcept;

 private:
  /// A binding that moves as long as it is deflected or held.
  struct Moving {
    BindingId binding{};
    SlotId slot{};
    CoordinateId coordinate{};
    bool by_key = false, by_place = false;
    bool layered = false;  // whether it counts depends on what else is held
    bool grows = false;    // by time alone
  };
  detail::Doing doing(BindingId binding, const Signal& signal) noexcept;
  bool counts(BindingId binding, const Signal& signal) const noexcept;
  static bool by_key(const Moving& moving, const Signal& signal) noexcept;
  bool may_move(const Moving& moving, const Signal& signal) const noexcept;
  bool asks(const Moving& moving, const Signal& signal) const noexcept;
  bool runs(const Moving& moving, ZoneId zone, const Signal& signal) const noexcept;
  bool only_moves(const Change& change, const Signal& signal) noexcept;
  bool may(BindingId binding, const Signal& signal) const noexcept;
  ZoneBits begins_in(const BindingSetup& b) const noexcept;
  ZoneBits stale_for(const BindingSetup& b) const noexcept;
  Rivals rivals(SlotId slot, std::optional<LayerId> layer = {}) const noexcept;
  void key_down(SlotId slot, Time at, const Signal& signal) noexcept;
  void key_up(SlotId slot, Time at, const Signal& signal) noexcept;
  bool complete_chord(SlotId slot, Time at, const Signal& signal) noexcept;
  void turned_out(std::span<const Gestures::Outcome> outcomes, const Signal& signal) noexcept;
  void press(BindingId binding, Time at, const Signal& signal) noexcept;
  void release(BindingId binding, const Signal& signal) noexcept;
  void touch(BindingId binding, const Signal& signal) noexcept;
  void turn(const Change& change, const Signal& signal) noexcept;
  void watch_squeeze(BindingId binding, const Signal& signal) noexcept;
  void watch_reduced(const Signal& signal) noexcept;
  void watch_reset(Time now, const Signal& signal) noexcept;
  void repeat(Time now, const Signal& signal) noexcept;
  void end(BindingId binding, const Signal& signal) noexcept;
  bool waits() const noexcept;

  Recompute recompute_;
  bool touched_ = true;  // something that requests depend on may have changed
  bool waits_ = true;    // time alone may bring something, or a control was seen that pass() looks at
  std::vector<BindingSetup> bindings_;
  std::vector<detail::BindingState> states_;
  std::vector<CoordinateId> moved_by_;  // by BindingId: the first that it moves, if any
  std::vector<Moving> moving_;
  std::vector<LayerId> pressed_in_;           // by SlotId: the layer in which it was pressed last
  std::vector<ZoneBits> stale_;               // by SlotId: the zones that stopped or changed since it went down
  Lists<BindingId> of_slot_;                  // bindings of a slot
  std::vector<std::uint8_t> moves_only_;      // by SlotId: all of those move axes
  Lists<BindingId> chords_of_;                // by SlotId: the chords that it is part of
  std::vector<BindingId> repeating_, holds_;  // those that can
  std::vector<BindingId> reducing_, resetting_, enabling_;  // momentary reduced speed; reset; enable
  std::vector<ZoneId> zone_of_, zone_of_switch_;
  ZoneBits hold_to_run_;
  Gestures gestures_;
  detail::BindParts parts_;
};

}  // namespace gyrax
