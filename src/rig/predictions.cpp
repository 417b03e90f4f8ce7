#include "boards.hpp"

#include <gyrax/rig/predictions.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace gyrax {
namespace {

constexpr double infinite = std::numeric_limits<double>::infinity();

const GroupSetup* group_of(const Rig& rig, AxisId axis) {
  for (const GroupSetup& group : rig.setup.groups)
    if (std::ranges::count(group.axes, axis) > 0) return &group;
  return nullptr;
}

/// What decides about a stop. Coupled axes stop on their line: along any of those none of its limits is less than the
/// least of theirs, nor its speed more than the greatest.
MotionLimits stopping_limits(const Rig& rig, AxisId axis) {
  if (!is_coupled(rig, axis)) return rig.setup.axes[index(axis)].limits.full();
  MotionLimits limits{.speed = 0,
                      .accel = AxisLimits::max,
                      .jerk = AxisLimits::max_jerk,
                      .decel = AxisLimits::max,
                      .decel_jerk = AxisLimits::max_jerk};
  for (const AxisId one : group_of(rig, axis)->axes) {
    const MotionLimits& full = rig.setup.axes[index(one)].limits.full();
    limits.speed = std::max(limits.speed, full.speed);
    limits.accel = std::min(limits.accel, full.accel);
    limits.jerk = std::min(limits.jerk, full.jerk);
    limits.decel = std::min(limits.decel, full.decel);
    limits.decel_jerk = std::min(limits.decel_jerk, full.decel_jerk);
  }
  return limits;
}

/// The speed at which a move over this way peaks.
double peak_over(double way, const MotionLimits& limits) {
  const double most = limits.speed;
  if (!std::isfinite(way)) return most;
  const Profile move = move_to({}, way, limits);
  // It rises to its peak, stays there, and falls.
  double from_s = 0, to_s = move.duration();
  for (int i = 0; i < 60; ++i) {
    const double third = (to_s - from_s) / 3;
    if (std::abs(move.at(from_s + third).v) < std::abs(move.at(to_s - third).v))
      from_s += third;
    else
      to_s -= third;
  }
  const double peak = std::abs(move.at((from_s + to_s) / 2).v);
  return std::min(peak, most);
}

/// The share of speed and acceleration that is in force at the start.
struct Share {
  double speed = 1, accel = 1;
};
Share share_of(const Rig& rig, AxisId axis, AtSpeed at) {
  const NotchSetup& notches = rig.setup.notches;
  const std::size_t which = index(axis) < notches.override_of.size() ? index(notches.override_of[index(axis)]) : 0;
  const NotchSetup::Override& list = notches.overrides[which];
  if (at == AtSpeed::full) return {std::ranges::max(list.values) / 100, 1};
  Share share{list.values[list.start] / 100, 1};
  if (notches.reduced.starts_on) share = {share.speed * notches.reduced.speed, notches.reduced.accel};
  return share;
}

/// What a first-order lag takes from the end of a stop until it is below a thousandth of full speed.
double settle_s(const AxisState& from, const MotionLimits& limits, double full_speed, double lag_s) {
  if (!(lag_s > 0) || !(from.v > 0)) return 0;
  const Profile command = stop(from, limits);
  const int steps = 400;
  const double dt = command.duration() / steps, keep = std::exp(-dt / lag_s);
  double machine = from.v;
  for (int i = 0; i < steps; ++i) machine = command.at(dt * (i + 0.5)).v * (1 - keep) + machine * keep;
  const double rest = full_speed * 1e-3;
  return machine > rest ? lag_s * std::log(machine / rest) : 0;
}

std::string ms(double s) {
  return s < 1 ? fmt::format("{:g} ms", std::round(s * 1e4) / 10) : fmt::format("{:g} s", std::round(s * 1e2) / 1e2);
}

}  // namespace

const char* name_of(Side side) noexcept {
  constexpr std::array<const char*, side_count> names{"person", "handset", "link", "program", "machine"};
  return names[static_cast<std::size_t>(side)];
}

