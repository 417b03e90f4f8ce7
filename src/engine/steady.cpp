#include "steady.hpp"

#include "zones.hpp"

namespace gyrax::detail {
namespace {

constexpr Span warned_before = std::chrono::seconds(2);

/// Whether motion of a zone stands on this handset: its enable, or what moves an axis.
bool stands_on(const EngineParts& e, ZoneId zone, HandsetId handset) noexcept {
  if (e.bind.enabling(zone, e.signal, handset)) return true;
  for (const AxisId axis : e.zone(zone).setup.axes) {
    const SlotId by = e.request(axis).by;
    if (by != no<SlotId> && e.signal.setup(by).handset == handset && !e.motion.axis(axis).at_rest()) return true;
  }
  return false;
}

bool is_moving(const EngineParts& e, const Zone& zone) noexcept {
  if (!zone.permit.live()) return false;
  for (const AxisId axis : zone.setup.axes)
    if (!e.motion.axis(axis).at_rest()) return true;
  return false;
}

void warn(EngineParts& e, ZoneId zone, HandsetId handset, Time changed, Span left) noexcept {
  if (e.zone(zone).warned_of == changed) return;
  e.zone(zone).warned_of = changed;
  const auto ms = std::chrono::duration_cast<std::chrono::milliseconds>(left);
  e.tell({.kind = Event::Kind::steady, .zone = zone, .obstacle = {.handset = handset}, .number = ms.count()});
}

}  // namespace

void watch_steady(EngineParts& e) noexcept {
  if (!e.signal.watches_steady()) return;
  for (std::size_t z = 0; z < e.zones.size(); ++z) {
    Zone& zone = e.zones[z];
    const ZoneId id = id_at<ZoneId>(z);
    if (!is_moving(e, zone)) {
      zone.moves_since.reset();
      continue;
    }
    if (!zone.moves_since) zone.moves_since = e.now;
    for (const HandsetId handset : zone.setup.handsets) {
      const auto limit = has(zone.in_charge, handset) ? e.signal.max_steady(handset) : std::nullopt;
      if (!limit || !stands_on(e, id, handset)) continue;
      const Time last = e.signal.changed_at(handset), changed = last > *zone.moves_since ? last : *zone.moves_since;
      const Span left = *limit - (e.now - changed);
      if (left < Span{}) {
        apply(e, id, PermitEvent::release, Cause::handset_steady);
      } else if (left <= warned_before && *limit > warned_before) {
        warn(e, id, handset, changed, left);
      }
    }
  }
}

}  // namespace gyrax::detail
