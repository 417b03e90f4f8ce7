#include "watch.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>

namespace gyrax::bench {

using namespace std::chrono_literals;
using Effect = BindingPlan::Effect;
using Gesture = BindingPlan::Gesture;
using Kind = ControlPlan::Kind;

namespace {

/// Whether what it asks for ends with a switch that is off, until it is let go: what has begun at once and goes on
/// while it is held.
bool lapses(const BindingPlan& b) {
  return b.gesture == Gesture::press && (b.effect == Effect::jog || b.effect == Effect::go || b.effect == Effect::pose);
}

double seconds(Span span) { return std::chrono::duration<double>(span).count(); }

}  // namespace

const char* Watch::name_of(Property property) {
  constexpr const char* names[] = {"asked",  "stops", "power",  "exact",    "last check",
                                   "reason", "safer", "limits", "switches", "reference"};
  return names[static_cast<std::size_t>(property)];
}

Watch::Watch(const RigPlan& plan, const Rig& rig, const Hands& hands, Tally& tally)
    : plan_(plan),
      hands_(hands),
      tally_(tally),
      zones_(at(plan.zones)),
      axes_(plan.axes.size()),
      bindings_of_(plan.axes.size()),
      axis_id_(plan.axes.size()),
      channel_(plan.axes.size()),
      heard_at_(at(plan.links)),
      ever_heard_(at(plan.links)),
      reduced_lost_(plan.bindings.size()),
      reduced_known_(plan.bindings.size()),
      reduced_held_(plan.bindings.size()),
      reduced_seen_(plan.bindings.size()),
      switch_id_(plan.switches.size()) {
  layer_on_ = plan.layer_starts_on;
  for (Zone& zone : zones_) {
    zone.begun.resize(plan.bindings.size());
    zone.voided.resize(plan.bindings.size());
    zone.pressed_since.resize(plan.bindings.size());
  }
  for (std::size_t b = 0; b < plan.bindings.size(); ++b)
    for (const int a : plan.bindings[b].axes) bindings_of_[at(a)].push_back(b);
  for (std::size_t z = 0; z < zones_.size(); ++z)
    for (const LinkId link : rig.setup.zones[z].links)
      zones_[z].valid_s = std::min(zones_[z].valid_s, seconds(rig.setup.links[index(link)].frame_valid_for));
  std::array<std::size_t, 2> used{};
  for (std::size_t i = 0; i < rig.axes.size(); ++i)
    for (std::size_t a = 0; a < plan.axes.size(); ++a)
      if (rig.axes[i].name == plan.axes[a].name) {
        axis_id_[a] = i;
        channel_[a] = used[at(plan.axes[a].link)]++;
      }
  for (std::size_t i = 0; i < rig.switches.size(); ++i)
    for (std::size_t s = 0; s < plan.switches.size(); ++s)
      if (rig.switches[i] == plan.switches[s].name) switch_id_[s] = i;
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    axes_[a].p = plan.axes[a].start;
    axes_[a].met.resize(bindings_of_[a].size());
    axes_[a].lacking.resize(bindings_of_[a].size());
    axes_[a].off.resize(bindings_of_[a].size());
  }
}

void Watch::fail(Property property, const std::string& what) {
  if (!violation_.empty()) return;
  violation_ = fmt::format("{}: {} (tick {})", name_of(property), what, ticks_);
  violated_ = property;
}

std::uint32_t Watch::station(int handset) const {
  std::uint32_t bits = 1u << handset;
  const int own = plan_.handsets[at(handset)].station;
  for (std::size_t h = 0; own >= 0 && h < plan_.handsets.size(); ++h)
    if (plan_.handsets[h].station == own) bits |= 1u << h;
  return bits;
}

bool Watch::in_zone(const BindingPlan& b, std::size_t zone) const {
  if (is_permit(b.effect)) return (b.zones >> zone & 1u) != 0;
  for (const int a : b.axes)
    if (at(plan_.axes[at(a)].zone) == zone) return true;
  return false;
}

/// Whether a binding's control is pressed or pushed, as far as anybody can know.
bool Watch::active(std::size_t binding, Time now) const {
  const BindingPlan& b = plan_.bindings[binding];
  const Kind kind = plan_.handsets[at(b.handset)].controls[at(b.control)].kind;
  const auto one = [&](int c) {
    return kind == Kind::key || is_permit(b.effect) ? hands_.believed_pressed(b.handset, c, now)
                                                    : hands_.believed_deflected(b.handset, c);
  };
  bool all = one(b.control);
  for (const int other : b.with) all = all && one(other);
  return all;
}

/// Whether the press of a binding's control was delivered in this tick.
bool Watch::told_now(std::size_t binding) const {
  const std::pair own{plan_.bindings[binding].handset, plan_.bindings[binding].control};
  return std::find(fresh_told_.begin(), fresh_told_.end(), own) != fresh_told_.end();
}

