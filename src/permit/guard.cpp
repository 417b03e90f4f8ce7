#include <gyrax/permit/guard.hpp>

namespace gyrax {

Obstacle first_loss(const ZoneSetup& zone, HandsetBits counted_on, const Signal& signal, const Links& links,
                    Time now) noexcept {
  for (const HandsetId handset : zone.handsets) {
    if (!has(counted_on, handset)) continue;
    const HandsetHealth health = signal.health(handset, now);
    if (health == HandsetHealth::absent) return {.what = Interlock::handset_gone, .handset = handset};
    if (health == HandsetHealth::silent) return {.what = Interlock::handset_silent, .handset = handset};
  }
  for (const LinkId link : zone.links)
    if (!links.fresh(link, now)) return {.what = Interlock::link_silent, .link = link};
  for (const LinkId link : zone.links)
    if (links.faulty(link)) return {.what = Interlock::far_end_fault, .link = link};
  return {};
}

Obstacle lacking_input(const Links& links, InputId input, Time now) noexcept {
  switch (links.input(input, now)) {
    case InputState::on: return {};
    case InputState::off: return {.what = Interlock::input_off, .input = input};
    default: return {.what = Interlock::input_unknown, .input = input};
  }
}

Obstacle first_input(const ZoneSetup& zone, const Links& links, Time now) noexcept {
  for (const InputId input : zone.needs)
    if (const Obstacle lack = lacking_input(links, input, now); lack.what != Interlock::none) return lack;
  for (const InputId input : zone.bounded) {
    if (links.input(input, now) == InputState::unknown) return {.what = Interlock::input_unknown, .input = input};
    const Beyond beyond = links.input_watch(input).beyond();
    if (beyond == Beyond::no) continue;
    return {.what = beyond == Beyond::low ? Interlock::input_too_low : Interlock::input_too_high, .input = input};
  }
  return {};
}

Obstacle first_lack(const ZoneSetup& zone, HandsetBits counted_on, HandsetBits in_charge,
                    std::span<const LinkId> measured_by, const Signal& signal, const Links& links, Time now) noexcept {
  if (const Obstacle loss = first_loss(zone, counted_on, signal, links, now); loss.what != Interlock::none) return loss;
  for (const LinkId link : zone.links)
    if (links.waits(link)) return {.what = Interlock::switching_on, .link = link};
  if (const Obstacle input = first_input(zone, links, now); input.what != Interlock::none) return input;
  for (const SlotId slot : zone.stops) {
    const Sample& sample = signal.sample(slot);
    const HandsetId handset = signal.setup(slot).handset;
    if (sample.known && !sample.neutral()) return {.what = Interlock::stop_held, .handset = handset, .slot = slot};
    if (!sample.known && has(counted_on, handset))
      return {.what = Interlock::unreported, .handset = handset, .slot = slot};
  }
  for (const AxisId axis : zone.axes)
    if (const LinkId link = measured_by[index(axis)]; link != no<LinkId> && !links.measured(axis).measured)
      return {.what = Interlock::no_position, .link = link};
  for (const SlotId slot : zone.followed) {
    const HandsetId handset = signal.setup(slot).handset;
    if (has(in_charge, handset) && !signal.sample(slot).known)
      return {.what = Interlock::unreported, .handset = handset, .slot = slot};
  }
  return {};
}

Obstacle first_obstacle(const ZoneSetup& zone, HandsetBits counted_on, HandsetBits in_charge,
                        std::span<const LinkId> measured_by, const Signal& signal, const Links& links,
                        Time now) noexcept {
  const Obstacle lack = first_lack(zone, counted_on, in_charge, measured_by, signal, links, now);
  return lack.what != Interlock::none ? lack : first_not_neutral(zone, in_charge, signal, [](SlotId) { return false; });
}

}  // namespace gyrax
