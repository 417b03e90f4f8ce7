// Holds what an engine puts out against what hands really do. It knows the plan, the truth, and its own arithmetic; of
// the engine it sees what leaves it: commands, words, switches, states, events.
#pragma once

#include "hands.hpp"
#include "plan.hpp"

#include <gyrax/engine/engine.hpp>
#include <gyrax/rig/rig.hpp>

#include <array>
#include <string>
#include <vector>

namespace gyrax::bench {

/// How often what was seen, over all rigs.
struct Tally {
  std::uint64_t rigs = 0, ticks = 0, live_ticks = 0, moving_ticks = 0, lives = 0, stops = 0, trips = 0, steps = 0,
                dropped = 0, recoveries = 0, switched_off = 0, steady_stops = 0;
  std::uint64_t unrecovered = 0, lost_readings = 0, refused_readings = 0, believed_ticks = 0, near_deadline = 0;
};

class Watch {
 public:
  enum class Property : std::uint8_t {
    asked,
    stops,
    power,
    exact,
    last_check,
    reason,
    safer,
    limits,
    switches,
    reference,
    count
  };
  static const char* name_of(Property property);

  Watch(const RigPlan& plan, const Rig& rig, const Hands& hands, Tally& tally);

  struct TickTruth {
    Time now{};
    double dt_s = 0;          // what has passed; below 0: backwards
    std::uint32_t lying = 0;  // links with a report this tick that cannot hold
    std::uint32_t heard = 0;  // links with a sound report this tick
    int lying_axis = -1;      // by the engine's number: said to be where it cannot be
    bool end = false;
  };
  void tick(const TickTruth& truth, const Engine& engine, const TickBuffers& out, const std::vector<Event>& events);

  /// Empty while everything holds.
  const std::string& violation() const { return violation_; }
  Property violated() const { return violated_; }
  void fail(Property property, const std::string& what);

 private:
  struct Zone {
    State state = State::stowed;
    std::uint32_t candidates =
        0;  // bits of handsets whose ready was pressed since it was stowed, and of their stations
    bool ready_begun = false, ready_before = false, was_stowed_now = false, stop_now = false, powered = false;
    bool stop_key_now = false, ready_now = false, ready_after_stop = false;
    bool may_move = false, could_move = false;  // in this tick, in the one before
    int power_off_in = -1;                      // ticks at rest until power has to be off; -1: it has not
    bool off_at_once = false;
    double valid_s = 1e9;                             // of the frames of its links: the least
    Time still_at{};                                  // the last tick in which nothing moved
    std::vector<std::uint8_t> begun;                  // by binding: an enable pressed while it was ready
    std::vector<std::uint8_t> voided, pressed_since;  // by binding: active when it stopped or went live; pressed since
    std::vector<std::uint8_t> pressed_before;         // the same in the tick before
  };
  struct Axis {
    double p = 0, v = 0, a = 0;
    Mode mode = Mode::off;
    bool was_allowed = false, was_live = false;
    double rest_by_s = 0;  // of motion time
    int late_ticks = 0;
    bool stepping = false, wheeling = false, pure = true;
    int rest_ticks = 0, followed = -1;  // followed: by which binding of it, while only latched layers decide
    std::int64_t expected = 0;
    std::vector<std::uint8_t> met,
        lacking;              // by binding of it: a follower has met it; held while a switch that it needs was off
    std::vector<double> off;  // by binding of it: how far the axis was from what it follows
    std::int64_t word = 0;
    int power_sign = 0;
    Time no_power_since{};
    bool limited = false, driven = false;
  };

  void take_delivered(const Engine& engine, const TickTruth& truth);
  void stop(std::size_t zone, RigPlan::Cause cause, bool certain);
  bool in_zone(const BindingPlan& b, std::size_t zone) const;
  bool active(std::size_t binding, Time now) const;
  bool held(std::size_t binding) const;
  bool told_now(std::size_t binding) const;
  bool told_in_time(int handset, int control) const;
  bool asked(std::size_t axis, std::size_t zone, Time now) const;
  void watch_zone(std::size_t zone, const Engine& engine, const TickTruth& truth, const TickBuffers& out);
  void watch_axis(std::size_t axis, const TickTruth& truth, const TickBuffers& out);
  bool held_to_run(std::size_t zone, Time now) const;
  int follower(std::size_t axis) const;
  void watch_followed(std::size_t axis, const AxisCommand& c, bool may, double dt_s);
  void watch_live(std::size_t zone, const Engine& engine, bool begins);
  void watch_limits(std::size_t axis, const AxisCommand& c, double dt_s);
  void watch_steps(std::size_t axis, const AxisCommand& c, const TickBuffers& out);
  void watch_motor(std::size_t axis, const AxisCommand& c, std::int64_t word, Time now);
  void watch_reduced(const TickTruth& truth);
  void watch_switches(const TickBuffers& out, Time now);
  void watch_steady(const TickTruth& truth, const Engine& engine, const TickBuffers& out);
  void watch_becomes(const TickBuffers& out, const std::vector<Event>& events);
  void watch_groups(const TickBuffers& out);
  void take_events(const std::vector<Event>& events);
  double stop_time(const AxisPlan& plan, double v, double a) const;
  double group_stop_time(std::size_t axis) const;
  std::uint32_t station(int handset) const;
  bool told(int handset, int control, bool pressed) const;

  const RigPlan& plan_;
  const Hands& hands_;
  Tally& tally_;
  std::vector<Zone> zones_;
  std::vector<Axis> axes_;
  std::vector<std::vector<std::size_t>> bindings_of_;  // by axis: what moves it
  std::vector<std::size_t> axis_id_, channel_;
  std::vector<Time> heard_at_;
  Time told_at_{};  // the last word of the first handset
  std::vector<std::uint8_t> ever_heard_;
  std::vector<std::uint8_t> reduced_lost_, reduced_known_;  // by binding
  std::vector<std::uint8_t> reduced_held_;
  std::vector<Time> reduced_seen_;  // by binding: since when it is seen held, without a break; zero: it is not
  std::vector<std::size_t> switch_id_;
  std::vector<std::pair<int, int>> fresh_told_;  // controls whose press was delivered in this tick
  double motion_s_ = 0;
  bool reduced_ = false, layer_on_ = false;  // of the latched layer, as it was told
  std::uint64_t ticks_ = 0;
  std::string violation_;
  Property violated_ = Property::asked;
};

}  // namespace gyrax::bench
