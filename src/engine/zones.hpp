// What becomes of a zone: its permit's events, and what is in the way of one.
#pragma once

#include <gyrax/engine/parts.hpp>

namespace gyrax::detail {

/// Applies an event to a zone's permit; `cause` names what ends motion.
void apply(EngineParts& e, ZoneId zone, PermitEvent event, Cause cause) noexcept;
/// `why` and `number` say more of it, where there is more.
void fault(EngineParts& e, ZoneId zone, Cause cause, const Obstacle& why = {}, std::int64_t number = 0) noexcept;
/// Offers an event that starts something: only from the state that it belongs to, with nothing in the way, and never in
/// a tick that has seen a stop.
void offer(EngineParts& e, ZoneId zone, PermitEvent event, State wanted, HandsetId by) noexcept;
/// The one key for ready and stow, which resets as well.
void offer_ready_or_stow(EngineParts& e, ZoneId zone, HandsetId by) noexcept;
/// A short press of reset: refused where the same was tripped of too often.
void offer_reset(EngineParts& e, ZoneId zone, HandsetId by) noexcept;
/// Stows a zone that asks for it after such a change.
void setting_changed(EngineParts& e, ZoneId zone) noexcept;
/// Of a zone that is hold to run: live as long as something that moves it is held.
void run_while_held(EngineParts& e, ZoneId zone) noexcept;
/// A reset without the handsets that are gone: by anybody who is at neutral and has kept it down for its long time.
void offer_long_reset(EngineParts& e, ZoneId zone, HandsetId by) noexcept;
/// Tells of a zone, with what it stops for or has tripped of.
void tell(EngineParts& e, ZoneId zone, Event event) noexcept;
/// Tells that a state is refused.
void refuse(EngineParts& e, ZoneId zone, State wanted, const Obstacle& why) noexcept;
/// Whatever was begun before this moment is void in a zone.
void end_begun(EngineParts& e, ZoneId zone) noexcept;
/// Ends what every zone does, for good: nothing starts in this tick.
void end_program(EngineParts& e) noexcept;

/// What its state blocks, whatever is asked.
Obstacle blocking(const EngineParts& e, ZoneId zone) noexcept;
/// What has to be put right before a zone goes on.
Obstacle in_the_way(const EngineParts& e, ZoneId zone) noexcept;
/// What the zone stops for, or has tripped of.
Cause cause_of(const EngineParts& e, ZoneId zone) noexcept;

// Who is in charge: the one that makes the zone ready, with those that its station names. Another takes over only while
// the zone is ready and so at rest, and by making it ready itself.
void put_in_charge(EngineParts& e, ZoneId zone, HandsetId handset) noexcept;
void relieve(EngineParts& e, ZoneId zone) noexcept;
/// A handset is there now: where somebody is in charge, its stop may be reached for.
void count_on(EngineParts& e, HandsetId handset) noexcept;
HandsetBits station_of(const EngineParts& e, HandsetId handset) noexcept;
/// One of those in charge, to be named.
HandsetId name_in_charge(const EngineParts& e, ZoneId zone) noexcept;

}  // namespace gyrax::detail
