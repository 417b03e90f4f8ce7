/// Whether a zone may be made ready, enabled or reset: the first thing in the way, or none.
///
/// In: the handsets' health, the samples, the links. Out: one obstacle. Never: a state of its own.
///
///     Obstacle o = first_obstacle(zone, axes, signal, links, now);
///     if (o.what == Interlock::none) permit.apply(PermitEvent::make_ready, Cause::none);
#pragma once

#include <gyrax/permit/interlock.hpp>
#include <gyrax/permit/links.hpp>
#include <gyrax/signal/signal.hpp>

#include <vector>

namespace gyrax {

/// What a zone depends on.
struct ZoneSetup {
  std::array<Category, cause_count> categories = default_categories();
  std::vector<HandsetId> handsets;  ///< each must be present and not silent
  std::vector<LinkId> links;        ///< each must be fresh
  std::vector<AxisId> axes;
  std::vector<SlotId> controls;  ///< each can move something in the zone: must have reported and be at neutral
  std::vector<SlotId> followed;  ///< each is followed by an axis, that comes to meet it: must have reported
};

/// A handset or link that the zone's motion depends on and that is not there, if any.
Obstacle first_loss(const ZoneSetup& zone, const Signal& signal, const Links& links, Time now) noexcept;

/// As first_loss, and further: an axis in `must_be_measured` (by AxisId) without a position, a control that has not
/// reported, a control that is not at neutral.
Obstacle first_obstacle(const ZoneSetup& zone, std::span<const std::uint8_t> must_be_measured, const Signal& signal, const Links& links,
                        Time now) noexcept;

}  // namespace gyrax
