/// One line of the rig: this control, with this gesture, in this layer, asks for this effect.
#pragma once

#include <gyrax/base/ids.hpp>
#include <gyrax/base/nano.hpp>
#include <gyrax/bind/gesture.hpp>
#include <gyrax/bind/notches.hpp>

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
  override,
  increment,
  adjust,
  choose,
  layer,
  reduced,
  ready,
  stow,
  enable,
  stop,
  reset
};
/// What moves an axis; what permits motion; the rest does neither.
constexpr bool moves(Effect effect) noexcept { return effect <= Effect::pose; }
constexpr bool permits(Effect effect) noexcept { return effect >= Effect::ready; }

enum class SwitchTo : std::uint8_t { off, on, toggle, momentary };

/// Bindings that count only while it is on.
struct LayerSetup {
  SlotId held = no<SlotId>;  ///< on while this is held; otherwise latched by bindings
  bool starts_on = false;    ///< of a latched one
};

/// A key's jog grows: after so long it runs at this share of its speed.
struct JogStage {
  Span after{};
  double share = 1;  ///< (0, 1]
};

/// A held key repeats: from so long on, so often.
struct RepeatStage {
  Span after{};  ///< > 0
  Span every{};  ///< > 0
};

/// One of the places that make a pose.
struct PosePlace {
  CoordinateId coordinate{};
  Nano goal = 0;
};

/// Which fields count follows from the effect.
struct BindingSetup {
  SlotId slot{};
  LayerId layer = no<LayerId>;  ///< none: the base layer
  Effect effect = Effect::jog;
  std::uint32_t zones = ~0u;       ///< of ready, stow, enable, stop, reset: bit per zone
  CoordinateId coordinate{};       ///< of jog, step, handwheel, follow, go
  double share = 1;                ///< of jog: [-1, 1], of the speed in force at full deflection or while held
  double accel = 1;                ///< of jog: (0, 1], of the axis's acceleration
  int count = 1;                   ///< of step and handwheel: increments; of override, increment, adjust: notches; signed
  Nano goal = 0;                   ///< of go; of increment: which one
  Nano max_owed = 0;               ///< of handwheel: the most that the axis may owe; 0: every count is kept
  double low = 0, high = 0;        ///< of follow: the positions at the control's two ends; high may be the lower one
  double catch_up = 0;             ///< of follow: unit/s until the control is met
  SwitchId target{};               ///< of set
  SwitchTo to = SwitchTo::toggle;  ///< of set, layer and reduced
  double squeeze = 2;              ///< of enable on a one-sided control: beyond this share it is squeezed; > 1: never
  std::vector<JogStage> stages;    ///< of jog by a key: rising in time; none: the whole share at once
  std::vector<PosePlace> pose;     ///< of pose: axes of one group

  Gesture gesture = Gesture::press;
  Span hold{};                      ///< of the gesture hold
  std::vector<SlotId> with;         ///< of the gesture chord: the other keys
  std::vector<RepeatStage> repeat;  ///< of step, override, increment and adjust: rising in time; none: once
  std::vector<NumberId> numbers;    ///< of override, increment: the one that it moves; of choose: those that it goes through
  double percent = 0;               ///< of override: which one; 0: by `count`
  LayerId to_layer{};               ///< of layer
};

}  // namespace gyrax