Side side_of(Cause cause) noexcept {
  switch (cause) {
    case Cause::none:
    case Cause::enable_released:
    case Cause::enable_squeezed:
    case Cause::let_go:
    case Cause::stop_key:
    case Cause::stow:
    case Cause::setting_changed: return Side::person;
    case Cause::handset_steady:
    case Cause::handset_gone:
    case Cause::handset_silent:
    case Cause::handset_gap:
    case Cause::reading_clock:
    case Cause::reading_implausible: return Side::handset;
    case Cause::link_silent:
    case Cause::far_end_fault:
    case Cause::report_invalid: return Side::link;
    case Cause::program_ends:
    case Cause::tick_late:
    case Cause::frames_expired:
    case Cause::clock_backwards:
    case Cause::envelope_refused: return Side::program;
    case Cause::following_error:
    case Cause::moves_at_rest:
    case Cause::wrong_way:
    case Cause::overspeed:
    case Cause::position_frozen:
    case Cause::input_off:
    case Cause::input_unknown:
    case Cause::input_beyond: return Side::machine;
  }
  return Side::program;
}

bool is_coupled(const Rig& rig, AxisId axis) {
  const GroupSetup* const group = group_of(rig, axis);
  return group != nullptr && group->together;
}

StopReach longest_stop(const Rig& rig, AxisId axis, double speed) {
  MotionLimits limits = stopping_limits(rig, axis);
  if (!is_coupled(rig, axis)) return stop_reach({0, speed, 0}, limits);
  // From a steady speed the way is half of speed times time.
  const double time_s = stop_reach({0, limits.speed, 0}, limits).time_s;
  return {.distance = speed * time_s / 2, .time_s = time_s};
}

FarEnd far_end_of(const Rig& rig, LinkId id) {
  const LinkInfo& link = rig.links[index(id)];
  FarEnd far;
  far.valid_s = to_seconds(rig.setup.links[index(id)].frame_valid_for);
  if (link.kind == "board") {
    // It carries out a set one frame after it has come, and answers each at once.
    const BoardTimes times = board_times(rig.links, link);
    far.lag_s = times.frame_s * 5 / 4 + times.set_s + times.round_trip_s / 2;
    far.report_s = times.frame_s;
    far.delay_s = times.round_trip_s;
    return far;
  }
  if (link.kind == "controller") {
    // What it plans ahead, to come to rest where its queue ends; one move; what is on the way to it.
    const double trip_s = link.number("round_trip_ms") / 1e3;
    double ramp_s = 0;
    for (const AxisSetup& axis : rig.setup.axes) {
      if (axis.wiring.link != id) continue;
      const MotionLimits& full = axis.limits.full();
      const double accel = link.number("accel") > 0 ? link.number("accel") : std::max(full.accel, full.decel);
      ramp_s = std::max(ramp_s, full.speed / (2 * accel));
    }
    far.queue_s = ramp_s + 1 / link.number("rate_hz") + trip_s;
    // Half of its queue's way it goes at speed, and the other half it slows down over twice the time.
    far.runs_out_s = far.queue_s + ramp_s;
    far.lag_s = 0.004;
    far.report_s = 1 / link.number("status_hz");
    far.delay_s = trip_s;
    far.told_s = trip_s;
    return far;
  }
  far.lag_s = link.number("lag_ms") / 1e3;
  if (link.kind == "modbus") {
    const double timeout_s = link.number("timeout_ms") / 1e3;
    far.report_s = 1 / link.number("rate_hz");
    far.delay_s = far.report_s / 2;
    far.late_s = timeout_s;
    // What is told waits for the transaction in flight; where an action writes, and for coils and discrete inputs, for
    // those, too.
    const auto writes = [&](const ActionInfo& action) {
      const LinkId of = rig.setup.actions[static_cast<std::size_t>(&action - rig.actions.data())].link;
      return of == id && !action.writes.empty();
    };
    const bool acts = std::any_of(rig.actions.begin(), rig.actions.end(), writes);
    const int more =
        link.registers ? (link.registers->coils.empty() ? 0 : 1) + (link.registers->discretes.empty() ? 0 : 1) : 0;
    far.told_s = far.report_s + timeout_s * (1 + (acts ? 1 : 0) + more);
    // What is told goes on as long as the last frame is valid; then its heartbeat stands still.
    far.valid_s += far.told_s + link.number("watchdog_ms") / 1e3;
    return far;
  }
  far.report_s = link.number("report_ms") / 1e3;
  far.delay_s = link.number("delay_ms") / 1e3;
  return far;
}

