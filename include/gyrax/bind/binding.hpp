/// One line of the rig: this control, with this gesture, in this layer, asks for this effect.
#pragma once

#include <gyrax/bind/effect.hpp>
#include <gyrax/bind/gesture.hpp>

#include <vector>

namespace gyrax {

/// Bindings that count only while it is on.
struct LayerSetup {
  SlotId held = no<SlotId>;  ///< on while this is held; otherwise latched by bindings
  bool starts_on = false;    ///< of a latched one
};

/// A held key repeats: from so long on, so often.
struct RepeatStage {
  Span after{};  ///< > 0
  Span every{};  ///< > 0
};

struct BindingSetup {
  SlotId slot{};
  LayerId layer = no<LayerId>;  ///< none: the base layer
  Gesture gesture = Gesture::press;
  Span hold{};                      ///< of the gesture hold
  std::vector<SlotId> with;         ///< of the gesture chord: the other keys
  std::vector<RepeatStage> repeat;  ///< of an effect that repeats: rising in time; none: once
  Effect effect;

  /// The effect where it is an E, otherwise null.
  template <class E>
  const E* as() const noexcept {
    return std::get_if<E>(&effect);
  }
};

}  // namespace gyrax
