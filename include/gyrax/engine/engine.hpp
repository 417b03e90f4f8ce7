/// The tick that joins the rooms: signal → bind → permit → motion → envelope → output.
///
/// In: the time, all readings and reports since the last tick, in order. Out: a command and a reason for every axis, a
/// frame for every link, events. Never: allocation, a lock, a system call, an exception, a clock of its own.
///
///     gyrax::Engine engine(rig.setup);
///     gyrax::TickBuffers out(rig.setup);
///     engine.tick({now, readings, reports}, out.view());
#pragma once

#include <gyrax/bind/bind.hpp>
#include <gyrax/engine/event.hpp>
#include <gyrax/engine/setup.hpp>
#include <gyrax/envelope/envelope.hpp>
#include <gyrax/output/output.hpp>
#include <gyrax/permit/permit.hpp>

#include <span>
#include <vector>

namespace gyrax {

struct TickInput {
  Time now{};  ///< never before the last tick's; equal is allowed and moves nothing
  std::span<const Reading> readings;
  std::span<const LinkReport> reports;
  bool end = false;  ///< the program ends: a stop of every zone (Cause::program_ends), and nothing starts any more
};

struct TickOutput {
  std::span<AxisCommand> commands;   ///< by AxisId
  std::span<AxisStatus> why;         ///< by AxisId
  std::span<std::uint8_t> switches;  ///< by SwitchId; 0 off, 1 on
  std::span<const Frame>& frames;    ///< one a link; valid until the next tick
  EventRing& events;
};

/// Storage for one engine's output, sized once.
class TickBuffers {
 public:
  explicit TickBuffers(const Setup& setup, std::size_t events = 256);
  TickOutput& view() noexcept { return view_; }
  TickBuffers(const TickBuffers&) = delete;
  TickBuffers& operator=(const TickBuffers&) = delete;

  std::vector<AxisCommand> commands;
  std::vector<AxisStatus> why;
  std::vector<std::uint8_t> switches;
  std::span<const Frame> frames;
  EventRing events;

 private:
  TickOutput view_;
};

class Engine {
 public:
  /// Sizes everything from a checked rig. The only place that allocates.
  explicit Engine(const Setup& setup);

  /// One pass from left to right. The same calls give the same results again.
  void tick(const TickInput& in, TickOutput& out) noexcept;

  /// Gives a control other ends, between two ticks: another device takes the handset's place. Refused (false) while the
  /// handset is present, or for another kind of control.
  bool calibrate(SlotId slot, const Calibration& calibration) noexcept { return signal_.calibrate(slot, calibration); }

  /// The handsets that are in charge of a zone; none while it is stowed.
  HandsetBits in_charge(ZoneId zone) const noexcept { return charges_[index(zone)].in_charge; }
  const Permit& permit(ZoneId zone) const noexcept { return permits_[index(zone)]; }
  const Signal& signal() const noexcept { return signal_; }
  const Bind& bind() const noexcept { return bind_; }
  const Links& links() const noexcept { return links_; }
  const AxisMotion& motion(AxisId axis) const noexcept { return motion_.axis(axis); }
  /// What the hands ask of each coordinate in this tick.
  std::span<const Request> requests() const noexcept { return requests_; }

 private:
  void keep_time(Time now) noexcept;
  void take_reports(const TickInput& in) noexcept;
  void take_readings(const TickInput& in) noexcept;
  void take_end() noexcept;
  void take_asks(std::span<const Ask> asks) noexcept;
  void take_ask(const Ask& ask, ZoneId zone) noexcept;
  void take_number(const Ask& ask) noexcept;
  void take_touch(const Ask& ask) noexcept;
  void take_raise(const Ask& ask) noexcept;
  void take_long_reset(ZoneId zone, HandsetId by) noexcept;
  void refuse_stale(const Ask& ask) noexcept;
  void tell_dropped() noexcept;
  void tell_override(NumberId number) noexcept;
  void announce(ZoneId zone) noexcept;
  bool may_tell(AxisId axis) noexcept;
  void take_step(const Ask& ask) noexcept;
  void take_wheel(const Ask& ask) noexcept;
  Obstacle blocking_steps(AxisId axis) const noexcept;
  Scale scale(const GroupSetup& group) const noexcept;
  void keep_overrides() noexcept;
  Obstacle lack(std::size_t group) const noexcept;
  bool lacks(std::size_t group, bool live) noexcept;
  bool has_met(AxisId axis) noexcept;
  void turn_round(AxisId axis) noexcept;
  void refuse_move(AxisId axis, SlotId by, const Obstacle& why) noexcept;
  void take_switch(const Ask& ask) noexcept;
  void turn(SwitchId target, bool on) noexcept;
  void compare(const LinkReport& report) noexcept;
  void watch() noexcept;
  void plan() noexcept;
  void command(TickOutput& out) noexcept;
  void settle(const TickOutput& out) noexcept;
  void explain(TickOutput& out) const noexcept;

