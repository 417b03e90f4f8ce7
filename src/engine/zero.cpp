#include "zero.hpp"

#include "holds.hpp"
#include "zones.hpp"

namespace gyrax::detail {
namespace {

/// Where it stands has to be known, and to be a place that stays one.
Obstacle in_the_way_of(const EngineParts& e, AxisId id, SlotId by) noexcept {
  const Axis& axis = e.axis(id);
  const Zone& zone = e.zone(axis.zone);
  const HandsetId handset = e.signal.setup(by).handset;
  if (zone.in_charge != 0 && !has(zone.in_charge, handset))
    return {.what = Interlock::another_in_charge, .handset = name_in_charge(e, axis.zone)};
  const State state = zone.permit.state();
  if (zone.stopped || (state != State::ready && state != State::live)) return blocking(e, axis.zone);
  if (axis.carried || !e.motion.axis(id).at_rest() || e.motion.axis(id).has_goal())
    return {.what = Interlock::not_standing};
  if (!axis.is_homed) return not_homed(axis);
  return {};
}

Nano saturated_sum(Nano a, Nano b) noexcept {
  constexpr Nano greatest = 0x7fff'ffff'ffff'ffff;
  Nano sum = 0;
  return __builtin_add_overflow(a, b, &sum) ? (a < 0 ? -greatest : greatest) : sum;
}

}  // namespace

void refuse_zero(EngineParts& e, AxisId axis, const Obstacle& why) noexcept {
  const ZoneId zone = e.axis(axis).zone;
  e.tell({.kind = Event::Kind::zero_refused, .zone = zone, .cause = cause_of(e, zone), .obstacle = why, .axis = axis});
}

void take_zero(EngineParts& e, const Ask& ask) noexcept {
  const AxisId id = id_at<AxisId>(index(ask.coordinate));
  if (!ask.is_machines) {
    const Obstacle why = in_the_way_of(e, id, ask.by);
    if (why.what != Interlock::none) return refuse_zero(e, id, why);
  }
  Axis& axis = e.axis(id);
  axis.zero = ask.is_machines ? 0 : to_nano(e.motion.axis(id).state().p) - ask.distance;
  // A place that somebody is on the way to stays what it was.
  e.bind.end_moves({&id, 1}, e.signal);
  e.held_back = true;
  e.tell({.kind = Event::Kind::zero, .zone = axis.zone, .axis = id, .number = axis.zero});
}

void count_from_zero(EngineParts& e) noexcept {
  for (std::size_t a = 0; a < e.requests.size(); ++a)
    if (e.requests[a].going && e.requests[a].from_zero)
      e.requests[a].goal = saturated_sum(e.requests[a].goal, e.axes[a].zero);
}

Obstacle beyond_travel(const EngineParts& e, std::size_t group) noexcept {
  for (const AxisId axis : e.motion.groups()[group].axes) {
    const Request& request = e.request(axis);
    const AxisLimits& limits = e.motion.axis(axis).limits();
    if (request.going && request.from_zero && (request.goal < limits.low_nano() || request.goal > limits.high_nano()))
      return {.what = Interlock::beyond_travel};
  }
  return {};
}

}  // namespace gyrax::detail
