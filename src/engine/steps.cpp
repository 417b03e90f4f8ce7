// Steps and counts: exact distances, taken whole or refused, and told when they are dropped.
#include <gyrax/engine/engine.hpp>

namespace gyrax {

/// What keeps steps and counts from an axis; none if nothing does.
Obstacle Engine::blocking_steps(AxisId axis) const noexcept {
  const Obstacle blocked = blocking(setup_.axes[index(axis)].zone);
  if (blocked.what != Interlock::none) return blocked;
  const std::size_t group = group_of_[index(axis)];
  if (const Obstacle off = lack(group); off.what != Interlock::none) return off;
  if (motion_.on_path(group)) return {.what = Interlock::on_path};
  const Request& request = requests_[index(axis)];
  if (!request.moving()) return blocked;
  return {.what = Interlock::not_neutral, .handset = signal_.setup(request.by).handset, .slot = request.by};
}

void Engine::take_step(const Ask& ask) noexcept {
  const AxisId axis{static_cast<std::uint16_t>(index(ask.coordinate))};
  Obstacle blocked = blocking_steps(axis);
  if (blocked.what == Interlock::none) {
    const AxisMotion::Step step = motion_.axis(axis).step(ask.by);
    if (step == AxisMotion::Step::beyond_travel)
      blocked = {.what = ask.by < 0 ? Interlock::end_of_travel_low : Interlock::end_of_travel_high};
    if (step == AxisMotion::Step::too_many) blocked = {.what = Interlock::too_many_steps};
  }
  if (blocked.what != Interlock::none) bind_.refused(ask.binding);
  const auto kind = blocked.what == Interlock::none ? Event::Kind::step : Event::Kind::step_refused;
  const ZoneId zone = setup_.axes[index(axis)].zone;
  events_->write({.at = now_, .kind = kind, .zone = zone, .cause = tripped_of(zone), .obstacle = blocked, .axis = axis, .number = ask.by});
}

/// A wheel brings hundreds of counts a second; to be told once is enough.
bool Engine::may_tell(AxisId axis) noexcept {
  constexpr Span quiet = std::chrono::seconds(1);
  if (now_ - wheel_told_[index(axis)] < quiet) return false;
  wheel_told_[index(axis)] = now_;
  return true;
}

void Engine::take_wheel(const Ask& ask) noexcept {
  const AxisId axis{static_cast<std::uint16_t>(index(ask.coordinate))};
  const BindingSetup& binding = bind_.binding(ask.binding);
  Obstacle blocked = blocking_steps(axis);
  std::int64_t dropped = ask.counts;
  if (blocked.what == Interlock::none) {
    dropped = motion_.axis(axis).wheel(ask.counts, ask.by, binding.max_owed);
    // What a wheel that may not run ahead drops is meant to be dropped.
    if (dropped == 0 || binding.max_owed > 0) return;
    blocked = {.what = (dropped < 0) == (ask.by > 0) ? Interlock::end_of_travel_low : Interlock::end_of_travel_high};
  }
  if (!may_tell(axis)) return;
  const ZoneId zone = setup_.axes[index(axis)].zone;
  events_->write({.at = now_,
                  .kind = Event::Kind::wheel_refused,
                  .zone = zone,
                  .cause = tripped_of(zone),
                  .obstacle = blocked,
                  .axis = axis,
                  .number = dropped});
}

/// Steps and counts that gave way to something else, or to a stop.
void Engine::tell_dropped() noexcept {
  for (std::size_t a = 0; a < setup_.axes.size(); ++a) {
    const AxisId axis{static_cast<std::uint16_t>(a)};
    const Nano dropped = motion_.axis(axis).take_dropped();
    if (dropped == 0) continue;
    events_->write({.at = now_, .kind = Event::Kind::dropped, .zone = setup_.axes[a].zone, .axis = axis, .number = dropped});
  }
}

}  // namespace gyrax
