// Who is in charge of a zone. The one that makes it ready is, with those that its station names; another takes over only while
// the zone is ready and so at rest, and by making it ready itself.
#include <gyrax/engine/engine.hpp>

namespace gyrax {

HandsetBits Engine::station_of(HandsetId handset) const noexcept {
  return index(handset) < setup_.stations.size() ? setup_.stations[index(handset)] : bit(handset);
}

/// Those whose loss stops the zone. While it is stowed there is nothing to stop.
HandsetBits Engine::counted_on(ZoneId zone) const noexcept { return charges_[index(zone)].in_charge | charges_[index(zone)].counted_on; }

bool Engine::commands(ZoneId zone, HandsetId handset) const noexcept { return has(charges_[index(zone)].in_charge, handset); }

void Engine::put_in_charge(ZoneId zone, HandsetId handset) noexcept {
  Charge& charge = charges_[index(zone)];
  const ZoneSetup& setup = setup_.zones[index(zone)];
  const HandsetBits before = charge.in_charge, station = station_of(handset);
  charge = {station, 0};
  bool others = false;
  for (const HandsetId one : setup.handsets) {
    others = others || !has(station, one);
    // What is there now somebody may reach for to stop.
    if (signal_.health(one, now_) == HandsetHealth::present) charge.counted_on |= bit(one);
  }
  for (const AxisId axis : setup.axes) bind_.put_in_charge(id_at<CoordinateId>(index(axis)), station);
  if (others && before != station)
    events_->write({.at = now_, .kind = Event::Kind::in_charge, .zone = zone, .obstacle = {.handset = handset}});
}

void Engine::relieve(ZoneId zone) noexcept {
  // Where power is left on, somebody may still reach for a stop: those who were counted on are.
  charges_[index(zone)] = {0, permits_[index(zone)].powered() ? counted_on(zone) : 0};
  for (const AxisId axis : setup_.zones[index(zone)].axes) bind_.put_in_charge(id_at<CoordinateId>(index(axis)), ~0u);
}

/// A handset is there now: where somebody is in charge, its stop may be reached for.
void Engine::count_on(HandsetId handset) noexcept {
  for (std::size_t z = 0; z < charges_.size(); ++z)
    for (const HandsetId one : setup_.zones[z].handsets)
      if (one == handset && charges_[z].in_charge != 0) charges_[z].counted_on |= bit(handset);
}

/// One of those in charge, to be named.
HandsetId Engine::in_charge_name(ZoneId zone) const noexcept {
  for (const HandsetId handset : setup_.zones[index(zone)].handsets)
    if (commands(zone, handset)) return handset;
  return no<HandsetId>;
}

}  // namespace gyrax