FarEnd far_end_of(const Rig& rig, AxisId axis) {
  const AxisSetup& setup = rig.setup.axes[index(axis)];
  const LinkInfo& link = rig.links[index(setup.wiring.link)];
  FarEnd far = far_end_of(rig, setup.wiring.link);
  if (link.registers)
    far.runs_on = std::ranges::any_of(link.registers->tells, [&](const RegisterEntry& entry) {
      return entry.what == RegisterEntry::What::speed && entry.row == setup.wiring.channel;
    });
  // What a board allows by itself is not in the rig; it is taken to be built as a simulated machine usually is.
  const LinkInfo machine = link.kind == "simulated" ? link : with_usual({}, "simulated");
  far.top_speed = is_place(setup.drive) ? setup.limits.speed() * machine.number("speed_percent") / 100 : 100;
  far.decel = setup.limits.full().decel * machine.number("decel_percent") / 100;
  return far;
}

double reachable_speed(const Rig& rig, AxisId axis, AtSpeed at) {
  const AxisSetup& setup = rig.setup.axes[index(axis)];
  const AxisInfo& info = rig.axes[index(axis)];
  const Share share = share_of(rig, axis, at);
  const double travel = info.endless || info.motor ? infinite : setup.limits.high() - setup.limits.low();
  MotionLimits limits = setup.limits.full();
  limits.speed *= share.speed;
  limits.accel *= share.accel;
  if (const GroupSetup* group = group_of(rig, axis)) {
    limits.speed = std::min(limits.speed, group->path_speed);
    if (at == AtSpeed::in_force && rig.setup.notches.reduced.starts_on)
      limits.speed = std::min(limits.speed, group->reduced_speed);
  }
  const double peak = peak_over(travel, limits);
  double fastest = 0;
  const auto with = [&](double share_of_speed, double way) {
    MotionLimits slower = limits;
    slower.speed *= std::abs(share_of_speed);
    if (slower.speed > 0) fastest = std::max(fastest, std::min(peak, peak_over(std::min(way, travel), slower)));
  };
  for (const BindingSetup& b : rig.setup.bindings) {
    bool moves = false;
    each_moved(b.effect, [&](CoordinateId c) { moves = moves || index(c) == index(axis); });
    if (!moves) continue;
    if (const auto* jog = b.as<effect::Jog>()) {
      double most = jog->stages.empty() ? 1 : 0;
      for (const JogStage& stage : jog->stages) most = std::max(most, stage.share);
      with(jog->share * most, travel);
    } else if (const auto* step = b.as<effect::Step>()) {
      const auto& increments = rig.setup.notches.increments[index(axis)].values;
      // Presses that follow each other add up.
      if (!increments.empty() && step->by != 0) with(1, travel);
    } else {
      with(1, travel);
    }
  }
  return fastest;
}

Predictor::Predictor(const Rig& rig, AxisId axis, AtSpeed at)
    : rig_(rig),
      axis_(axis),
      setup_(rig.setup.axes[index(axis)]),
      zone_(rig.setup.zones[index(setup_.zone)]),
      speed_(reachable_speed(rig, axis, at)),
      travel_(rig.axes[index(axis)].endless || rig.axes[index(axis)].motor
                  ? infinite
                  : setup_.limits.high() - setup_.limits.low()),
      far_(far_end_of(rig, axis)) {}

