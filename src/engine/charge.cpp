#include "zones.hpp"

namespace gyrax::detail {

HandsetBits station_of(const EngineParts& e, HandsetId handset) noexcept {
  return index(handset) < e.stations.size() ? e.stations[index(handset)] : bit(handset);
}

void put_in_charge(EngineParts& e, ZoneId id, HandsetId handset) noexcept {
  Zone& zone = e.zone(id);
  const HandsetBits before = zone.in_charge, station = station_of(e, handset);
  zone.in_charge = station;
  zone.also_there = 0;
  bool others = false;
  for (const HandsetId one : zone.setup.handsets) {
    others = others || !has(station, one);
    // What is there now somebody may reach for to stop.
    if (e.signal.health(one, e.now) == HandsetHealth::present) zone.also_there |= bit(one);
  }
  for (const AxisId axis : zone.setup.axes) e.bind.put_in_charge(id_at<CoordinateId>(index(axis)), station);
  if (others && before != station)
    e.tell({.kind = Event::Kind::in_charge, .zone = id, .obstacle = {.handset = handset}});
}

void relieve(EngineParts& e, ZoneId id) noexcept {
  Zone& zone = e.zone(id);
  // Where power is left on, somebody may still reach for a stop: those who were counted on are.
  zone.also_there = zone.permit.powered() ? zone.counted_on() : 0;
  zone.in_charge = 0;
  for (const AxisId axis : zone.setup.axes) e.bind.put_in_charge(id_at<CoordinateId>(index(axis)), ~HandsetBits{0});
}

void count_on(EngineParts& e, HandsetId handset) noexcept {
  for (Zone& zone : e.zones)
    for (const HandsetId one : zone.setup.handsets)
      if (one == handset && zone.in_charge != 0) zone.also_there |= bit(handset);
}

HandsetId name_in_charge(const EngineParts& e, ZoneId id) noexcept {
  const Zone& zone = e.zone(id);
  for (const HandsetId handset : zone.setup.handsets)
    if (has(zone.in_charge, handset)) return handset;
  return no<HandsetId>;
}

}  // namespace gyrax::detail
