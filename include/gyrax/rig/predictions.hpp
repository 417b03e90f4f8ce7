/// How far each axis goes after each cause of a stop, and how long: worked out before the drive is ever switched on.
///
/// In: a checked rig. Out: for each axis and cause the longest time until it is noticed, the way meanwhile, the stop
/// from the worst state, and what the machine's lag adds. Never: a measurement; gyrax/faults holds these against the
/// simulated machine.
///
///     for (const gyrax::Prediction& one : gyrax::predict(rig)) … one.way() …
///
/// docs/faults.md derives each number.
#pragma once

#include <gyrax/motion/profile.hpp>
#include <gyrax/rig/rig.hpp>

#include <string>
#include <vector>

namespace gyrax {

/// Where a failure comes from.
enum class Side : std::uint8_t { person, handset, link, program, machine };
inline constexpr std::size_t side_count = static_cast<std::size_t>(Side::machine) + 1;
const char* name_of(Side side) noexcept;
Side side_of(Cause cause) noexcept;

/// One axis after one cause. Ways in the axis's unit, from where the machine is as the failure begins to where it
/// rests; of a motor, which has no place, ways are 0.
struct Prediction {
  AxisId axis{};
  Cause cause = Cause::none;
  Category category = Category::two;
  double speed = 0;                     ///< as it fails at the worst moment: full, or still gaining; unit/s
  double notice_s = 0, notice_way = 0;  ///< until the stop begins
  double stop_s = 0, stop_way = 0;      ///< of the stop itself, jerk included
  double lag_s = 0, lag_way = 0;        ///< the machine is behind what it is told, and comes to rest later
  double watch_s = 0;                   ///< of the time to notice: how long a watchdog waits
  bool to_the_end = false;              ///< nothing notices it before the end of travel
  std::string notice;                   ///< what the time to notice is made of: "100 ms of silence, a tick"
  double time_s() const { return notice_s + stop_s + lag_s; }
  double way() const { return notice_way + stop_way + lag_way; }
};

/// What stands at the far end of an axis's link, as far as it decides about a stop.
struct FarEnd {
  double lag_s = 0;       ///< time constant with which it follows
  double queue_s = 0;     ///< it plans ahead, and is so far behind what it is told
  double runs_out_s = 0;  ///< it goes on for so long when it hears nothing, until its queue has run out
  double report_s = 0;    ///< between two reports
  double delay_s = 0;     ///< from measuring to a report's arrival
  double top_speed = 0;   ///< its own limit, unit/s
  double decel = 0;       ///< with which it stops by itself, unit/s²
  double valid_s = 0;     ///< it stops by itself so long after the last frame
  double late_s = 0;      ///< a report may come so much later still: its link waits for an answer as long
  double told_s = 0;      ///< so long a frame may wait before it is sent: a transaction is under way
  bool runs_on = false;   ///< it is told speeds, and goes on with the last one until it stops by itself
  /// From when something is so to when a report of it is there, at the worst.
  double heard_s() const { return report_s + delay_s + late_s; }
};
FarEnd far_end_of(const Rig& rig, AxisId axis);
/// What all axes of a link have in common; the rest is 0.
FarEnd far_end_of(const Rig& rig, LinkId link);

/// Speeds are taken at full override and without reduced speed, or as the rig starts.
enum class AtSpeed : std::uint8_t { full, in_force };

/// The greatest speed that any binding reaches on an axis within its travel, unit/s; 0 where nothing moves it.
double reachable_speed(const Rig& rig, AxisId axis, AtSpeed at = AtSpeed::full);

/// The longest stop from a steady speed: by the axis's own limits, or on the line of its group where the machine
/// couples it with others.
StopReach longest_stop(const Rig& rig, AxisId axis, double speed);
/// Whether the machine couples it with others.
bool is_coupled(const Rig& rig, AxisId axis);

/// Predictions for one axis. `rig` has to last as long.
class Predictor {
 public:
  Predictor(const Rig& rig, AxisId axis, AtSpeed at = AtSpeed::full);
  /// Whether a cause can stop this axis at all.
  bool applies(Cause cause) const;
  Prediction of(Cause cause) const;
  /// The same of what a machine does wrong, where it runs at `machine_speed` (unit/s, not signed) then.
  Prediction of_machine(Cause cause, double machine_speed) const;
  /// The program does nothing for so long, and goes on: a stop.
  Prediction resumed(double hung_s) const;
  /// No frame arrives any more: the far end keeps to the last one while it is valid, and stops by itself.
  Prediction unheard() const;
  /// Nothing stops it before the end of its travel.
  Prediction to_the_end() const;

  const Rig& rig() const noexcept { return rig_; }
  const AxisSetup& setup() const noexcept { return setup_; }
  double speed() const noexcept { return speed_; }
  double travel() const noexcept { return travel_; }
  const FarEnd& far_end() const noexcept { return far_; }

 private:
  Prediction begin(Cause cause) const;
  Prediction of_input(Cause cause) const;
  void stop_after(Prediction& p, double watch_s, const std::string& words) const;
  void stop_by_hand(Prediction& p, Cause cause) const;
  double making_up(double speed) const;

  const Rig& rig_;
  AxisId axis_;
  const AxisSetup& setup_;
  const ZoneSetup& zone_;
  double speed_ = 0, travel_ = 0;
  FarEnd far_;
};

/// All axes that anything moves, each with every cause that applies to it, in their orders.
std::vector<Prediction> predict(const Rig& rig, AtSpeed at = AtSpeed::full);

}  // namespace gyrax