/// Whether it is pressed or pushed, really.
bool Watch::held(std::size_t binding) const {
  const BindingPlan& b = plan_.bindings[binding];
  return hands_.deflected(b.handset, b.control);
}

/// The shortest time to rest with the axis's own deceleration, from any state: acceleration that gains speed is let go
/// first; a brake that is on already counts as begun earlier; where it is on too hard the axis turns and stops once
/// more.
double Watch::stop_time(const AxisPlan& p, double v, double a) const {
  if (v < 0 || (v == 0 && a < 0)) v = -v, a = -a;
  const auto from_rest_of_accel = [](double speed, double decel, double jerk) {
    return speed >= decel * decel / jerk ? speed / decel + decel / jerk : 2 * std::sqrt(speed / jerk);
  };
  if (a >= 0) return a / p.jerk + from_rest_of_accel(v + a * a / (2 * p.jerk), p.decel, p.decel_jerk);
  const double before = v + a * a / (2 * p.decel_jerk), on = -a / p.decel_jerk;
  if (v >= a * a / (2 * p.decel_jerk)) return from_rest_of_accel(before, p.decel, p.decel_jerk) - on;
  const double back = a * a / (2 * p.decel_jerk) - v;
  return on + (back / p.decel * 2 + from_rest_of_accel(back * (1 + p.decel_jerk / p.jerk), p.decel, p.decel_jerk)) +
         on * (p.decel_jerk / p.jerk);
}

/// No path of these axes takes longer to rest: each quotient of its limits is one of an axis's own, or less.
double Watch::group_stop_time(std::size_t axis) const {
  const int group = plan_.axes[axis].group;
  if (group < 0) return stop_time(plan_.axes[axis], axes_[axis].v, axes_[axis].a);
  double speed = 0, ramp = 0, release = 0;
  for (const int other : plan_.groups[at(group)].axes) {
    const AxisPlan& p = plan_.axes[at(other)];
    const double v = std::abs(axes_[at(other)].v) + p.accel * p.accel / (2 * p.jerk);
    speed = std::max(speed, v / p.decel);
    ramp = std::max(ramp, p.decel / p.decel_jerk);
    release = std::max(release, p.accel / p.jerk);
  }
  return speed + 2 * ramp + release;
}

/// Everything that was begun in a zone ends here. `certain`: the engine must know it, so that power goes by its
/// category.
void Watch::stop(std::size_t z, RigPlan::Cause cause, bool certain) {
  Zone& zone = zones_[z];
  std::fill(zone.begun.begin(), zone.begun.end(), 0);
  zone.stop_now = true;
  if (!certain || !zone.powered) return;
  const int category = plan_.category[cause];
  if (category == 0) zone.off_at_once = true;
  if (category <= 1 && zone.power_off_in < 0) zone.power_off_in = 4;
}

void Watch::take_delivered(const Engine& engine, const TickTruth& truth) {
  for (const Hands::Delivered& d : hands_.delivered()) {
    const std::uint32_t bit = 1u << d.handset;
    if (d.lost_before) ++tally_.lost_readings;
    if (d.refused) ++tally_.refused_readings;
    for (std::size_t z = 0; z < zones_.size(); ++z) {
      Zone& zone = zones_[z];
      const bool counted = (zone.candidates & bit) != 0;
      const bool in_charge = (engine.in_charge(id_at<ZoneId>(z)) & bit) != 0;
      if (counted && d.presence && d.raw == 0)
        stop(z, RigPlan::handset_gone, in_charge && zone.state != State::stowed && zone.state != State::tripped);
      if (counted && (d.lost_before || d.refused)) {
        for (std::size_t b = 0; b < plan_.bindings.size(); ++b)
          if (plan_.bindings[b].handset == d.handset && !(d.lost_before && active(b, truth.now))) zone.begun[b] = 0;
        if (zone.state == State::live && in_charge) stop(z, RigPlan::handset_gone, false);
      }
    }
    if (d.control < 0) continue;
    const bool is_press = d.number == hands_.control(d.handset, d.control).pressed_number;
    for (std::size_t b = 0; b < plan_.bindings.size(); ++b) {
      const BindingPlan& binding = plan_.bindings[b];
      const bool own = binding.control == d.control,
                 part = std::find(binding.with.begin(), binding.with.end(), d.control) != binding.with.end();
      if (binding.handset != d.handset || (!own && !part) || !d.plugged) continue;
      const bool key = plan_.handsets[at(d.handset)].controls[at(d.control)].kind == Kind::key;
      const bool says_pressed = key ? d.raw != 0 : std::abs(static_cast<long>(d.raw)) >= 560;
      for (std::size_t z = 0; z < zones_.size(); ++z) {
        if (!in_zone(binding, z)) continue;
        Zone& zone = zones_[z];
        if (binding.effect == Effect::stop && says_pressed) {
          stop(z, RigPlan::stop_key, true);
          // What no stop can say is refused: then nothing is known of it, which stops what is live.
          zone.stop_key_now = zone.stop_key_now || std::abs(static_cast<long>(d.raw)) <= full_raw;
          zone.ready_begun = zone.ready_after_stop = false;
        }
        if (binding.effect == Effect::enable && !key && d.raw > 830 && binding.squeeze < 1 && !d.refused)
          zone.begun[b] = 0;
        if (makes_ready(binding.effect) && says_pressed) {
          zone.ready_begun = zone.ready_now = zone.ready_after_stop = true;
          zone.candidates |= station(d.handset);
        }
        if (is_mover(binding.effect) && says_pressed) zone.pressed_since[b] = 1;
        const auto state = engine.permit(id_at<ZoneId>(z)).state();
        if (binding.effect == Effect::enable && says_pressed && !zone.stop_now &&
            (state == State::ready || state == State::live) && !(binding.squeeze < 1 && d.raw > 820) && is_press)
          zone.begun[b] = 1;
      }
    }
    if (is_press || d.number == hands_.control(d.handset, d.control).deflected_number)
      fresh_told_.push_back({d.handset, d.control});
  }
}

