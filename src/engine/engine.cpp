#include <gyrax/engine/engine.hpp>

#include "actions.hpp"
#include "asks.hpp"
#include "brakes.hpp"
#include "explain.hpp"
#include "holds.hpp"
#include "homing.hpp"
#include "inputs.hpp"
#include "reference.hpp"
#include "steady.hpp"
#include "switches.hpp"
#include "tell.hpp"
#include "zero.hpp"
#include "zones.hpp"

#include <cassert>

namespace gyrax {
namespace detail {
namespace {

/// Takes the time. A clock that goes backwards, or a tick that comes too late, is a fault.
void begin(EngineParts& e, Time now, EventRing& events) noexcept {
  const Span passed = e.started ? now - e.now : Span{0};
  e.events = &events;
  e.before = e.now;
  e.now = now;
  e.started = true;
  e.dt_s = passed > Span{0} ? to_seconds(passed < e.max_tick ? passed : e.max_tick) : 0;
  for (std::size_t z = 0; z < e.zones.size(); ++z) {
    e.zones[z].stopped = false;
    if (passed < Span{0}) fault(e, id_at<ZoneId>(z), Cause::clock_backwards);
    if (passed > e.max_tick) fault(e, id_at<ZoneId>(z), Cause::tick_late);
    // What they stopped in is not to be taken up again.
    for (const LinkId link : e.zones[z].setup.links)
      if (passed > e.valid_for[index(link)]) fault(e, id_at<ZoneId>(z), Cause::frames_expired);
  }
}

/// What was calibrated since the last tick.
void take_calibrations(EngineParts& e) noexcept {
  for (std::size_t z = 0; z < e.zones.size() && e.recalibrated != 0; ++z)
    if (has(e.recalibrated, id_at<ZoneId>(z)) && e.zones[z].setup.stow_after.calibration)
      setting_changed(e, id_at<ZoneId>(z));
  e.recalibrated = 0;
}

/// Holds a report against what its axes were told. Judged when a report comes: silence is another watchdog's.
void compare(EngineParts& e, const LinkReport& report) noexcept {
  // The motion is the last tick's; the report is older than that or newer.
  const double age_s = to_seconds(e.before - report.measured);
  for (Measured& axis : e.measured) {
    if (axis.link != report.link) continue;
    if (!e.zone(axis.zone).permit.powered() || e.axis(axis.axis).carried) {
      axis.runaway.forget();
      continue;
    }
    const AxisReport& measured = e.links.measured(axis.axis);
    const AxisState& told = e.motion.axis(axis.axis).state();
    const double off = measured.position - (told.p - told.v * age_s);
    // Where it was meanwhile nobody knows: a following error allows for speed times uncertainty.
    const double speed = told.v < 0 ? -told.v : told.v;
    const double allowed = axis.following_error + speed * to_seconds(report.within);
    const bool follows = measured.measured && off <= allowed && off >= -allowed;
    if (!follows) fault(e, axis.zone, Cause::following_error);
    const AxisMotion& motion = e.motion.axis(axis.axis);
    const Cause wrong = axis.runaway.judge(report.measured, measured.position, {told.p, told.v, motion.at_rest()});
    if (wrong != Cause::none) fault(e, axis.zone, wrong);
    if (!follows || wrong != Cause::none) lose_place(e, axis.axis);
  }
}

void take_reports(EngineParts& e, std::span<const LinkReport> reports) noexcept {
  for (const LinkReport& report : reports) {
    const Cause wrong = e.links.accept(report, e.now);
    if (wrong == Cause::none) compare(e, report);
    if (wrong == Cause::none) take_results(e, report);
    for (std::size_t z = 0; wrong != Cause::none && z < e.zones.size(); ++z)
      for (const LinkId link : e.zones[z].setup.links)
        if (link == report.link) fault(e, id_at<ZoneId>(z), wrong);
  }
  if (e.links.input_changes() == e.input_changes) return;
  e.input_changes = e.links.input_changes();
  e.still = 0;
  e.held_back = true;
}

/// Whether what each zone depends on is still there.
void watch(EngineParts& e) noexcept {
  for (std::size_t z = 0; z < e.zones.size(); ++z) {
    const Zone& zone = e.zones[z];
    const ZoneId id = id_at<ZoneId>(z);
    const State state = zone.permit.state();
    if ((state == State::stowed || state == State::tripped) && !zone.permit.powered()) continue;
    // All of them: the hardest category counts, whatever was lost first.
    for (const HandsetId handset : zone.setup.handsets) {
      if (!has(zone.counted_on(), handset)) continue;
      const HandsetHealth health = e.signal.health(handset, e.now);
      if (health == HandsetHealth::absent) fault(e, id, Cause::handset_gone);
      if (health == HandsetHealth::silent) fault(e, id, Cause::handset_silent);
    }
    for (const LinkId link : zone.setup.links) {
      if (!e.links.fresh(link, e.now)) fault(e, id, Cause::link_silent);
      if (e.links.faulty(link)) fault(e, id, Cause::far_end_fault);
    }
    watch_inputs(e, id);
    // Live stands on what is held, and on nothing else.
    if (zone.setup.hold_to_run) {
      run_while_held(e, id);
    } else if (zone.permit.live() && !e.bind.enabling(id, e.signal)) {
      apply(e, id, PermitEvent::release, Cause::enable_released);
    }
  }
}

Scale scale_of(const EngineParts& e, const GroupSetup& group) noexcept {
  Scale scale{.path_speed = group.path_speed, .own = e.overrides};
  if (e.bind.reduced()) {
    scale.speed = e.reduced.speed;
    scale.accel = e.reduced.accel;
    if (group.reduced_speed < scale.path_speed) scale.path_speed = group.reduced_speed;
  }
  if (!is_homed(e, group) && scale.speed > unhomed_share) scale.speed = unhomed_share;
  return scale;
}

/// Asks motion for what the hands ask for, as far as the permit is live, and lets it move on.
void move(EngineParts& e) noexcept {
  const bool anew = e.bind.requests(e.signal, e.now, e.requests, e.held_back);
  e.held_back = false;
  if (anew) count_from_zero(e);
  if (anew) e.still = 0;
  for (std::size_t g = 0; g < e.groups.size(); ++g) {
    const GroupPlace& group = e.groups[g];
    if (has(e.still, group.zone)) continue;
    const Permit& permit = e.zone(group.zone).permit;
    const bool changed = group.homes && watch_homed(e, g);
    const bool lacks = group.needs && hold_back(e, g, permit.live());
    if (group.turns)
      for (const AxisId axis : e.motion.groups()[g].axes) turn_round(e, axis);
    if (permit.live() && group.homing) {
      ask_homing(e, g);
    } else if (permit.live() && !lacks) {
      if (anew || changed || e.motion.asks_again(g)) e.motion.ask(g, e.requests, scale_of(e, e.motion.groups()[g]));
    } else if (permit.powered()) {
      e.motion.stop(g);
    } else {
      e.motion.halt(g);
    }
    e.motion.advance(g, e.dt_s);
  }
  tell_dropped(e);
}

/// Commands, after the last check.
void command(EngineParts& e) noexcept {
  for (std::size_t a = 0; a < e.commands.size(); ++a) {
    const Axis& axis = e.axes[a];
    AxisCommand& command = e.commands[a];
    command.valid_until = e.now + e.valid_for[index(axis.link)];
    if (has(e.still, axis.zone)) continue;
    const AxisId id = id_at<AxisId>(a);
    const Permit& permit = e.zone(axis.zone).permit;
    const bool may_move = permit.powered() && (permit.live() || permit.stopping());
    const AxisState& state = e.motion.axis(id).state();
    const Mode mode = !has_power(e, id)  ? Mode::off
                      : is_braked(e, id) ? Mode::braked
                      : axis.carried     ? Mode::stand
                      : may_move         ? Mode::follow
                                         : Mode::stand;
    command.mode = mode;
    command.p = state.p;
    command.v = state.v;
    command.a = state.a;
    if (mode == Mode::off) e.motion.keep(id);
    const Verdict verdict = e.envelope.check(id, may_move, command, e.dt_s);
    if (e.envelope.refusing(id)) e.motion.restart(id, command.p);
    if (verdict == Verdict::refused) fault(e, axis.zone, Cause::envelope_refused);
  }
}

/// A stop is over when every axis of its zone is at rest, and held by its brake where power goes.
void settle(EngineParts& e) noexcept {
  for (std::size_t z = 0; z < e.zones.size(); ++z) {
    if (!e.zones[z].permit.stopping()) continue;
    bool rest = true;
    for (const AxisId axis : e.zones[z].setup.axes)
      rest = rest && e.commands[index(axis)].v == 0 && e.commands[index(axis)].a == 0;
    if (rest && brakes_hold(e, id_at<ZoneId>(z))) apply(e, id_at<ZoneId>(z), PermitEvent::rest, Cause::none);
  }
}

/// Hands out what this tick came to.
void send(EngineParts& e, TickOutput& out) noexcept {
  for (std::size_t a = 0; a < e.commands.size(); ++a) out.commands[a] = e.commands[a];
  for (std::size_t a = 0; a < e.why.size(); ++a) out.why[a] = e.why[a];
  for (std::size_t i = 0; i < e.switches.size(); ++i) out.switches[i] = e.switches[i].on ? 1 : 0;
  out.frames = e.output.frames(out.commands, out.switches, e.now);
}

}  // namespace
}  // namespace detail

TickBuffers::TickBuffers(const Setup& setup, std::size_t capacity)
    : commands(setup.axes.size()),
      why(setup.axes.size()),
      switches(setup.switches.size()),
      events(capacity),
      view_{commands, why, switches, frames, events} {}

void detail::run_tick(EngineParts& e, const TickInput& in, TickOutput& out) noexcept {
  assert(out.commands.size() == e.axes.size() && out.why.size() == e.axes.size());
  assert(out.switches.size() == e.switches.size());
  begin(e, in.now, out.events);
  take_calibrations(e);
  take_reports(e, in.reports);
  if (in.end) end_program(e);
  take_readings(e, in.readings);
  take_typed(e, in.typed);
  watch(e);
  watch_steady(e);
  end_times(e);
  watch_duty(e);
  work_power(e);
  work_brakes(e);
  watch_places(e);
  work_actions(e);
  move(e);
  if (e.acting) carry(e);
  command(e);
  explain(e);
  send(e, out);
  settle(e);
}

Engine::Engine(const Setup& setup, Recompute recompute) : parts_(setup, recompute) {
#ifdef GYRAX_COMPARE
  if (recompute == Recompute::changed) reference_ = std::make_unique<detail::Reference>(setup);
#endif
}

Engine::~Engine() = default;

bool detail::calibrate(EngineParts& e, SlotId slot, const Calibration& calibration) noexcept {
  if (!e.signal.calibrate(slot, calibration)) return false;
  const HandsetId handset = e.signal.setup(slot).handset;
  for (std::size_t z = 0; z < e.zones.size(); ++z)
    for (const HandsetId one : e.zones[z].setup.handsets)
      if (one == handset) e.recalibrated |= bit(id_at<ZoneId>(z));
  return true;
}

bool Engine::calibrate(SlotId slot, const Calibration& calibration) noexcept {
  if (reference_) detail::calibrate(reference_->parts(), slot, calibration);
  return detail::calibrate(parts_, slot, calibration);
}

void Engine::tick(const TickInput& in, TickOutput& out) noexcept {
  if (!reference_) return detail::run_tick(parts_, in, out);
  TickOutput mine{out.commands, out.why, out.switches, out.frames, reference_->told()};
  detail::run_tick(parts_, in, mine);
  [[maybe_unused]] const bool agrees = reference_->agrees(in, parts_, out);
  assert(agrees && "what has not changed was not the same when worked out anew");
}

}  // namespace gyrax