bool Predictor::applies(Cause cause) const {
  const auto any = [&](auto holds) {
    return std::ranges::any_of(rig_.setup.bindings,
                               [&](const BindingSetup& b) { return has(zones_of(b.effect), setup_.zone) && holds(b); });
  };
  const bool measured = setup_.position == PositionKind::measured && is_place(setup_.drive);
  switch (cause) {
    case Cause::none: return false;
    case Cause::enable_released: return !zone_.hold_to_run;
    case Cause::let_go: return zone_.hold_to_run;
    case Cause::enable_squeezed:
      return any([](const BindingSetup& b) { return b.as<effect::Enable>() && b.as<effect::Enable>()->squeeze; });
    case Cause::stop_key: return any([](const BindingSetup& b) { return b.as<effect::Stop>() != nullptr; });
    case Cause::stow:
      return any([](const BindingSetup& b) { return b.as<effect::Stow>() || b.as<effect::ReadyOrStow>(); });
    case Cause::setting_changed:
      return zone_.stow_after.override || zone_.stow_after.layer || zone_.stow_after.calibration;
    case Cause::handset_silent:
      return std::ranges::any_of(zone_.handsets,
                                 [&](HandsetId h) { return rig_.setup.handsets[index(h)].max_silence.has_value(); });
    case Cause::overspeed: return measured && far_.top_speed > speed_;
    case Cause::following_error:
    case Cause::moves_at_rest:
    case Cause::wrong_way:
    case Cause::position_frozen: return measured;
    case Cause::input_off: return !zone_.needs.empty();
    case Cause::input_unknown: return !zone_.needs.empty() || !zone_.bounded.empty();
    case Cause::input_beyond: return !zone_.bounded.empty();
    default: return true;
  }
}

Prediction Predictor::begin(Cause cause) const {
  Prediction p;
  p.axis = axis_;
  p.cause = cause;
  p.category = zone_.categories[static_cast<std::size_t>(cause)];
  p.speed = speed_;
  return p;
}

// It fails at the worst moment of a motion up to full speed: at speed, or while it still gains some. The stop goes on
// from what was told in the last tick, so that a tick which comes late costs time and no way.
void Predictor::stop_after(Prediction& p, double watch_s, const std::string& words) const {
  const double tick_s = to_seconds(rig_.setup.max_tick) + far_.told_s, period_s = to_seconds(rig_.period);
  p.notice = (words.empty() ? "" : words + ", ") + fmt::format("a tick ({})", ms(to_seconds(rig_.setup.max_tick)));
  if (far_.told_s > 0)
    p.notice += fmt::format(", {} ({})", far_.queue_s > 0 ? "the wire" : "a transaction under way", ms(far_.told_s));
  MotionLimits limits = stopping_limits(rig_, axis_);
  const bool together = is_coupled(rig_, axis_);
  // Coupled axes: as fast as the fastest of them, and each its share of that.
  limits.speed = together ? limits.speed : speed_;
  const double share = together ? std::min(1.0, speed_ / limits.speed) : 1;
  const auto look = [&](const AxisState& fails, const AxisState& stops) {
    Prediction one = p;
    one.speed = share * fails.v;
    one.notice_way = share * (stops.p - fails.p + stops.v * period_s);
    if (p.category == Category::zero) {
      // The machine may be making up for a late tick just then.
      const double fastest = making_up(share * stops.v);
      one.stop_s = fastest / far_.decel;
      one.stop_way = fastest * one.stop_s / 2;
    } else {
      const StopReach reach = stop_reach({0, stops.v, stops.a}, limits);
      one.stop_s = reach.time_s;
      one.stop_way = share * reach.distance;
      one.lag_way = share * fails.v * (far_.lag_s + far_.queue_s);
    }
    return one;
  };
  // From rest, or from any speed at which it went before.
  constexpr int speeds = 10, moments = 60;
  Prediction worst = p;
  AxisState longest{};
  double farthest = -1, longest_s = -1;
  for (int from = 0; from < speeds; ++from) {
    const Profile up = change_speed({0, limits.speed * from / speeds, 0}, limits.speed, limits);
    for (int i = 0; i <= moments; ++i) {
      // Also shortly before it begins to gain speed.
      const double fails_s = up.duration() * i / moments - watch_s * (moments - i) / moments;
      const AxisState stops = up.at(fails_s + watch_s);
      AxisState fails = up.at(fails_s);
      if (fails_s < 0) fails.p += up.start().v * fails_s;
      const Prediction one = look(fails, stops);
      if (one.way() > farthest) {
        farthest = one.way();
        worst = one;
      }
      if (one.stop_s > longest_s) {
        longest_s = one.stop_s;
        longest = stops;
      }
    }
  }
  p = worst;
  p.watch_s = watch_s;
  p.notice_s = watch_s + tick_s;
  p.stop_s = longest_s;
  if (p.category != Category::zero)
    p.lag_s = settle_s({0, longest.v, longest.a}, limits, setup_.limits.speed(), far_.lag_s + period_s) + far_.queue_s;
  if (!is_place(setup_.drive)) p.notice_way = p.stop_way = p.lag_way = 0;
  // The end of its travel holds in any case.
  if (p.way() <= travel_) return;
  p.notice_way = std::max(0.0, travel_ - p.stop_way - p.lag_way);
  if (p.way() > travel_) p.stop_way = travel_, p.lag_way = 0;
}