/// Whether anything asks an axis to move.
bool Watch::asked(std::size_t axis, std::size_t z, Time now) const {
  const Zone& zone = zones_[z];
  if (axes_[axis].stepping || axes_[axis].wheeling) return true;
  for (std::size_t i = 0; i < bindings_of_[axis].size(); ++i) {
    const std::size_t b = bindings_of_[axis][i];
    const BindingPlan& binding = plan_.bindings[b];
    if ((zone.candidates >> binding.handset & 1u) == 0 || axes_[axis].lacking[i] != 0) continue;
    if (binding.effect == Effect::follow) {
      if (hands_.handset(binding.handset).told_plugged) return true;
      continue;
    }
    const bool moves = binding.effect == Effect::jog || binding.effect == Effect::go || binding.effect == Effect::pose;
    if (moves && zone.voided[b] == 0 && active(b, now)) return true;
  }
  return false;
}

/// Whether anything that moves a zone is held, and was let go since it stopped.
bool Watch::held_to_run(std::size_t z, Time now) const {
  for (std::size_t b = 0; b < plan_.bindings.size(); ++b) {
    const BindingPlan& binding = plan_.bindings[b];
    if (is_mover(binding.effect) && in_zone(binding, z) && (zones_[z].candidates >> binding.handset & 1u) != 0 &&
        zones_[z].voided[b] == 0 && active(b, now))
      return true;
  }
  return false;
}

void Watch::watch_zone(std::size_t z, const Engine& engine, const TickTruth& truth, const TickBuffers& out) {
  Zone& zone = zones_[z];
  const State before = zone.state;
  zone.state = engine.permit(id_at<ZoneId>(z)).state();
  if (zone.stop_key_now && (zone.state == State::ready || zone.state == State::live))
    fail(Property::asked, fmt::format("zone {} is ready or live after a tick in which its stop was pressed", z));
  const bool ran_out = truth.dt_s > zone.valid_s + 1e-9;
  const bool late = ran_out || truth.dt_s < 0 || truth.dt_s > plan_.max_s + 1e-9;
  if (ran_out && zone.powered) zone.off_at_once = true;
  for (int l = 0; l < plan_.links; ++l) {
    bool counts = false;
    for (const AxisPlan& axis : plan_.axes) {
      if (at(axis.zone) != z) continue;
      counts = counts || axis.link == l;
      for (const int s : axis.needs) counts = counts || plan_.switches[at(s)].link == l;
    }
    const bool silent = ever_heard_[at(l)] == 0 || seconds(truth.now - heard_at_[at(l)]) > plan_.silence_s + 1e-9;
    // Whatever its state: where it has power, that is watched.
    if (counts && silent) stop(z, RigPlan::link_silent, true);
  }
  if (late || truth.end) stop(z, RigPlan::program_ends, truth.end);
  bool enabled = false;
  for (std::size_t b = 0; b < plan_.bindings.size(); ++b) {
    if (zone.begun[b] == 0) continue;
    if (!active(b, truth.now)) {
      zone.begun[b] = 0;
      continue;
    }
    if ((zone.candidates >> plan_.bindings[b].handset & 1u) == 0) continue;
    enabled = true;
    if (!hands_.pressed(plan_.bindings[b].handset, plan_.bindings[b].control)) ++tally_.believed_ticks;
  }
  if (plan_.hold_to_run) enabled = held_to_run(z, truth.now);
  const bool was = zone.could_move = zone.may_move;
  zone.may_move = enabled && !zone.stop_now && zone.state == State::live;
  if (zone.state == State::live) {
    ++tally_.live_ticks;
    watch_live(z, engine, before != State::live);
    if (!enabled || zone.stop_now)
      fail(Property::asked, fmt::format("zone {} is live and no hand holds an enable pressed since the last stop", z));
  }
  if (before != zone.state && (zone.state == State::live || before == State::live || zone.state == State::stopping)) {
    tally_.lives += zone.state == State::live ? 1 : 0;
    tally_.stops += before == State::live ? 1 : 0;
  }
  if (before != zone.state && zone.state == State::tripped) ++tally_.trips;
  // What is pushed as it goes live, or as it stops, has to come to neutral first.
  const bool begins = zone.may_move && !was && !plan_.hold_to_run;
  if (begins || (!zone.may_move && was) || zone.stop_now) {
    for (std::size_t b = 0; b < plan_.bindings.size(); ++b) {
      if (!is_mover(plan_.bindings[b].effect) || !in_zone(plan_.bindings[b], z)) continue;
      const bool pressed_now = told_now(b);
      zone.voided[b] = zone.may_move && pressed_now ? 0 : 1;
      zone.pressed_since[b] = zone.may_move && pressed_now ? 1 : 0;
    }
  }
  for (std::size_t b = 0; b < plan_.bindings.size(); ++b)
    if (zone.voided[b] != 0 && !held(b)) zone.voided[b] = 0;
  bool powered = false, rests = true;
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    if (at(plan_.axes[a].zone) != z) continue;
    const AxisCommand& c = out.commands[axis_id_[a]];
    powered = powered || c.mode != Mode::off;
    rests = rests && c.v == 0 && c.a == 0;
    if (zone.off_at_once && c.mode != Mode::off)
      fail(Property::power, fmt::format("{} has power after a stop of category 0", plan_.axes[a].name));
  }
  zone.off_at_once = false;
  if (powered && !zone.powered && !zone.ready_begun && !zone.ready_before && !zone.ready_now)
    fail(Property::power, fmt::format("zone {} gets power, and nobody made it ready", z));
  if (!powered) zone.power_off_in = -1;
  if (zone.power_off_in >= 0 && rests && truth.dt_s >= 0 && --zone.power_off_in < 0)
    fail(Property::power, fmt::format("zone {} is at rest after a stop of category 1 and has power", z));
  if (zone.state == State::ready || zone.state == State::live) {
    // Made ready after the stop: another story.
    if (before == State::stowed) zone.power_off_in = -1;
  }
  zone.powered = powered;
  if (zone.state == State::stowed && before != State::stowed) {
    // Pressed after the stop in the very same tick, it counts once its gesture is decided.
    zone.ready_begun = zone.ready_after_stop;
    zone.was_stowed_now = true;
  }
}

