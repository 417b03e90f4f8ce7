/// Whether a zone may be made ready, enabled or reset: the first thing in the way, or none.
///
/// In: the handsets' health, the samples, the links. Out: one obstacle. Never: a state of its own.
///
///     Obstacle o = first_obstacle(zone, all, bit(pad), axes, signal, links, now);
///     if (o.what == Interlock::none) permit.apply(PermitEvent::make_ready, Cause::none);
#pragma once

#include <gyrax/permit/interlock.hpp>
#include <gyrax/permit/links.hpp>
#include <gyrax/signal/signal.hpp>

#include <vector>

namespace gyrax {

/// After which changes a zone that is ready or live is stowed.
struct StowAfter {
  bool override = false, layer = false, calibration = false;
};

/// What a zone depends on.
struct ZoneSetup {
  bool hold_to_run = false;  ///< no enable: what moves it allows it, only while it is held
  std::array<Category, cause_count> categories = default_categories();
  StowAfter stow_after{};
  std::vector<HandsetId> handsets;  ///< each that is counted on must be present and not silent
  std::vector<LinkId> links;        ///< each must be fresh
  std::vector<AxisId> axes;
  std::vector<SlotId> controls;  ///< each can move something in the zone: must have reported and be at neutral
  std::vector<SlotId> followed;  ///< each is followed by an axis, that comes to meet it: must have reported
  std::vector<SlotId> stops;     ///< none may be held down; those of handsets that are counted on must have reported
  std::vector<InputId> needs;    ///< each must be on, and known
  std::vector<InputId> bounded;  ///< each must be known, and inside its bounds
};

/// A link, or one of the zone's handsets among `counted_on`, that is not there, if any.
Obstacle first_loss(const ZoneSetup& zone, HandsetBits counted_on, const Signal& signal, const Links& links,
                    Time now) noexcept;

/// A control of the handsets `in_charge` that can move something in the zone and has not reported, or is not at
/// neutral; but for those that `may`.
template <class May>
Obstacle first_not_neutral(const ZoneSetup& zone, HandsetBits in_charge, const Signal& signal, May may) noexcept {
  for (const SlotId slot : zone.controls) {
    const Sample& sample = signal.sample(slot);
    const HandsetId handset = signal.setup(slot).handset;
    if (!has(in_charge, handset)) continue;
    if (!sample.known) return {.what = Interlock::unreported, .handset = handset, .slot = slot};
    if (!sample.neutral() && !may(slot)) return {.what = Interlock::not_neutral, .handset = handset, .slot = slot};
  }
  return {};
}

/// An input that is off, not known or beyond its bounds, of those that the zone depends on.
Obstacle first_input(const ZoneSetup& zone, const Links& links, Time now) noexcept;
/// What keeps an input from being good enough for what needs it.
Obstacle lacking_input(const Links& links, InputId input, Time now) noexcept;

/// All that first_obstacle looks at but first_not_neutral.
Obstacle first_lack(const ZoneSetup& zone, HandsetBits counted_on, HandsetBits in_charge,
                    std::span<const LinkId> measured_by, const Signal& signal, const Links& links, Time now) noexcept;

/// As first_loss and first_input, and further: a link that is still switching on; a stop that is held down, by
/// whomever, or not known; an axis that a link has to measure (`measured_by`, by AxisId; none: it need not be) without
/// a position; of the handsets `in_charge` a control that has not reported, or is not at neutral.
Obstacle first_obstacle(const ZoneSetup& zone, HandsetBits counted_on, HandsetBits in_charge,
                        std::span<const LinkId> measured_by, const Signal& signal, const Links& links,
                        Time now) noexcept;

}  // namespace gyrax
