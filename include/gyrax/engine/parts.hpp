/// What an engine is made of: the rooms, and what it keeps of each zone, axis, group and switch. Its own; nothing here
/// is for use.
#pragma once

#include <gyrax/engine/event.hpp>
#include <gyrax/engine/setup.hpp>
#include <gyrax/envelope/envelope.hpp>
#include <gyrax/output/output.hpp>
#include <gyrax/permit/permit.hpp>

#include <optional>
#include <vector>

namespace gyrax::detail {

/// When a zone tripped, and of what.
struct Trip {
  Cause cause = Cause::none;
  Time at{};
};

struct Zone {
  explicit Zone(const ZoneSetup& s) : setup(s), permit(s.categories) {}
  ZoneSetup setup;
  Permit permit;
  Time since{};                     // when its state changed last
  HandsetBits in_charge = 0;        // who may move it
  HandsetBits also_there = 0;       // who else was there when it was made ready, so that people count on its stop
  bool stopped = false;             // a stop came in this tick, so that nothing starts in it
  bool changed = false;             // it stopped or changed with the reading that is taken now
  std::optional<Time> moves_since;  // some axis of it
  std::optional<Time> warned_of;    // the last change on a handset for which it was told that it is long ago
  std::uint32_t faults = 0;         // by Cause: those that its switches have heeded since it was last made ready
  std::array<Trip, 8> trips{};      // the last ones
  std::size_t next_trip = 0;        // the oldest of them
  bool tripped_again = false;       // of the same for the third time in a minute
  /// Those whose loss stops it. While it is stowed there is nothing to stop.
  HandsetBits counted_on() const noexcept { return in_charge | also_there; }
};

struct Axis {
  Axis(const AxisSetup& s, std::size_t g)
      : zone(s.zone),
        link(s.wiring.link),
        position(s.position),
        is_place(gyrax::is_place(s.drive)),
        group(g),
        start(s.start),
        in_position(s.in_position),
        rest(s.rest),
        low_end(s.low_end),
        high_end(s.high_end),
        homed(s.homed),
        is_homed(s.homed == no<InputId> && !s.homing.any()),
        zero(s.zero),
        homing(s.homing),
        low(s.limits.low()),
        high(s.limits.high()) {}
  ZoneId zone;
  LinkId link;
  PositionKind position;
  bool is_place;
  bool taken_up = false;  // has had power before
  std::size_t group;
  double start, in_position;
  Span rest;
  InputId low_end, high_end, homed;
  bool is_homed = false;  // as the last tick saw it; true where nothing says so
  Nano zero = 0;          // the person's own
  HomingSetup homing;
  double low, high;                // its travel, once it is homed
  Nano link_zero = 0;              // where its link counts from
  std::uint32_t losses = 0;        // of its link, as the last tick saw them
  double homing_speed = 0;         // at which a homing leads it
  std::optional<Time> wheel_told;  // when it was last told that counts do nothing
  Obstacle held_by;                // what keeps it from what it is asked, besides its zone and its travel
  bool lapsed = false;             // asked while it lacked something: it has to be let go, or met, first
  int side = 0;                    // of a followed control that has to be met: where it was seen from the axis
  int direction = 0;               // of a motor: the way it turned last
  int end_way = 0;                 // towards the switch of an end that holds it, as long as it is asked to go there
  Time rests_since{};              // of a motor
  bool carried = false;            // its link moves it by itself, for an action
  bool coasts = false;             // the same, and the action is over: it comes to rest
  Time coasts_since{};
};

struct Switch {
  explicit Switch(const SwitchSetup& s) : setup(s), on(s.start_on) {}
  SwitchSetup setup;
  bool on = false;
  std::optional<Time> turned;  // last
};

/// An axis that a link measures, for a report to be held against.
struct Measured {
  AxisId axis{};
  LinkId link{};
  ZoneId zone{};
  double following_error = 0;
  Runaway runaway;
};

/// An axis that may run for so long only.
struct Worked {
  AxisId axis{};
  Duty duty;
};

/// An axis with a brake.
struct Braked {
  AxisId axis{};
  double slow = 0;  // reported speeds up to this are standing
  Time moved{};     // when it was last told to move
  Brake brake;
};

/// An axis that gets its power after others.
struct Staggered {
  AxisId axis{};
  Span after{};
  bool zone_had = false, has = false;
  Time since{};  // its zone has power
};

/// How far the homing of an action is.
struct HomingRun {
  std::size_t row = 0;  // in its homes
  HomingPhase phase = HomingPhase::begin;
  double from = 0;  // where the phase began
  double met = 0;   // where the switch came on
};

/// An action, and how far it is.
struct Action {
  explicit Action(const ActionSetup& s) : setup(s) {}
  ActionSetup setup;
  ActionStage stage = ActionStage::idle;
  Time since{}, turned{};  // its stage; its last turn
  std::size_t turn = 0;    // the next one
  std::uint32_t number = 0;
  bool carried_out = false;  // its link has said so, or it has none
  HomingRun homing;
};

/// What each tick needs of a group, whatever it does.
struct GroupPlace {
  ZoneId zone{};
  bool needs =
      false;  // some axis of it needs a switch or an input, has a brake, waits for power, or may run for so long only
  bool turns = false;      // some axis of it is a motor, that rests before it turns round
  bool homes = false;      // some axis of it counts as homed only while an input says so
  bool acted_on = false;   // some action moves an axis of it
  bool homing = false;     // one leads it now
  bool from_zero = false;  // something takes an axis of it to a place that counts from the person's zero
};

struct EngineParts {
  EngineParts(const Setup& setup, Recompute how_much);