/// What must not be while a zone is live, and as it begins to be.
void Watch::watch_live(std::size_t z, const Engine& engine, bool begins) {
  const std::uint32_t in_charge = engine.in_charge(id_at<ZoneId>(z));
  for (const BindingPlan& b : plan_.bindings) {
    if (!in_zone(b, z) || !b.with.empty()) continue;
    const Hands::Handset& handset = hands_.handset(b.handset);
    const Hands::Control& control = hands_.control(b.handset, b.control);
    // Heard, and nothing lost since.
    if (!control.known || !handset.told_plugged || handset.delivered != handset.number) continue;
    if (b.effect == Effect::stop && hands_.pressed(b.handset, b.control))
      fail(Property::asked, "it is live while a stop is held down");
    const bool moves = is_mover(b.effect) && b.effect != Effect::follow && b.effect != Effect::wheel;
    if (begins && moves && !plan_.hold_to_run && (in_charge >> b.handset & 1u) != 0 &&
        hands_.deflected(b.handset, b.control) && told_in_time(b.handset, b.control))
      fail(Property::asked, "it goes live while a control of those in charge is not at neutral");
  }
}

/// Whether a control's deflection was delivered in an earlier tick.
bool Watch::told_in_time(int handset, int control) const {
  for (const Hands::Delivered& d : hands_.delivered())
    if (d.handset == handset && d.control == control) return false;
  return true;
}

/// Which binding of an axis it follows; -1: none, or nobody knows for sure: a held layer's key decides, or who is in
/// charge.
int Watch::follower(std::size_t a) const {
  int found = -1, handset = -1;
  for (std::size_t i = 0; i < bindings_of_[a].size(); ++i) {
    const BindingPlan& b = plan_.bindings[bindings_of_[a][i]];
    if (b.effect != Effect::follow) continue;
    if (b.layer == BindingPlan::Layer::held || (handset >= 0 && b.handset != handset)) return -1;
    handset = b.handset;
    if (b.layer == BindingPlan::Layer::base || layer_on_) found = static_cast<int>(i);
  }
  return found;
}

