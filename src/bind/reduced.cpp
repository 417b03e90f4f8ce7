#include <gyrax/bind/reduced.hpp>

namespace gyrax {

bool ReducedSpeed::held() const noexcept {
  for (const Holder& h : holders_)
    if (h.engaged || h.lost || h.unknown || h.down) return true;
  return false;
}

bool ReducedSpeed::any_lost() const noexcept {
  for (const Holder& h : holders_)
    if (h.lost) return true;
  return false;
}

ReducedSpeed::Holder& ReducedSpeed::holder(BindingId binding) noexcept {
  std::size_t at = 0;
  while (at + 1 < holders_.size() && holders_[at].binding != binding) ++at;
  return holders_[at];
}

void ReducedSpeed::latch(bool on) noexcept {
  latched_ = on;
  for (Holder& h : holders_) h.lost = h.lost && on;
}

void ReducedSpeed::press(BindingId binding) noexcept {
  holder(binding).engaged = true;
  holder(binding).lost = false;
}

void ReducedSpeed::release(BindingId binding) noexcept { holder(binding).engaged = false; }

void ReducedSpeed::lose(BindingId binding) noexcept {
  Holder& h = holder(binding);
  h.lost = h.lost || h.engaged || h.down;
  h.engaged = false;
}

void ReducedSpeed::see(BindingId binding, bool known, bool down) noexcept {
  Holder& h = holder(binding);
  h.unknown = !known;
  h.down = down;
}

}  // namespace gyrax
