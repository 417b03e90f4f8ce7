#include "switches.hpp"

#include "zones.hpp"

namespace gyrax::detail {
namespace {

void turn(EngineParts& e, SwitchId target, bool on) noexcept {
  Switch& s = e.switches[index(target)];
  if (s.on == on) return;
  s.on = on;
  e.tell({.kind = Event::Kind::switched, .target = target, .number = on ? 1 : 0});
}

void turn(EngineParts& e, SwitchId target, SwitchSetup::OnTrip to) noexcept {
  if (to != SwitchSetup::OnTrip::keep) turn(e, target, to == SwitchSetup::OnTrip::on);
}

SwitchSetup::OnTrip after_trip(const SwitchSetup& s, Cause cause) noexcept {
  switch (about(cause).about) {
    case AboutCause::About::handset: return s.on_handset_lost;
    case AboutCause::About::link: return s.on_link_lost;
    case AboutCause::About::other: break;
  }
  return s.on_trip;
}

}  // namespace

void trip_switches(EngineParts& e, ZoneId zone) noexcept {
  for (std::size_t i = 0; i < e.switches.size(); ++i)
    if (e.switches[i].setup.zone == zone)
      turn(e, id_at<SwitchId>(i), after_trip(e.switches[i].setup, e.zone(zone).permit.cause()));
}

void take_switch(EngineParts& e, const Ask& ask) noexcept {
  const Switch& s = e.switches[index(ask.target)];
  const ZoneId zone = s.setup.zone;
  const State state = e.zone(zone).permit.state();
  // Nobody knows whether it is still held: what the rig says of a lost handset.
  if (ask.lost) return turn(e, ask.target, s.setup.on_handset_lost);
  // What was on while it was held goes off when it is let go, whatever became of the zone meanwhile.
  if (ask.let_go || state == State::ready || state == State::live)
    return turn(e, ask.target, ask.to == SwitchTo::toggle ? !s.on : ask.to == SwitchTo::on);
  tell(e, zone, {.kind = Event::Kind::switch_refused, .obstacle = blocking(e, zone), .target = ask.target});
}

Obstacle lacking(const EngineParts& e, std::size_t group) noexcept {
  for (const SwitchId target : e.needs[group])
    if (!e.switches[index(target)].on) return {.what = Interlock::switch_off, .target = target};
  return {};
}

}  // namespace gyrax::detail