/// A followed control that was not met yet is met at the speed for that.
void Watch::watch_followed(std::size_t a, const AxisCommand& c, bool may, double dt) {
  Axis& axis = axes_[a];
  const AxisPlan& p = plan_.axes[a];
  const int followed = follower(a);
  if (followed >= 0 && followed != axis.followed) std::fill(axis.met.begin(), axis.met.end(), 0);
  axis.followed = followed;
  bool follows = false, others = axis.stepping || axis.wheeling, towards = false;
  double catch_up = 0;
  for (std::size_t i = 0; i < bindings_of_[a].size(); ++i) {
    const BindingPlan& b = plan_.bindings[bindings_of_[a][i]];
    if (b.effect != Effect::follow) {
      others = others || active(bindings_of_[a][i], Time{});
      continue;
    }
    follows = true;
    catch_up = std::max(catch_up, b.catch_up);
    const double share = hands_.control(b.handset, b.control).raw / static_cast<double>(full_raw);
    const double off = std::clamp(b.low + share * (b.high - b.low), p.low, p.high) - c.p;
    const bool meets = std::abs(off) <= b.catch_up * 0.0101 + 2 * std::abs(c.v) * dt || off * axis.off[i] < 0;
    const bool counts = followed < 0 || static_cast<int>(i) == followed;
    axis.met[i] = may && counts && (axis.met[i] != 0 || meets) ? 1 : 0;
    axis.off[i] = off;
    towards = towards || (axis.met[i] != 0 && off * c.v >= 0);
  }
  // Acceleration that is on has to be let go first.
  const bool gains =
      dt > 0 && c.v * c.a > 0 && std::abs(c.a) >= std::abs(axis.a) && std::abs(c.v) > catch_up * (1 + 1e-6) + 1e-9;
  // What something else brought to a speed may let its acceleration go first.
  axis.driven = others || (axis.driven && std::abs(c.v) > catch_up);
  if (follows && !axis.driven && may && gains && !towards)
    fail(Property::asked,
         fmt::format("{} runs at {} to a control that it has not met; {} is for that", p.name, c.v, catch_up));
}

/// Speed, accelerations, jerks and travel, from the numbers alone.
void Watch::watch_limits(std::size_t a, const AxisCommand& c, double dt) {
  const AxisPlan& p = plan_.axes[a];
  const Axis& axis = axes_[a];
  if (!(std::isfinite(c.p) && std::isfinite(c.v) && std::isfinite(c.a)))
    return fail(Property::limits, p.name + ": not a number");
  const double hardest = std::max(p.accel, p.decel), sharpest = std::max(p.jerk, p.decel_jerk), eps = 1e-6;
  if (std::abs(c.v) > p.speed * p.share * (1 + eps) + 1e-9)
    fail(Property::limits, fmt::format("{}: speed {} of {}", p.name, c.v, p.speed * p.share));
  if (std::abs(c.a) > hardest * (1 + eps) + 1e-6)
    fail(Property::limits, fmt::format("{}: acceleration {} of {}", p.name, c.a, hardest));
  // What is made ready and stopped in one tick was taken up where it is.
  const Zone& zone = zones_[at(p.zone)];
  const bool taken_up = zone.ready_now || (zone.ready_before && !zone.ready_begun);
  if (c.mode == Mode::off && axis.mode == Mode::off && p.kind != AxisPlan::Kind::motor && c.p != axis.p && ticks_ > 1 &&
      !taken_up)
    fail(Property::power, fmt::format("{}: is told to be elsewhere, {} on, without power", p.name, c.p - axis.p));
  if (c.mode == Mode::off || axis.mode == Mode::off || dt <= 0) return;
  if (std::abs(c.a - axis.a) > sharpest * dt * (1 + eps) + 1e-5 * (1 + hardest))
    fail(Property::limits, fmt::format("{}: jerk {} of {}", p.name, (c.a - axis.a) / dt, sharpest));
  if (p.kind == AxisPlan::Kind::motor) return;  // its place means nothing
  const double moved = c.p - axis.p, mean = (c.v + axis.v) / 2 * dt;
  if (std::abs(moved - mean) > hardest * dt * dt + 1e-9 * (1 + std::abs(c.p)))
    fail(Property::limits, fmt::format("{}: leaps by {}", p.name, moved));
  // To the last digit, where it was inside; from outside back in only.
  if ((c.p > p.high && c.p > axis.p) || (c.p < p.low && c.p < axis.p))
    fail(Property::limits, fmt::format("{}: beyond its travel at {}", p.name, c.p));
}

/// Steps that were announced are made, to the last digit, or are announced to be dropped.
void Watch::watch_steps(std::size_t a, const AxisCommand& c, const TickBuffers& out) {
  Axis& axis = axes_[a];
  const bool rests = c.v == 0 && c.a == 0;
  // Cut off on its way it stands where the power left it.
  if (c.mode == Mode::off && axis.v != 0) axis.pure = false;
  axis.rest_ticks = rests && !out.why[axis_id_[a]].asked ? axis.rest_ticks + 1 : 0;
  if (axis.rest_ticks < 3) return;
  const auto here = static_cast<std::int64_t>(std::llround(c.p * 1e9));
  if (axis.stepping && axis.pure && std::abs(here - axis.expected) > 1)
    fail(Property::exact,
         fmt::format("{}: stands at {} nm, and {} were told", plan_.axes[a].name, here, axis.expected));
  axis.stepping = axis.wheeling = false;
  axis.pure = true;
  axis.expected = here;
}