/// How fast it is after a tick that came as late as it may: it makes up for that, as fast as it can.
double Predictor::making_up(double speed) const {
  if (!is_place(setup_.drive)) return speed;
  const double tick_s = to_seconds(rig_.setup.max_tick), lag_s = far_.lag_s + to_seconds(rig_.period);
  const double makes_up = speed * tick_s / ((1 - std::exp(-tick_s / lag_s)) * lag_s);
  return std::max(speed, std::min(far_.top_speed, makes_up));
}

/// What a person asks for: as old as a reading may be when it is taken; a debounced key is let go later.
void Predictor::stop_by_hand(Prediction& p, Cause cause) const {
  double age_s = 0, debounce_s = 0;
  // Whoever reports steadily is silent before that.
  for (const HandsetId h : zone_.handsets) {
    const HandsetSetup& handset = rig_.setup.handsets[index(h)];
    age_s = std::max(age_s, to_seconds(std::min(handset.max_age, handset.max_silence.value_or(handset.max_age))));
  }
  if (cause == Cause::enable_released || cause == Cause::let_go)
    for (const BindingSetup& b : rig_.setup.bindings)
      if (cause == Cause::let_go || (enables(b.effect) && has(zones_of(b.effect), setup_.zone)))
        debounce_s = std::max(debounce_s, to_seconds(rig_.setup.controls[index(b.slot)].debounce));
  std::string words = fmt::format("{} that a reading may be old", ms(age_s));
  if (debounce_s > 0) words += fmt::format(", {} of debounce", ms(debounce_s));
  stop_after(p, age_s + debounce_s, words);
}