  Signal signal;
  Bind bind;
  Links links;
  Motion motion;
  Envelope envelope;
  Output output;

  std::vector<Zone> zones;
  std::vector<Axis> axes;
  std::vector<AxisCommand> commands;  // by AxisId: as the last check left them
  std::vector<AxisStatus> why;        // by AxisId
  std::vector<GroupPlace> groups;     // as motion's
  std::vector<Measured> measured;     // by LinkId, then AxisId
  std::vector<Worked> worked;
  std::vector<Braked> brakes;
  std::vector<Staggered> staggered;
  std::vector<Switch> switches;
  bool timed_switches = false;  // some switch goes off after a time
  std::vector<Action> actions;
  std::vector<std::optional<Time>> confirmed;  // by an action's group: when one of it was confirmed last
  std::uint32_t orders = 0;                    // so far
  bool acting = false;                         // some action is prepared or under way
  Lists<SwitchId> needs;                       // by group: what any of its axes needs
  Lists<InputId> needs_inputs;                 // the same
  std::uint32_t input_changes = 0;             // of the links, when they were looked at last
  std::vector<AxisId> homed_here;              // those that Gyrax homes
  std::vector<Request> requests;               // by CoordinateId
  std::vector<Request> homing_requests;        // the same, of what homes them
  bool held_back = true;                       // requests is not what the hands ask: something was taken from it
  std::vector<double> overrides;               // by AxisId: the share of speed in force
  std::vector<LinkId> measured_by;             // by AxisId; none: nothing has to measure it
  std::vector<Span> valid_for;                 // by LinkId: of a frame
  std::vector<HandsetBits> stations;           // by HandsetId, itself included
  // Zones that are live, ready, stowed or tripped and whose axes all stand still with nothing left to do: until
  // something touches them the last tick's commands and reasons hold.
  ZoneBits still = 0;
  ZoneBits recalibrated = 0;  // zones with a handset that got other ends since the last tick
  Recompute recompute;
  NotchSetup::Reduced reduced;
  Span max_tick{};

  // The tick that is under way.
  EventRing* events = nullptr;
  bool started = false;
  Time now{}, before{};  // its time, and the last one's
  double dt_s = 0;

  Zone& zone(ZoneId id) noexcept { return zones[index(id)]; }
  const Zone& zone(ZoneId id) const noexcept { return zones[index(id)]; }
  Axis& axis(AxisId id) noexcept { return axes[index(id)]; }
  const Axis& axis(AxisId id) const noexcept { return axes[index(id)]; }
  const Request& request(AxisId id) const noexcept { return requests[index(id)]; }
  void tell(Event event) noexcept {
    event.at = now;
    events->write(event);
  }
};

}  // namespace gyrax::detail