void Watch::watch_motor(std::size_t a, const AxisCommand& c, std::int64_t word, Time now) {
  Axis& axis = axes_[a];
  const AxisPlan& p = plan_.axes[a];
  if (p.kind != AxisPlan::Kind::motor) return;
  if (c.mode == Mode::off && word != 0) fail(Property::power, p.name + ": a motor without power is told to turn");
  const int sign = word > 0 ? 1 : word < 0 ? -1 : 0;
  if (sign == 0) {
    if (axis.word != 0) axis.no_power_since = now;
    axis.word = word;
    return;
  }
  const double rested = axis.word == 0 ? seconds(now - axis.no_power_since) : 0;
  if (axis.power_sign != 0 && sign != axis.power_sign && (rested < p.rest_s - 1e-6 || axis.word != 0))
    fail(Property::limits, fmt::format("{}: turned round after {} s of rest, {} are told", p.name, rested, p.rest_s));
  axis.power_sign = sign;
  axis.word = word;
}

void Watch::watch_axis(std::size_t a, const TickTruth& truth, const TickBuffers& out) {
  Axis& axis = axes_[a];
  const AxisPlan& p = plan_.axes[a];
  const AxisCommand& c = out.commands[axis_id_[a]];
  Zone& zone = zones_[at(p.zone)];
  const double dt = std::clamp(truth.dt_s, 0.0, plan_.max_s);
  watch_limits(a, c, dt);

  bool lacks = false;
  const auto needs = [&](const AxisPlan& one) {
    for (const int s : one.needs) lacks = lacks || out.switches[switch_id_[at(s)]] == 0;
  };
  needs(p);
  if (p.group >= 0)
    for (const int other : plan_.groups[at(p.group)].axes) needs(plan_.axes[at(other)]);
  for (std::size_t i = 0; i < bindings_of_[a].size(); ++i)
    axis.lacking[i] = lapses(plan_.bindings[bindings_of_[a][i]]) && held(bindings_of_[a][i]) &&
                              (axis.lacking[i] != 0 || (lacks && zone.may_move))
                          ? 1
                          : 0;
  const bool may = zone.may_move && !lacks, allowed = may && asked(a, at(p.zone), truth.now);
  // Anything but steps alone.
  if (may)
    for (const std::size_t b : bindings_of_[a]) {
      const BindingPlan& binding = plan_.bindings[b];
      if (binding.effect == Effect::step || (binding.effect != Effect::follow && !active(b, truth.now))) continue;
      axis.pure = false;
    }
  const bool moves =
      c.mode != Mode::off &&
      (c.v != 0 || c.a != 0 || (c.p != axis.p && axis.mode != Mode::off && p.kind != AxisPlan::Kind::motor));
  if (moves) ++tally_.moving_ticks;
  if (!allowed && axis.was_allowed) {
    const bool on_a_line = may || (p.group >= 0 && plan_.groups[at(p.group)].together);
    axis.rest_by_s = motion_s_ + (on_a_line ? group_stop_time(a) : stop_time(p, axis.v, axis.a));
    axis.late_ticks = 0;
    axis.was_live = may;
  }
  if (!allowed && !may && axis.was_live) {
    // It came to rest on its line; now it stops.
    axis.was_live = false;
    const bool together = p.group >= 0 && plan_.groups[at(p.group)].together;
    axis.rest_by_s =
        std::min(axis.rest_by_s, motion_s_ + (together ? group_stop_time(a) : stop_time(p, axis.v, axis.a)));
  }
  if (!allowed) {
    if (motion_s_ >= axis.rest_by_s - 1e-9) ++axis.late_ticks;
    if (moves && axis.late_ticks > 2)
      fail(zone.may_move ? Property::asked : Property::stops,
           fmt::format("{} moves at {} by {} and nothing asks it to", p.name, c.v, c.p - axis.p));
    if (moves && axis.late_ticks > 0) ++tally_.near_deadline;
  }
  axis.was_allowed = allowed;
  const std::int64_t word = out.frames[at(p.link)].axes[channel_[a]].position;
  watch_motor(a, c, word, truth.now);
  watch_followed(a, c, may, dt);
  watch_steps(a, c, out);
  // A limit that was lost to the slower side is not exceeded by gaining speed.
  const double slow = p.speed * plan_.reduced_share;
  if (reduced_ && std::abs(c.v) > slow * (1 + 1e-6) + 1e-9 && std::abs(c.v) > std::abs(axis.v) * (1 + 1e-9) &&
      c.v * c.a > 0 && std::abs(c.a) >= std::abs(axis.a) && axis.limited)
    fail(Property::safer, fmt::format("{} gains speed to {} while reduced speed ({}) is held, or what held it is lost",
                                      p.name, c.v, slow));
  axis.limited = reduced_ && std::abs(c.v) <= slow * (1 + 1e-6) + 1e-9;
  axis.p = c.p;
  axis.v = c.v;
  axis.a = c.a;
  axis.mode = c.mode;
}