Prediction Predictor::of_machine(Cause cause, double machine_speed) const {
  Prediction p = begin(cause);
  const double v = speed_, u = machine_speed, off = setup_.following_error;
  const double lag_s = far_.lag_s + far_.queue_s + to_seconds(rig_.period);
  const RunawayTimes& times = setup_.runaway;
  // The first stretch may have begun before the failure.
  const double stretch_s = to_seconds(Runaway::min_interval) + far_.report_s;
  const bool too_fast = u > (Runaway::much_faster + Runaway::moving_share) * v;
  const auto watched_s = [&](Span time) { return time > Span{} ? to_seconds(time) + 2 * stretch_s : infinite; };
  const auto far_off_s = [&](double apart) { return apart > 0 ? off / apart : infinite; };
  double watch_s = infinite;
  const char* sign = "";
  switch (cause) {
    case Cause::wrong_way:
      watch_s = watched_s(times.wrong_way);
      // Its command may come to rest just before it is noticed; then another sign begins.
      if (!too_fast) watch_s += std::min(watched_s(times.overspeed), watched_s(times.moves_at_rest));
      watch_s = std::min(watch_s, far_off_s(v));
      if (too_fast) watch_s = std::min(watch_s, watched_s(times.overspeed));
      sign = "moving the wrong way";
      break;
    case Cause::overspeed:
      watch_s = std::min(too_fast ? watched_s(times.overspeed) : infinite,
                         // It is behind at first.
                         u > v * 1.001 ? (off + v * lag_s) / (u - v) : infinite);
      sign = "moving too fast";
      break;
    case Cause::position_frozen:
      watch_s = std::min(watched_s(times.position_frozen), far_off_s(v));
      sign = "a report that does not change";
      break;
    case Cause::moves_at_rest:
      watch_s = std::min(watched_s(times.moves_at_rest), far_off_s(u));
      sign = "moving at rest";
      break;
    default:
      watch_s = far_off_s(v - u);
      sign = "falling behind";
      break;
  }
  if (cause == Cause::following_error && u == 0) sign = "being stuck";
  p.watch_s = std::isfinite(watch_s) ? watch_s : 0;
  p.speed = v;
  // A machine that still follows does not go on while a tick is late.
  const double late_s =
      far_.heard_s() + to_seconds(cause == Cause::position_frozen ? rig_.period : rig_.setup.max_tick);
  // A slower axis is not so soon far from its command.
  const double slowest_s =
      cause == Cause::position_frozen ? std::min(watched_s(times.position_frozen), 10 * off / v) : 0;
  p.notice_s = std::max(watch_s, slowest_s) + far_.heard_s() + to_seconds(rig_.setup.max_tick);
  p.notice_way = u * (watch_s + late_s);
  if (cause == Cause::wrong_way) p.notice_way = std::min(u * watch_s, off) + u * late_s;
  p.notice = fmt::format("{} of {}, a report and a tick ({})", ms(watch_s), sign,
                         ms(far_.heard_s() + to_seconds(rig_.setup.max_tick)));
  // Who does not do what it is told stops by itself, once its power is off.
  const double fastest = cause == Cause::position_frozen ? std::max(u, making_up(v)) : u;
  p.stop_s = fastest / far_.decel;
  p.stop_way = fastest * fastest / (2 * far_.decel);
  if (p.category != Category::zero) {
    const double ramp_s = longest_stop(rig_, axis_, v).time_s;
    p.notice_s += ramp_s;
    p.notice_way += u * ramp_s;
    if (p.category == Category::two) p.notice_s = p.notice_way = infinite;
  }
  if (p.way() > travel_) {
    p.notice_way = std::max(0.0, travel_ - p.stop_way);
    p.to_the_end = p.category == Category::two;
  }
  return p;
}

Prediction Predictor::unheard() const {
  Prediction p = begin(Cause::link_silent);
  p.category = Category::zero;
  if (far_.queue_s > 0) {
    p.notice = fmt::format("{} until its queue has run out", ms(far_.runs_out_s));
    p.notice_s = far_.runs_out_s;
    p.notice_way = p.speed * (far_.queue_s + far_.lag_s);
    p.lag_s = 10 * far_.lag_s;
    return p;
  }
  p.notice_s = far_.valid_s;
  // It keeps to the last place that it was told, and is behind that.
  const double lag_s = far_.lag_s + to_seconds(rig_.period);
  p.notice_way = p.speed * lag_s;
  p.notice = fmt::format("{} that a frame is valid", ms(far_.valid_s));
  if (far_.runs_on) p.notice_way = p.speed * far_.valid_s;
  // A motor turns on.
  const bool goes_on = far_.runs_on || !is_place(setup_.drive);
  const double left = goes_on ? p.speed : p.speed * std::exp(-far_.valid_s / lag_s);
  p.stop_s = left / far_.decel;
  p.stop_way = left * p.stop_s / 2;
  return p;
}

Prediction Predictor::resumed(double hung_s) const {
  Prediction p = begin(Cause::tick_late);
  stop_after(p, 0, fmt::format("{} of no program", ms(hung_s)));
  p.notice_s += hung_s;
  return p;
}

Prediction Predictor::to_the_end() const {
  Prediction p = begin(Cause::none);
  p.to_the_end = true;
  p.notice = "nothing notices it";
  p.notice_way = travel_;
  p.notice_s = travel_ / speed_ + longest_stop(rig_, axis_, speed_).time_s + speed_ / setup_.limits.full().accel;
  p.lag_s = 10 * far_.lag_s;
  return p;
}

