/// What is held down, and which layer each control acts in.
///
/// In: what changed, the samples, what latches a layer. Out: whether a control is down, whether a layer is on. Never: a
/// control in two layers at once; of several that are on, the last described goes before the others.
#pragma once

#include <gyrax/base/lists.hpp>
#include <gyrax/bind/binding.hpp>
#include <gyrax/signal/signal.hpp>

#include <span>
#include <vector>

namespace gyrax {

class Layers {
 public:
  Layers(std::span<const LayerSetup> layers, std::span<const BindingSetup> bindings, std::size_t slots);

  /// Whether press() would change anything for a control that was known before.
  bool turns(SlotId slot, const Signal& signal) const noexcept;
  /// Takes a deflection as a press, or no press any more. Whether that is another than it was.
  bool press(const Change& change, const Signal& signal) noexcept;
  void forget(SlotId slot) noexcept { deflected_[index(slot)] = 0; }
  /// Whether a control is known and down, as a key or by its deflection.
  bool down(SlotId slot, const Signal& signal) const noexcept;
  bool down_by_deflection(SlotId slot) const noexcept { return deflected_[index(slot)] != 0; }

  /// Latches a layer. Whether that changed anything.
  bool latch(LayerId layer, bool on) noexcept;
  bool latched(LayerId layer) const noexcept { return latched_[index(layer)] != 0; }
  bool on(LayerId layer, const Signal& signal) const noexcept;
  /// In which layer a control acts now.
  LayerId of(SlotId slot, const Signal& signal) const noexcept;
  /// Whether some layer binds a control, so that what it does depends on what else is held.
  bool changes(SlotId slot) const noexcept { return !of_[index(slot)].empty(); }

 private:
  std::vector<LayerSetup> layers_;
  std::vector<std::uint8_t> latched_;    // by LayerId
  std::vector<std::uint8_t> deflected_;  // by SlotId
  Lists<LayerId> of_;  // by SlotId: the layers that bind it, the one that goes before the others first
};

}  // namespace gyrax