void Watch::watch_groups(const TickBuffers& out) {
  for (const GroupPlan& group : plan_.groups) {
    if (!(group.path_speed > 0)) continue;
    double squares = 0;
    for (const int a : group.axes) squares += std::pow(out.commands[axis_id_[at(a)]].v, 2);
    if (std::sqrt(squares) > group.path_speed * (1 + 1e-6) + 1e-9)
      fail(Property::limits,
           fmt::format("a group runs at {} along its path, {} are allowed", std::sqrt(squares), group.path_speed));
  }
}

/// What holds reduced speed, and was lost while it did, holds it until it is pressed and let go again.
void Watch::watch_reduced(const TickTruth& truth) {
  reduced_ = false;
  // A toggle may end it.
  for (const Hands::Delivered& d : hands_.delivered())
    for (const BindingPlan& binding : plan_.bindings)
      if (binding.effect == Effect::reduced && !binding.momentary && d.handset == binding.handset &&
          d.control == binding.control && d.raw != 0)
        std::fill(reduced_lost_.begin(), reduced_lost_.end(), 0);
  for (std::size_t b = 0; b < plan_.bindings.size(); ++b) {
    const BindingPlan& binding = plan_.bindings[b];
    if (binding.effect != Effect::reduced || !binding.momentary) continue;
    const bool known =
        hands_.control(binding.handset, binding.control).known && hands_.handset(binding.handset).told_plugged;
    const bool let_go = !hands_.believed_pressed(binding.handset, binding.control, truth.now);
    const bool down = told(binding.handset, binding.control, true), up = told(binding.handset, binding.control, false);
    // The hand may have pressed it again since, in a reading that never came.
    if ((up && !down) || (let_go && (known || up))) reduced_held_[b] = 0;
    if (down) {
      reduced_held_[b] = 1;
      reduced_lost_[b] = 0;
    }
    if (!known && reduced_known_[b] != 0 && reduced_held_[b] != 0) {
      reduced_lost_[b] = 1;
      reduced_held_[b] = 0;
    }
    reduced_known_[b] = known ? 1 : 0;
    // Seen down, and nothing on its way.
    const bool seen = known && hands_.pressed(binding.handset, binding.control) &&
                      hands_.handset(binding.handset).delivered == hands_.handset(binding.handset).number;
    if (!seen)
      reduced_seen_[b] = Time{};
    else if (reduced_seen_[b] == Time{})
      reduced_seen_[b] = truth.now;
    reduced_ = reduced_ || reduced_lost_[b] != 0 || (seen && truth.now - reduced_seen_[b] > 30ms);
  }
}

/// Whether a clean word of a control came in this tick.
bool Watch::told(int handset, int control, bool pressed) const {
  for (const Hands::Delivered& d : hands_.delivered())
    if (d.handset == handset && d.control == control && !d.refused && !d.lost_before && (d.raw != 0) == pressed)
      return true;
  return false;
}

/// A switch that only momentary keys turn on is off without one of them.
void Watch::watch_switches(const TickBuffers& out, Time now) {
  for (std::size_t s = 0; s < plan_.switches.size(); ++s) {
    const SwitchPlan& one = plan_.switches[s];
    using Becomes = SwitchPlan::Becomes;
    if (one.start_on || one.otherwise == Becomes::on || one.handset_lost != Becomes::off ||
        one.link_silent == Becomes::on || one.released == Becomes::on)
      continue;
    bool only_held = true, held = false;
    for (std::size_t b = 0; b < plan_.bindings.size(); ++b) {
      if (plan_.bindings[b].target != static_cast<int>(s)) continue;
      only_held = only_held && plan_.bindings[b].momentary;
      held = held || active(b, now);
    }
    if (only_held && !held && out.switches[switch_id_[s]] != 0)
      fail(Property::switches, one.name + " is on and nobody holds its key");
  }
}

/// A switch that goes off at every stop is off in the tick in which its zone begins to stop.
void Watch::watch_becomes(const TickBuffers& out, const std::vector<Event>& events) {
  for (const Event& e : events) {
    if (e.kind != Event::Kind::state || e.state != State::stopping) continue;
    const bool released =
        e.cause == Cause::enable_released || e.cause == Cause::enable_squeezed || e.cause == Cause::let_go;
    for (std::size_t s = 0; s < plan_.switches.size(); ++s) {
      using Becomes = SwitchPlan::Becomes;
      const SwitchPlan& one = plan_.switches[s];
      if (at(one.zone) != index(e.zone) || one.otherwise != Becomes::off || one.handset_lost != Becomes::off ||
          one.link_silent != Becomes::off || (released && one.released != Becomes::off))
        continue;
      ++tally_.switched_off;
      if (out.switches[switch_id_[s]] != 0) fail(Property::switches, one.name + " stays on while its zone stops");
    }
  }
}

