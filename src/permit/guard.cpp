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

Obstacle first_lack(const ZoneSetup& zone, HandsetBits counted_on, HandsetBits in_charge,
                    std::span<const LinkId> measured_by, const Signal& signal, const Links& links, Time now) noexcept {
  if (const Obstacle loss = first_loss(zone, counted_on, signal, links, now); loss.what != Interlock::none) return loss;
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
