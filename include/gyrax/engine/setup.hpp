/// A checked rig as the engine sees it: tables of numbers, no names. The rig room makes one from a file.
///
/// Rows are found by their identities: axes[index(AxisId)] and so on.
#pragma once

#include <gyrax/bind/bind.hpp>
#include <gyrax/engine/action.hpp>
#include <gyrax/engine/homing.hpp>
#include <gyrax/motion/motion.hpp>
#include <gyrax/output/drive.hpp>
#include <gyrax/permit/brake.hpp>
#include <gyrax/permit/duty.hpp>
#include <gyrax/permit/guard.hpp>
#include <gyrax/permit/runaway.hpp>

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
  RunawayTimes runaway{};       ///< measured axes
  DutyLimits duty{};            ///< of those that nothing measures
  BrakeTimes brake{};
  Span power_after{};                 ///< it gets power so long after its zone: one axis after the other
  std::vector<InputId> needs_inputs;  ///< all of these must be on, and known, for it to move
  /// The switches at its ends: while one is on, or not known, the axis moves only away from it.
  InputId low_end = no<InputId>, high_end = no<InputId>;
  /// On, and known, while it is homed; until then it is only jogged and stepped, at unhomed_share of its speed. None,
  /// and no homing: it counts as homed.
  InputId homed = no<InputId>;
  /// How Gyrax homes it. Until it has, and again after it lost its place, its travel does not hold, and it is what is
  /// not homed. Not beside `homed`; of a counted drive.
  HomingSetup homing{};
  Nano zero = 0;  ///< the person's own, at first: where it is, counted from the machine's
};
/// Of an axis that is not homed: nobody knows where its ends are.
inline constexpr double unhomed_share = 0.2;

/// What a switch becomes. keep: it stays as it is.
enum class Becomes : std::uint8_t { off, on, keep };
using BecomesBy = std::array<Becomes, cause_count>;
/// Off at every stop and fault. Who releases or squeezes enable, or lets go what moves, only stops motion: it stays as
/// it is.
BecomesBy default_becomes(Becomes otherwise = Becomes::off) noexcept;

struct SwitchSetup {
  ZoneId zone{};
  Wiring wiring{};
  bool start_on = false;
  /// By Cause: of its zone's stop or fault. Its far end does by itself what stands at link_silent when it hears
  /// nothing.
  BecomesBy becomes = default_becomes();
  Span pulse{};    ///< goes off by itself so long after it was turned on; 0: not
  Span max_on{};   ///< the same, and is told as what it is: a bound; 0: none
  Span min_off{};  ///< off so long before it goes on again
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
  std::vector<InputSetup> inputs;
  std::vector<ActionSetup> actions;
};

}  // namespace gyrax