/// Where one handset alone moves and enables: no zone moves on while nothing has come from it for its longest time.
void Watch::watch_steady(const TickTruth& truth, const Engine& engine, const TickBuffers& out) {
  for (const Hands::Delivered& d : hands_.delivered())
    if (d.handset == 0) told_at_ = truth.now;
  if (plan_.handsets.size() != 1 || plan_.handsets[0].max_steady_s == 0) return;
  const double longest_s = plan_.handsets[0].max_steady_s + 2 * plan_.max_s;
  for (std::size_t z = 0; z < zones_.size(); ++z) {
    bool moves = false;
    for (std::size_t a = 0; a < axes_.size(); ++a)
      moves = moves || (at(plan_.axes[a].zone) == z && out.commands[axis_id_[a]].v != 0);
    if (!moves || engine.permit(id_at<ZoneId>(z)).state() != State::live) zones_[z].still_at = truth.now;
    if (to_seconds(truth.now - std::max(told_at_, zones_[z].still_at)) > longest_s)
      fail(Property::stops, "moves on though nothing on its handset has changed for too long");
  }
}

void Watch::take_events(const std::vector<Event>& events) {
  for (const Event& e : events) {
    if (e.kind == Event::Kind::fault && e.cause == Cause::envelope_refused)
      fail(Property::last_check, "the last check refused what motion made");
    tally_.steady_stops += e.kind == Event::Kind::state && e.cause == Cause::handset_steady ? 1 : 0;
    if (e.kind == Event::Kind::layer) layer_on_ = e.number != 0;
    if (e.kind != Event::Kind::step && e.kind != Event::Kind::dropped) continue;
    std::size_t a = 0;
    while (axis_id_[a] != index(e.axis)) ++a;
    Axis& axis = axes_[a];
    if (e.kind == Event::Kind::dropped) {
      ++tally_.dropped;
      axis.expected -= e.number;
      continue;
    }
    ++tally_.steps;
    Zone& zone = zones_[at(plan_.axes[a].zone)];
    bool pressed = false;
    for (const std::size_t b : bindings_of_[a])
      pressed = pressed || (plan_.bindings[b].effect == Effect::step &&
                            (told_now(b) || zone.pressed_since[b] != 0 || zone.pressed_before[b] != 0) &&
                            (zone.candidates >> plan_.bindings[b].handset & 1u) != 0);
    if (!pressed || !(zone.may_move || zone.could_move))
      fail(Property::asked, plan_.axes[a].name + " takes a step that nobody asked for since it is live");
    axis.expected += e.number;
    axis.stepping = true;
    axis.rest_ticks = 0;
  }
}

void Watch::tick(const TickTruth& truth, const Engine& engine, const TickBuffers& out,
                 const std::vector<Event>& events) {
  ++ticks_;
  ++tally_.ticks;
  for (Zone& zone : zones_) {
    zone.stop_now = zone.stop_key_now = zone.ready_now = zone.ready_after_stop = false;
    if (zone.state == State::stowed && zone.was_stowed_now) zone.candidates = 0;
    zone.was_stowed_now = false;
    zone.pressed_before = zone.pressed_since;
    zone.ready_before = zone.ready_begun;
  }
  fresh_told_.clear();
  for (int l = 0; l < plan_.links; ++l) {
    if ((truth.heard >> l & 1u) != 0) {
      heard_at_[at(l)] = truth.now;
      ever_heard_[at(l)] = 1;
    }
    if ((truth.lying >> l & 1u) == 0) continue;
    for (const AxisPlan& axis : plan_.axes)
      if (axis.link == l) stop(at(axis.zone), RigPlan::following_error, false);
  }
  for (std::size_t a = 0; a < axes_.size(); ++a)
    if (truth.lying_axis >= 0 && axis_id_[a] == at(truth.lying_axis) && axes_[a].mode != Mode::off)
      stop(at(plan_.axes[a].zone), RigPlan::following_error, true);
  take_delivered(engine, truth);
  watch_reduced(truth);
  for (std::size_t z = 0; z < zones_.size(); ++z) watch_zone(z, engine, truth, out);
  // Counts of a dial are kept until they are made.
  for (const Hands::Delivered& d : hands_.delivered())
    for (std::size_t a = 0; d.control >= 0 && a < axes_.size(); ++a)
      for (const std::size_t b : bindings_of_[a])
        if (plan_.bindings[b].effect == Effect::wheel && plan_.bindings[b].handset == d.handset &&
            plan_.bindings[b].control == d.control &&
            (zones_[at(plan_.axes[a].zone)].candidates >> d.handset & 1u) != 0)
          axes_[a].wheeling = true, axes_[a].rest_ticks = 0, axes_[a].pure = false;
  take_events(events);
  for (std::size_t a = 0; a < axes_.size(); ++a) watch_axis(a, truth, out);
  watch_groups(out);
  watch_switches(out, truth.now);
  watch_becomes(out, events);
  watch_steady(truth, engine, out);
  motion_s_ += std::clamp(truth.dt_s, 0.0, plan_.max_s);
}

}  // namespace gyrax::bench
