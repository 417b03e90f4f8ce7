#include <gyrax/bind/layers.hpp>

#include "../base/size.hpp"

namespace gyrax {

Layers::Layers(std::span<const LayerSetup> layers, std::span<const BindingSetup> bindings, std::size_t slots)
    : layers_(layers.begin(), layers.end()), latched_(layers.size()), deflected_(slots) {
  std::vector<Lists<LayerId>::Entry> of;
  const auto binds = [&](const BindingSetup& b) {
    for (const auto& entry : of)
      if (entry.row == index(b.slot) && entry.id == b.layer) return true;
    return false;
  };
  for (std::size_t l = 0; l < layers_.size(); ++l) latched_[l] = layers_[l].starts_on ? 1 : 0;
  for (std::size_t l = layers_.size(); l-- > 0;)
    for (const BindingSetup& b : bindings)
      if (index(b.layer) == l && !binds(b)) of.push_back({index(b.slot), b.layer});
  of_ = {slots, of};
}

namespace {

/// Whether a deflection counts as pressed, for a control that was or was not before.
bool presses(SlotId slot, bool was, const Signal& signal) noexcept {
  const ControlSetup& control = signal.setup(slot);
  const double deflection = size(signal.sample(slot).value);
  return was ? deflection >= control.release_below : deflection >= control.press_at;
}

}  // namespace

bool Layers::turns(SlotId slot, const Signal& signal) const noexcept {
  const bool was = down_by_deflection(slot);
  return presses(slot, was, signal) != was;
}

bool Layers::press(const Change& change, const Signal& signal) noexcept {
  const bool was = down_by_deflection(change.slot), is = presses(change.slot, was && !change.first, signal);
  deflected_[index(change.slot)] = is ? 1 : 0;
  // The first word of a control tells where it is, not that it was brought there just now.
  return !change.first && is != was;
}

bool Layers::down(SlotId slot, const Signal& signal) const noexcept {
  const Sample& sample = signal.sample(slot);
  return sample.known && (sample.pressed || deflected_[index(slot)] != 0);
}

bool Layers::latch(LayerId layer, bool on) noexcept {
  std::uint8_t& latched = latched_[index(layer)];
  const bool changed = (latched != 0) != on;
  latched = on ? 1 : 0;
  return changed;
}

bool Layers::on(LayerId layer, const Signal& signal) const noexcept {
  const SlotId held = layers_[index(layer)].held;
  return latched(layer) || (held != no<SlotId> && down(held, signal));
}

LayerId Layers::of(SlotId slot, const Signal& signal) const noexcept {
  for (const LayerId layer : of_[index(slot)])
    if (on(layer, signal)) return layer;
  return no<LayerId>;
}

}  // namespace gyrax