/// The slowest of the zone's inputs, by its link; where it may be beyond its bounds for a while, that too.
Prediction Predictor::of_input(Cause cause) const {
  Prediction p = begin(cause);
  double report_s = 0, grace_s = 0;
  const auto add = [&](InputId input) {
    const InputSetup& setup = rig_.setup.inputs[index(input)];
    const FarEnd far = far_end_of(rig_, setup.link);
    report_s = std::max(report_s, far.heard_s());
    if (cause == Cause::input_beyond) grace_s = std::max(grace_s, to_seconds(setup.bounds.grace));
  };
  if (cause != Cause::input_beyond) std::ranges::for_each(zone_.needs, add);
  if (cause != Cause::input_off) std::ranges::for_each(zone_.bounded, add);
  std::string words = fmt::format("a report ({})", ms(report_s));
  if (grace_s > 0) words = fmt::format("{} beyond its bounds, ", ms(grace_s)) + words;
  stop_after(p, report_s + grace_s, words);
  return p;
}

Prediction Predictor::of(Cause cause) const {
  Prediction p = begin(cause);
  switch (cause) {
    case Cause::enable_released:
    case Cause::enable_squeezed:
    case Cause::let_go:
    case Cause::stop_key:
    case Cause::stow:
    case Cause::setting_changed: stop_by_hand(p, cause); return p;
    case Cause::handset_steady: {
      Span steady{};
      bool by_radio = false, never = zone_.handsets.empty();
      for (const HandsetId h : zone_.handsets) {
        const HandsetSetup& handset = rig_.setup.handsets[index(h)];
        by_radio = by_radio || !handset.max_steady;
        steady = std::max(steady, handset.max_steady.value_or(usual_max_steady));
        never = never || (handset.max_steady && *handset.max_steady == Span{});
      }
      if (never) return to_the_end();
      stop_after(
          p, to_seconds(steady),
          fmt::format("{} without a change{}", ms(to_seconds(steady)), by_radio ? " of a handset by radio" : ""));
      break;
    }
    case Cause::handset_silent: {
      Span silence{};
      for (const HandsetId h : zone_.handsets)
        silence = std::max(silence, rig_.setup.handsets[index(h)].max_silence.value_or(Span{}));
      // It counts from when the last reading was taken, which may have been late.
      stop_after(p, to_seconds(silence + rig_.setup.max_tick), fmt::format("{} of silence", ms(to_seconds(silence))));
      break;
    }
    case Cause::link_silent: {
      const double silence_s = to_seconds(rig_.setup.links[index(setup_.wiring.link)].max_silence);
      stop_after(p, silence_s, fmt::format("{} of silence", ms(silence_s)));
      break;
    }
    case Cause::far_end_fault:
    case Cause::report_invalid: stop_after(p, far_.heard_s(), fmt::format("a report ({})", ms(far_.heard_s()))); break;
    case Cause::following_error: return of_machine(cause, 0);
    case Cause::moves_at_rest:
    case Cause::wrong_way:
    case Cause::overspeed: return of_machine(cause, far_.top_speed);
    case Cause::position_frozen: return of_machine(cause, speed_);
    case Cause::input_off:
    case Cause::input_unknown:
    case Cause::input_beyond: return of_input(cause);
    case Cause::tick_late: return resumed(far_.valid_s);
    case Cause::frames_expired: {
      Prediction expired = unheard();
      expired.cause = cause;
      return expired;
    }
    default: stop_after(p, 0, ""); break;
  }
  return p;
}

std::vector<Prediction> predict(const Rig& rig, AtSpeed at) {
  std::vector<Prediction> all;
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const Predictor predictor(rig, id_at<AxisId>(a), at);
    if (!(predictor.speed() > 0)) continue;
    for (std::size_t c = 1; c < cause_count; ++c)
      if (predictor.applies(static_cast<Cause>(c))) all.push_back(predictor.of(static_cast<Cause>(c)));
  }
  return all;
}

}  // namespace gyrax
