/// What a binding can ask for: a struct for each effect, with what it needs to know and what it is.
///
/// What an effect does is in src/bind/effects.cpp; how a rig spells it and how `check` describes it is one row of
/// src/rig/effects.cpp. No other file has to know of a new one.
///
///     BindingSetup{.slot = stick, .effect = effect::Jog{.coordinate = x, .share = 0.5}}
#pragma once

#include <gyrax/base/ids.hpp>
#include <gyrax/base/nano.hpp>
#include <gyrax/base/time.hpp>
#include <gyrax/base/visit.hpp>

#include <array>
#include <optional>
#include <variant>
#include <vector>

namespace gyrax {

/// What an effect is, for the rules that are the same for all of a kind.
struct AboutEffect {
  bool moves = false;          ///< moves axes, and counts only for who is in charge of them
  bool word = false;           ///< a word to the permit of its `zones`
  bool steady = false;         ///< moves as long as its control is held or deflected
  bool by_deflection = false;  ///< by the share to which a control is deflected; a key counts as the whole
  bool by_place = false;       ///< by where the control is or how far it is turned, and by no press
  bool by_counts = false;      ///< a dial's counts can do it
  bool repeats = false;        ///< a key that is held down can do it again and again
  bool anywhere = false;       ///< counts in every layer, and is never too late: it makes safer
};

/// What a switch, a layer or reduced speed becomes. momentary: on while the control is held.
enum class SwitchTo : std::uint8_t { off, on, toggle, momentary };

/// A key's jog grows: after so long it runs at this share of its speed.
struct JogStage {
  Span after{};
  double share = 1;  ///< (0, 1]
};

/// One of the places that make a pose.
struct PosePlace {
  CoordinateId coordinate{};
  Nano goal = 0;
  bool from_zero = false;  ///< goal counts from the person's own zero, not from the machine's
};

namespace effect {

struct Jog {
  static constexpr AboutEffect about{.moves = true, .steady = true, .by_deflection = true};
  CoordinateId coordinate{};
  double share = 1;                ///< [-1, 1], of the speed in force at full deflection or while held
  double accel = 1;                ///< (0, 1], of the axis's acceleration
  std::vector<JogStage> stages{};  ///< of a key: rising in time; none: the whole share at once
};

struct Step {
  static constexpr AboutEffect about{.moves = true, .repeats = true};
  CoordinateId coordinate{};
  int by = 1;  ///< increments, signed
};

struct Handwheel {
  static constexpr AboutEffect about{.moves = true, .by_place = true, .by_counts = true};
  CoordinateId coordinate{};
  int by = 1;         ///< increments a count, signed
  Nano max_owed = 0;  ///< the most that the axis may owe; 0: every count is kept
};

struct Follow {
  static constexpr AboutEffect about{.moves = true, .steady = true, .by_place = true};
  CoordinateId coordinate{};
  double low = 0, high = 0;  ///< the positions at the control's two ends; high may be the lower one
  double catch_up = 0;       ///< unit/s until the control is met
};

struct Go {
  static constexpr AboutEffect about{.moves = true, .steady = true};
  CoordinateId coordinate{};
  Nano goal = 0;
  bool from_zero = false;  ///< as of a place of a pose
};

/// Axes of one group, together on a straight line.
struct Pose {
  static constexpr AboutEffect about{.moves = true, .steady = true};
  std::vector<PosePlace> places{};  ///< one at least
};

struct Set {
  static constexpr AboutEffect about{};
  SwitchId target{};
  SwitchTo to = SwitchTo::toggle;
};

/// A named command of the machine.
struct Action {
  static constexpr AboutEffect about{};
  ActionId action{};
  ZoneId zone{};  ///< the action's
};

/// The person's own zero of an axis: so that where it stands is `here`; or the machine's again.
struct Zero {
  static constexpr AboutEffect about{};
  AxisId axis{};
  Nano here = 0;
  bool is_machines = false;
};

struct Override {
  static constexpr AboutEffect about{.repeats = true};
  NumberId number{};
  int by = 0;                       ///< notches, signed …
  std::optional<double> percent{};  ///< … or this one
};

struct Increment {
  static constexpr AboutEffect about{.repeats = true};
  NumberId number{};
  int by = 0;                   ///< notches, signed …
  std::optional<Nano> value{};  ///< … or this one
};

/// Moves the chosen number, or one of its own, by a press or by each count.
struct Adjust {
  static constexpr AboutEffect about{.by_counts = true, .repeats = true};
  std::optional<NumberId> number{};  ///< none: the chosen one
  int by = 1;                        ///< notches, signed
};

/// Goes on to the next of these numbers, for a dial to adjust.
struct Choose {
  static constexpr AboutEffect about{};
  std::vector<NumberId> numbers{};  ///< one at least
};

struct Layer {
  static constexpr AboutEffect about{};
  LayerId layer{};
  SwitchTo to = SwitchTo::toggle;
};

struct Reduced {
  static constexpr AboutEffect about{};
  SwitchTo to = SwitchTo::toggle;
};

struct Ready {
  static constexpr AboutEffect about{.word = true};
  ZoneBits zones = all_zones;
};

struct Stow {
  static constexpr AboutEffect about{.word = true, .anywhere = true};
  ZoneBits zones = all_zones;
};

/// Back and forth between stowed and ready; resets what has tripped. Shortly after a change of state it only stows.
struct ReadyOrStow {
  static constexpr AboutEffect about{.word = true, .anywhere = true};
  ZoneBits zones = all_zones;
};

struct Enable {
  static constexpr AboutEffect about{.word = true};
  ZoneBits zones = all_zones;
  std::optional<double> squeeze{};  ///< on a one-sided control: beyond this share it is squeezed
};

struct Stop {
  static constexpr AboutEffect about{.word = true, .anywhere = true};
  ZoneBits zones = all_zones;
};

struct Reset {
  static constexpr AboutEffect about{.word = true};
  ZoneBits zones = all_zones;
};

}  // namespace effect

using Effect = std::variant<effect::Jog, effect::Step, effect::Handwheel, effect::Follow, effect::Go, effect::Pose,
                            effect::Set, effect::Action, effect::Zero, effect::Override, effect::Increment,
                            effect::Adjust, effect::Choose, effect::Layer, effect::Reduced, effect::Ready, effect::Stow,
                            effect::ReadyOrStow, effect::Enable, effect::Stop, effect::Reset>;

namespace detail {
template <class... E>
constexpr std::array<AboutEffect, sizeof...(E)> about_each(const std::variant<E...>*) noexcept {
  return {E::about...};
}
inline constexpr auto about_effects = about_each(static_cast<const Effect*>(nullptr));
}  // namespace detail

constexpr const AboutEffect& about(const Effect& effect) noexcept { return detail::about_effects[effect.index()]; }

/// What an effect moves, in the rig's order; nothing where it moves nothing.
template <class F>
void each_moved(const Effect& effect, F&& f) noexcept {
  visit_held(effect, [&]<class E>(const E& e) {
    if constexpr (requires { e.coordinate; }) f(e.coordinate);
    if constexpr (requires { e.places; })
      for (const PosePlace& place : e.places) f(place.coordinate);
  });
}

/// The first that it moves, and with it the zone; `no` where it moves nothing.
CoordinateId moved_by(const Effect& effect) noexcept;
/// Whether it makes ready, enables, resets; whether a press of it always ends motion at once.
bool makes_ready(const Effect& effect) noexcept;
bool enables(const Effect& effect) noexcept;
bool resets(const Effect& effect) noexcept;
bool stops(const Effect& effect) noexcept;
/// The zones of a word to the permit; none for anything else.
ZoneBits zones_of(const Effect& effect) noexcept;

}  // namespace gyrax