  bool depends(ZoneId zone, HandsetId handset) const noexcept;
  bool depends(ZoneId zone, LinkId link) const noexcept;
  void apply(ZoneId zone, PermitEvent event, Cause cause) noexcept;
  void fault(ZoneId zone, Cause cause) noexcept;
  void offer(ZoneId zone, PermitEvent event, State wanted, HandsetId by) noexcept;
  void end(ZoneId zone) noexcept;
  void refuse(ZoneId zone, State wanted, const Obstacle& why) noexcept;
  void take_up(ZoneId zone, Time measured_after) noexcept;

  // Who is in charge; src/engine/charge.cpp.
  HandsetBits station_of(HandsetId handset) const noexcept;
  HandsetBits counted_on(ZoneId zone) const noexcept;
  bool commands(ZoneId zone, HandsetId handset) const noexcept;
  void put_in_charge(ZoneId zone, HandsetId handset) noexcept;
  void relieve(ZoneId zone) noexcept;
  void count_on(HandsetId handset) noexcept;
  HandsetId in_charge_name(ZoneId zone) const noexcept;
  Obstacle obstacle(ZoneId zone) const noexcept;
  Obstacle obstacle(ZoneId zone, HandsetId would_be_in_charge) const noexcept;
  Obstacle blocking(ZoneId zone) const noexcept;
  Cause tripped_of(ZoneId zone) const noexcept;
  bool powered(AxisId axis) const noexcept;
  Obstacle blocking_live(AxisId axis) const noexcept;

  Setup setup_;  // what is not handed on to a room
  Signal signal_;
  Bind bind_;
  Links links_;
  std::vector<Permit> permits_;
  Motion motion_;
  Envelope envelope_;
  Output output_;

  std::vector<Request> requests_;
  std::vector<LinkId> measured_by_;           // by AxisId; none: nothing has to measure it
  std::vector<std::size_t> group_of_;         // by AxisId
  std::vector<std::vector<SwitchId>> needs_;  // by group: what any of its axes needs
  std::vector<double> overrides_;             // by AxisId: the share of speed in force
  std::vector<std::uint8_t> taken_up_;        // by AxisId: has had power before
  std::vector<std::uint8_t> switches_;        // by SwitchId
  std::vector<Time> wheel_told_;              // by AxisId: when it was last told that counts do nothing
  std::vector<Time> since_;                   // by ZoneId: when its state changed last
  std::vector<std::uint8_t> stopped_;         // by ZoneId: a stop came in this tick, so that nothing starts in it
  /// Of a zone: who may move it, and who else was there when it was made ready, so that people count on its stop.
  struct Charge {
    HandsetBits in_charge = 0, counted_on = 0;
  };
  std::vector<Charge> charges_;
  /// Of an axis: what keeps it from what it is asked, besides its zone and its travel.
  struct Hold {
    Obstacle why;
    bool lapsed = false;  // asked while it lacked something: it has to be let go, or met, first
    int side = 0;         // of a followed control that has to be met: where it was seen from the axis
    int direction = 0;    // of a motor: the way it turned last
    Time rests_since{};
  };
  std::vector<Hold> holds_;
  EventRing* events_ = nullptr;  // of the tick that is under way
  bool started_ = false;
  std::uint32_t changed_ = 0;  // zones that stopped or changed with the reading that is taken now
  Time now_{}, told_at_{};     // this tick's time, the last one's
  double dt_s_ = 0;
};

}  // namespace gyrax
