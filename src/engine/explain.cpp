#include "explain.hpp"

#include "zones.hpp"

namespace gyrax::detail {
namespace {

/// What blocks an axis of a zone that is live.
Obstacle blocking_axis(const EngineParts& e, AxisId id) noexcept {
  const Axis& axis = e.axis(id);
  const Request& request = e.request(id);
  const AxisMotion& motion = e.motion.axis(id);
  if (motion.blocked_low()) return {.what = Interlock::end_of_travel_low};
  if (motion.blocked_high()) return {.what = Interlock::end_of_travel_high};
  if (!motion.at_rest()) return {};
  if (request.asked() && axis.held_by.what != Interlock::none) return axis.held_by;
  if (request.asked() && !request.posing && e.motion.on_path(axis.group)) return {.what = Interlock::on_path};
  if (const SlotId slot = request.waiting_for; slot != no<SlotId>)
    return {.what = Interlock::not_neutral, .handset = e.signal.setup(slot).handset, .slot = slot};
  return request.asked() || motion.has_goal() ? Obstacle{} : Obstacle{.what = Interlock::unasked};
}

}  // namespace

void explain(const EngineParts& e, std::span<AxisStatus> all) noexcept {
  for (std::size_t z = 0; z < e.zones.size(); ++z) {
    const ZoneId zone = id_at<ZoneId>(z);
    const bool live = e.zones[z].permit.live();
    AxisStatus status;
    status.blocked = blocking(e, zone);
    status.cause = cause_of(e, zone);
    if (!live) status.before = in_the_way(e, zone);
    for (const AxisId axis : e.zones[z].setup.axes) {
      AxisStatus& why = all[index(axis)];
      // Field by field: copying what was written in pieces just now would wait for those pieces.
      why.asked = e.request(axis).asked() || e.motion.axis(axis).has_goal();
      why.cause = status.cause;
      why.before = status.before;
      why.blocked = live ? blocking_axis(e, axis) : status.blocked;
    }
  }
}

}  // namespace gyrax::detail
