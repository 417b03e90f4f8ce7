#include "explain.hpp"

#include "actions.hpp"
#include "zones.hpp"

namespace gyrax::detail {
namespace {

/// What blocks an axis of a zone that is live, and that is at rest.
Obstacle blocking_axis(const EngineParts& e, AxisId id, bool has_goal) noexcept {
  const AxisMotion& motion = e.motion.axis(id);
  if (motion.blocked_low()) return {.what = Interlock::end_of_travel_low};
  if (motion.blocked_high()) return {.what = Interlock::end_of_travel_high};
  const Axis& axis = e.axis(id);
  const Request& request = e.request(id);
  if ((request.asked() || axis.carried) && axis.held_by.what != Interlock::none) return axis.held_by;
  if (request.asked() && !request.posing && e.motion.on_path(axis.group)) return {.what = Interlock::on_path};
  if (const SlotId slot = request.waiting_for; slot != no<SlotId>)
    return {.what = Interlock::not_neutral, .handset = e.signal.setup(slot).handset, .slot = slot};
  return request.asked() || has_goal ? Obstacle{} : Obstacle{.what = Interlock::unasked};
}

// Whole values, as most ticks have them: to copy one that was written in pieces just now would wait for those pieces.
constexpr AxisStatus moves{true, {}, {}, Cause::none}, comes_to_rest{},
    unasked{false, {.what = Interlock::unasked}, {}, Cause::none};

/// What has to be put right first: the passing of time alone can change that.
void explain_before(EngineParts& e, const Zone& zone, const Obstacle& before) noexcept {
  for (const AxisId axis : zone.setup.axes) e.why[index(axis)].before = before;
}

/// Whether the axis stands still with nothing left to do.
bool explain_live(EngineParts& e, AxisId id) noexcept {
  const AxisMotion& motion = e.motion.axis(id);
  AxisStatus& why = e.why[index(id)];
  if (e.axis(id).homing_speed > 0) {
    why = {e.request(id).asked(), carried_by(e, e.axis(id).group), {}, Cause::none};
    return false;
  }
  const bool has_goal = motion.has_goal(), asked = e.request(id).asked() || has_goal;
  if (!motion.at_rest()) {
    why = asked ? moves : comes_to_rest;
    return false;
  }
  why = asked ? moves : unasked;
  why.blocked = blocking_axis(e, id, has_goal);
  return !asked && !motion.asks_again();
}

}  // namespace

void explain(EngineParts& e) noexcept {
  for (std::size_t z = 0; z < e.zones.size(); ++z) {
    const ZoneId id = id_at<ZoneId>(z);
    const Zone& zone = e.zones[z];
    const bool live = zone.permit.live();
    bool still = e.recompute == Recompute::changed;
    if (has(e.still, id)) {
      if (!live) explain_before(e, zone, in_the_way(e, id));
    } else if (live) {
      for (const AxisId axis : zone.setup.axes) still = explain_live(e, axis) && still;
      if (still) e.still |= bit(id);
    } else {
      const Obstacle blocked = blocking(e, id);
      const Cause cause = cause_of(e, id);
      explain_before(e, zone, in_the_way(e, id));
      for (const AxisId axis : zone.setup.axes) {
        const AxisMotion& motion = e.motion.axis(axis);
        AxisStatus& why = e.why[index(axis)];
        why.asked = e.request(axis).asked() || motion.has_goal();
        why.cause = cause;
        why.blocked = blocked;
        still = still && motion.at_rest();
      }
      if (still && !zone.permit.stopping()) e.still |= bit(id);
    }
  }
}

}  // namespace gyrax::detail
