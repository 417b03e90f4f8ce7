#include "asks.hpp"
#include "holds.hpp"
#include "inputs.hpp"
#include "zones.hpp"

namespace gyrax::detail {
namespace {

/// What keeps steps and counts from an axis that would move it this way; none if nothing does.
Obstacle blocking_steps(const EngineParts& e, AxisId id, double way) noexcept {
  const Axis& axis = e.axis(id);
  if (const Obstacle blocked = blocking(e, axis.zone); blocked.what != Interlock::none) return blocked;
  if (const Obstacle off = lacking(e, axis.group); off.what != Interlock::none) return off;
  if (const Obstacle end = end_towards(e, id, way); end.what != Interlock::none) return end;
  if (e.motion.on_path(axis.group)) return {.what = Interlock::on_path};
  const Request& request = e.request(id);
  if (!request.moving()) return {};
  return {.what = Interlock::not_neutral, .handset = e.signal.setup(request.by).handset, .slot = request.by};
}

}  // namespace

void take_step(EngineParts& e, const Ask& ask) noexcept {
  const AxisId axis = id_at<AxisId>(index(ask.coordinate));
  Obstacle blocked = blocking_steps(e, axis, static_cast<double>(ask.distance));
  if (blocked.what == Interlock::none) {
    e.still &= ~bit(e.axis(axis).zone);
    const AxisMotion::Step step = e.motion.step(axis, ask.distance);
    if (step == AxisMotion::Step::beyond_travel)
      blocked = {.what = ask.distance < 0 ? Interlock::end_of_travel_low : Interlock::end_of_travel_high};
    if (step == AxisMotion::Step::too_many) blocked = {.what = Interlock::too_many_steps};
  }
  const bool refused = blocked.what != Interlock::none;
  if (refused) e.bind.refused(ask.binding);
  tell(e, e.axis(axis).zone,
       {.kind = refused ? Event::Kind::step_refused : Event::Kind::step,
        .obstacle = blocked,
        .axis = axis,
        .number = ask.distance});
}

bool begin_quiet(Axis& axis, Time now) noexcept {
  constexpr Span quiet = std::chrono::seconds(1);
  if (axis.wheel_told && now - *axis.wheel_told < quiet) return false;
  axis.wheel_told = now;
  return true;
}

void take_counts(EngineParts& e, const Ask& ask) noexcept {
  const AxisId axis = id_at<AxisId>(index(ask.coordinate));
  const auto way = static_cast<double>(ask.counts) * static_cast<double>(ask.distance);
  Obstacle blocked = blocking_steps(e, axis, way);
  std::int64_t dropped = ask.counts;
  if (blocked.what == Interlock::none) {
    e.still &= ~bit(e.axis(axis).zone);
    dropped = e.motion.wheel(axis, ask.counts, ask.distance, ask.max_owed);
    // What a wheel that may not run ahead drops is meant to be dropped.
    if (dropped == 0 || ask.max_owed > 0) return;
    blocked = {.what =
                   (dropped < 0) == (ask.distance > 0) ? Interlock::end_of_travel_low : Interlock::end_of_travel_high};
  }
  if (!begin_quiet(e.axis(axis), e.now)) return;
  tell(e, e.axis(axis).zone,
       {.kind = Event::Kind::wheel_refused, .obstacle = blocked, .axis = axis, .number = dropped});
}

}  // namespace gyrax::detail
