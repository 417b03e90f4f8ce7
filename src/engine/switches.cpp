#include "switches.hpp"

#include "zones.hpp"

namespace gyrax {

BecomesBy default_becomes(Becomes otherwise) noexcept {
  BecomesBy all{};
  all.fill(otherwise);
  all[static_cast<std::size_t>(Cause::enable_released)] = Becomes::keep;
  all[static_cast<std::size_t>(Cause::enable_squeezed)] = Becomes::keep;
  all[static_cast<std::size_t>(Cause::let_go)] = Becomes::keep;
  return all;
}

}  // namespace gyrax

namespace gyrax::detail {
namespace {

bool has_to_rest(const Switch& s, Time now) noexcept { return s.turned && now - *s.turned < s.setup.min_off; }

/// `cause`: of the stop that does it. `why`: what else does it, and is worth telling.
void turn(EngineParts& e, SwitchId target, bool on, Cause cause = Cause::none,
          Interlock why = Interlock::none) noexcept {
  Switch& s = e.switches[index(target)];
  if (s.on == on) return;
  if (on && has_to_rest(s, e.now))
    return tell(e, s.setup.zone,
                {.kind = Event::Kind::switch_refused, .obstacle = {.what = Interlock::switch_rests}, .target = target});
  s.on = on;
  s.turned = e.now;
  e.tell({.kind = Event::Kind::switched,
          .cause = cause,
          .obstacle = {.what = why},
          .target = target,
          .number = on ? 1 : 0});
}

void become(EngineParts& e, SwitchId target, Cause cause) noexcept {
  const Becomes to = e.switches[index(target)].setup.becomes[static_cast<std::size_t>(cause)];
  if (to != Becomes::keep) turn(e, target, to == Becomes::on, cause);
}

bool turned_on(const EngineParts& e, const Ask& ask) noexcept {
  return ask.to == SwitchTo::toggle ? !e.switches[index(ask.target)].on : ask.to == SwitchTo::on;
}

}  // namespace

void stop_switches(EngineParts& e, ZoneId zone, Cause cause) noexcept {
  if (about(cause).fault || cause == Cause::program_ends) {
    const std::uint32_t one = std::uint32_t{1} << static_cast<unsigned>(cause);
    if ((e.zone(zone).faults & one) != 0) return;
    e.zone(zone).faults |= one;
  }
  for (std::size_t i = 0; i < e.switches.size(); ++i)
    if (e.switches[i].setup.zone == zone) become(e, id_at<SwitchId>(i), cause);
}

bool turns_off(const EngineParts& e, const Ask& ask) noexcept { return !ask.lost && !turned_on(e, ask); }

void take_switch(EngineParts& e, const Ask& ask) noexcept {
  // Nobody knows whether it is still held.
  if (ask.lost) {
    const bool gone = e.signal.health(e.signal.setup(ask.by).handset, e.now) == HandsetHealth::absent;
    return become(e, ask.target, gone ? Cause::handset_gone : Cause::handset_gap);
  }
  const ZoneId zone = e.switches[index(ask.target)].setup.zone;
  const State state = e.zone(zone).permit.state();
  const bool on = turned_on(e, ask);
  if (!on || state == State::ready || state == State::live) return turn(e, ask.target, on);
  tell(e, zone, {.kind = Event::Kind::switch_refused, .obstacle = blocking(e, zone), .target = ask.target});
}

void turn_light(EngineParts& e, SwitchId target, bool on) noexcept { turn(e, target, on); }

void end_times(EngineParts& e) noexcept {
  if (!e.timed_switches) return;
  for (std::size_t i = 0; i < e.switches.size(); ++i) {
    Switch& s = e.switches[i];
    if (!s.on) continue;
    if (!s.turned) s.turned = e.now;  // on from the start
    const Span passed = e.now - *s.turned;
    const SwitchId target = id_at<SwitchId>(i);
    if (s.setup.pulse > Span{0} && passed >= s.setup.pulse) turn(e, target, false);
    if (s.on && s.setup.max_on > Span{0} && passed >= s.setup.max_on)
      turn(e, target, false, Cause::none, Interlock::on_too_long);
  }
}

}  // namespace gyrax::detail
