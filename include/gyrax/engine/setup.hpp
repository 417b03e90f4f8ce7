/// A checked rig as the engine sees it: tables of numbers, no names. The rig room makes one from a file.
///
/// Rows are found by their identities: axes[index(AxisId)] and so on.
#pragma once

#include <gyrax/bind/bind.hpp>
#include <gyrax/motion/motion.hpp>
#include <gyrax/output/drive.hpp>
#include <gyrax/permit/guard.hpp>

#include <vector>

namespace gyrax {

/// How an axis's position is known.
enum class PositionKind : std::uint8_t {
  measured,  ///< its link reports it; without a report the zone does not get ready
  assumed,   ///< it is where it was last told to be; at first at `start`
};

struct AxisSetup {
  AxisLimits limits = *AxisLimits::make(0, 1, {1, 1, 1, 1, 1});
  ZoneId zone{};
  Wiring wiring{};
  PositionKind position = PositionKind::measured;
  double start = 0;            ///< of an assumed axis
  double following_error = 0;  ///< measured axes: greatest distance between command and report, > 0; more is a fault
  double in_position = 0;      ///< measured axes: a report this near to where the axis stands agrees with it, ≥ 0
  Drive drive;
  Span rest{};                  ///< of what is no place, a motor: how long it rests before it turns round
  std::vector<SwitchId> needs;  ///< all of these must be on for it to move
};

struct SwitchSetup {
  ZoneId zone{};
  Wiring wiring{};
  bool start_on = false;
  enum class OnTrip : std::uint8_t { off, on, keep } on_trip = OnTrip::off;
  OnTrip on_handset_lost = OnTrip::off;  ///< in place of on_trip where the zone trips because a handset was lost, …
  OnTrip on_link_lost = OnTrip::off;     ///< … or a link; its far end does the same by itself when it hears nothing
};

struct Setup {
  Span max_tick = std::chrono::milliseconds(20);  ///< a tick later than this after the last one is a fault
  std::vector<HandsetSetup> handsets;
  std::vector<ControlSetup> controls;
  /// By HandsetId: those that are in charge together with it, itself included; where it is shorter, each by itself.
  std::vector<HandsetBits> stations;
  std::vector<BindingSetup> bindings;
  std::vector<LayerSetup> layers;
  NotchSetup notches;
  GestureTimes gestures;
  std::vector<ZoneSetup> zones;
  std::vector<AxisSetup> axes;
  std::vector<GroupSetup> groups;
  std::vector<LinkSetup> links;
  std::vector<SwitchSetup> switches;
};

}  // namespace gyrax
