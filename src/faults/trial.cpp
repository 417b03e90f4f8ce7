#include "trial.hpp"

#include "failures.hpp"

#include <gyrax/rig/words.hpp>

#include <algorithm>
#include <cmath>

namespace gyrax {
namespace {

using namespace std::chrono_literals;

constexpr double part_pushed = 0.6;

}  // namespace

const char* words_of(Moment moment) {
  switch (moment) {
    case Moment::at_speed: return "at its speed";
    case Moment::speeding_up: return "speeding up";
    case Moment::pushed_on: return "as it is pushed on";
    case Moment::near_the_end: return "slowing before its end";
    case Moment::other_slows: return "as another axis slows";
    case Moment::layer_changes: return "as the layer changes";
  }
  return "";
}

Trial::Trial(const Rig& rig, const Scene& scene, const Predictor& predictor)
    : rig_(rig),
      predictor_(predictor),
      scene_(scene),
      zone_(rig.setup.axes[index(scene.axis)].zone),
      handset_(rig.setup.controls[index(rig.setup.bindings[index(scene.way.binding)].slot)].handset),
      engine_(rig.setup),
      out_(rig.setup),
      wires_(rig, scene.seed),
      hands_(rig),
      rest_speed_(rig.setup.axes[index(scene.axis)].limits.speed() * 1e-3) {
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisSetup& axis = rig.setup.axes[a];
    if (is_place(axis.drive)) wires_.machines().bench(axis.wiring.link).place(axis.wiring.channel, axis.start);
  }
}

void Trial::mark() {
  marked_ = moved_ = now_;
  from_ = wires_.machines().position(scene_.axis);
  farthest_ = forward_ = off_ = 0;
  const double speed = machine_speed();
  way_ = speed < 0 ? -1 : 1;
  cause_ = Cause::none;
}

void Trial::watch(std::span<const Event> events) {
  if (sampler_) {
    kept_->trace.add(sampler_->sample(now_, engine_, out_, wires_.machines()));
    kept_->events.insert(kept_->events.end(), events.begin(), events.end());
  }
  if (!marked_) return;
  for (const Event& e : events)
    if (e.zone == zone_ && cause_ == Cause::none && e.cause != Cause::none &&
        (e.kind == Event::Kind::fault || (e.kind == Event::Kind::state && e.state == State::stopping))) {
      if (scene_.failure->rules.from_stop) mark();
      cause_ = e.cause;
    }
  const AxisReport& report = engine_.links().measured(scene_.axis);
  if (report.measured && cause_ == Cause::none && command().mode != Mode::off)
    off_ = std::max(off_, std::abs(report.position - command().p));
  const double off = wires_.machines().position(scene_.axis) - from_, speed = machine_speed();
  farthest_ = std::max(farthest_, std::abs(off));
  forward_ = std::max(forward_, off * way_);
  if ((scene_.failure->rules.forward ? speed * way_ : std::abs(speed)) > rest_speed_) moved_ = now_;
}

void Trial::tick_after(Span span) {
  now_ += span;
  if (each_tick) each_tick();
  wires_.advance(now_);
  std::vector<Event> events;
  if (!killed_) {
    accel_before_ = command().a;
    engine_.tick({now_, hands_.take(now_), wires_.take(now_), ends_}, out_.view());
    wires_.send(out_.frames);
    for (Event event; out_.events.read(event);) events.push_back(event);
  }
  watch(events);
}

void Trial::run(Span span) {
  for (const Time end = now_ + span; now_ < end;) tick();
}

bool Trial::run_until(const std::function<bool()>& is_so, Span most) {
  for (const Time end = now_ + most; now_ < end;) {
    tick();
    if (is_so()) return true;
  }
  return false;
}

void Trial::hang(Span span) {
  for (const Time end = now_ + span; now_ < end;) {
    now_ += rig_.period;
    wires_.advance(now_);
    watch({});
  }
}

void Trial::perform(BindingId id, double share) {
  const BindingSetup& b = rig_.setup.bindings[index(id)];
  const auto put = [&](double value, Span then) {
    hands_.put(b.slot, value, now_);
    run(then);
  };
  for (const SlotId slot : b.with) hands_.put(slot, 1, now_);
  switch (b.gesture) {
    case Gesture::press: hands_.put(b.slot, share, now_); break;
    case Gesture::release:
    case Gesture::tap:
      put(share, 60ms);
      put(0, 20ms);
      break;
    case Gesture::double_tap:
      put(share, 60ms);
      put(0, 60ms);
      put(share, 10ms);
      break;
    case Gesture::hold: put(share, b.hold + 30ms); break;
    case Gesture::chord: put(share, 20ms); break;
  }
}

void Trial::let_go(BindingId id) {
  const BindingSetup& b = rig_.setup.bindings[index(id)];
  hands_.put(b.slot, 0, now_);
  for (const SlotId slot : b.with) hands_.put(slot, 0, now_);
}

/// So late that a reading still counts, and that nobody takes the handset for silent.
Span Trial::longest_delay() const {
  constexpr Span between = 10ms;
  Span delay = rig_.setup.handsets[index(handset_)].max_age - rig_.period;
  for (const HandsetSetup& handset : rig_.setup.handsets)
    if (handset.max_silence) delay = std::min(delay, *handset.max_silence - between);
  return std::max(Span{}, delay);
}

std::string Trial::why() const {
  const AxisStatus& status = out_.why[index(scene_.axis)];
  const Obstacle& first = status.before.what != Interlock::none ? status.before : status.blocked;
  return say(rig_, first, status.cause);
}

void Trial::plug_all(bool by_radio) {
  for (std::size_t h = 0; h < rig_.handsets.size(); ++h) hands_.plug(id_at<HandsetId>(h), now_, by_radio);
}

/// A press; what is on only while it is held stays held.
void Trial::latch(BindingId id, SwitchTo to) {
  perform(id, 1);
  run(60ms);
  if (to != SwitchTo::momentary) let_go(id);
  run(60ms);
}

void Trial::turn_on(SwitchId needed) {
  for (std::size_t row = 0; row < rig_.setup.bindings.size() && out_.switches[index(needed)] == 0; ++row)
    if (const auto* set = rig_.setup.bindings[row].as<effect::Set>();
        set != nullptr && set->target == needed && set->to != SwitchTo::off)
      latch(id_at<BindingId>(row), set->to);
}

void Trial::turn_to(LayerId layer) {
  if (layer == no<LayerId> || rig_.setup.layers[index(layer)].starts_on) return;
  if (const SlotId held = rig_.setup.layers[index(layer)].held; held != no<SlotId>) {
    hands_.put(held, 1, now_);
    return run(60ms);
  }
  for (std::size_t row = 0; row < rig_.setup.bindings.size(); ++row)
    if (const auto* on = rig_.setup.bindings[row].as<effect::Layer>();
        on != nullptr && on->layer == layer && on->to != SwitchTo::off)
      return latch(id_at<BindingId>(row), on->to);
}

bool Trial::make_live(TrialResult& result) {
  const auto ready = word(makes_ready), enable = word(enables);
  const bool hold_to_run = rig_.setup.zones[index(zone_)].hold_to_run;
  if (!ready || (!enable && !hold_to_run)) {
    result.why_not = "nothing beside it makes its zone ready, or enables it";
    return false;
  }
  Span first = rig_.setup.bindings[index(*ready)].as<effect::ReadyOrStow>() != nullptr ? 700ms : 80ms;
  // Until every link has said something.
  for (const LinkId link : rig_.setup.zones[index(zone_)].links) {
    const FarEnd far = far_end_of(rig_, link);
    first = std::max(first, from_seconds(2 * far.report_s + far.delay_s) + 20ms);
  }
  run(first);
  perform(*ready, 1);
  const bool is_ready = run_until([&] { return state() == State::ready; }, 1s);
  let_go(*ready);
  run(60ms);
  for (const AxisSetup& axis : rig_.setup.axes)
    if (axis.zone == zone_ && axis.brake.any()) run(axis.brake.power + axis.brake.opens);
  if (!is_ready) {
    result.why_not = why();
    return false;
  }
  for (const SwitchId needed : rig_.setup.axes[index(scene_.axis)].needs) turn_on(needed);
  turn_to(binding().layer);
  if (hold_to_run) return true;
  const auto* squeezed = rig_.setup.bindings[index(*enable)].as<effect::Enable>();
  const double press_at = rig_.setup.controls[index(rig_.setup.bindings[index(*enable)].slot)].press_at;
  perform(*enable, squeezed->squeeze ? (press_at + *squeezed->squeeze) / 2 : 1);
  if (run_until([&] { return state() == State::live; }, 500ms)) return true;
  result.why_not = why();
  return false;
}

void Trial::push() {
  const BindingSetup& b = binding();
  if (b.as<effect::Step>()) {
    for (int presses = 0; presses < 10; ++presses) {
      perform(scene_.way.binding, 1);
      run(8ms);
      let_go(scene_.way.binding);
      run(8ms);
    }
  } else if (const auto* wheel = b.as<effect::Handwheel>()) {
    // Somewhat faster than it can follow.
    const auto& increments = rig_.setup.notches.increments[index(scene_.axis)];
    const double step = increments.values.empty() ? 0 : from_nano(increments.values[increments.start]);
    const double a_tick = rig_.setup.axes[index(scene_.axis)].limits.speed() * to_seconds(rig_.period);
    const int detents = static_cast<int>(std::clamp(std::ceil(1.2 * a_tick / std::max(step, 1e-9)), 1.0, 100.0));
    const int by = wheel->by < 0 ? -scene_.way.direction : scene_.way.direction;
    each_tick = [this, detents, by] { hands_.turn(slot(), detents * by, now_); };
  } else if (b.as<effect::Follow>()) {
    hands_.put(b.slot, 0, now_);
    run(50ms);
    wait_for_rest();
    hands_.put(b.slot, 1, now_);
  } else {
    perform(scene_.way.binding, scene_.moment == Moment::pushed_on ? part_pushed : 1);
  }
}

/// Where nothing vouches for a position the first move is a slow one.
void Trial::warm_up() {
  const AxisSetup& axis = rig_.setup.axes[index(scene_.axis)];
  if (axis.position == PositionKind::measured || !is_place(axis.drive) || binding().as<effect::Follow>()) return;
  push();
  run(150ms);
  each_tick = nullptr;
  let_go(scene_.way.binding);
  run(50ms);
  wait_for_rest();
  run(50ms);
}

/// The worst moment while it gains speed, as it was predicted; otherwise when it has just begun to let up.
bool Trial::wait_while_it_gains() {
  const double worst = predictor_.speed() * 0.999 > predicted_speed_ ? predicted_speed_ : 0;
  const auto is_it = [&] {
    if (at_speed()) return true;
    return moves() && (worst > 0 ? std::abs(command().v) >= worst : std::abs(command().a) < std::abs(accel_before_));
  };
  return run_until(is_it, patience) && !at_speed();
}

bool Trial::push_on() {
  const ControlKind kind = rig_.setup.controls[index(slot())].calibration.kind();
  const bool by_deflection = kind == ControlKind::centred || kind == ControlKind::one_sided;
  if (!binding().as<effect::Jog>() || !by_deflection || binding().gesture != Gesture::press) return false;
  if (!wait_for_speed()) return false;
  hands_.put(slot(), 1, now_);
  return true;
}

bool Trial::wait_for_the_end() {
  if (!binding().as<effect::Jog>() || !wait_for_speed()) return false;
  const double peak = std::abs(command().v);
  return run_until([&] { return moves() && command().a * command().v < 0 && std::abs(command().v) < 0.7 * peak; },
                   patience);
}

/// Another axis of its group that is jogged in the same layer runs beside it, and is let go.
bool Trial::wait_for_another() {
  const auto is_beside = [&](AxisId axis) {
    return axis != scene_.axis && std::ranges::any_of(rig_.setup.groups, [&](const GroupSetup& group) {
             return std::ranges::count(group.axes, scene_.axis) > 0 && std::ranges::count(group.axes, axis) > 0;
           });
  };
  for (std::size_t row = 0; row < rig_.setup.bindings.size(); ++row) {
    const BindingSetup& other = rig_.setup.bindings[row];
    const auto* jog = other.as<effect::Jog>();
    if (jog == nullptr || other.slot == slot() || other.layer != binding().layer) continue;
    const AxisId axis = id_at<AxisId>(index(jog->coordinate));
    if (!is_beside(axis)) continue;
    perform(id_at<BindingId>(row), 1);
    if (!wait_for_speed()) return false;
    run(100ms);
    let_go(id_at<BindingId>(row));
    const double before = std::abs(out_.commands[index(axis)].v);
    return moves() && run_until([&] { return std::abs(out_.commands[index(axis)].v) < before; }, 100ms);
  }
  return false;
}

bool Trial::change_layer() {
  if (!wait_for_speed()) return false;
  for (std::size_t l = 0; l < rig_.setup.layers.size(); ++l) {
    const SlotId key = rig_.setup.layers[l].held;
    if (key == no<SlotId> || id_at<LayerId>(l) == binding().layer || key == slot()) continue;
    hands_.put(key, 1, now_);
    return true;
  }
  return false;
}

bool Trial::wait_for_moment() {
  // A jog that grows has its full speed later.
  if (const auto* jog = binding().as<effect::Jog>(); jog != nullptr && !jog->stages.empty()) {
    if (!run_until([&] { return moves(); }, patience)) return false;
    run(jog->stages.back().after + (scene_.moment == Moment::speeding_up ? 0ms : 60ms));
  }
  switch (scene_.moment) {
    case Moment::at_speed: return wait_for_speed();
    case Moment::speeding_up: return wait_while_it_gains();
    case Moment::pushed_on: return push_on();
    case Moment::near_the_end: return wait_for_the_end();
    case Moment::other_slows: return wait_for_another();
    case Moment::layer_changes: return change_layer();
  }
  return false;
}

TrialResult Trial::carry_out(const Prediction& predicted, Rehearsal* kept) {
  if (kept != nullptr) {
    kept_ = kept;
    kept->trace = Trace(rig_, 0);
    sampler_.emplace(rig_);
  }
  TrialResult result;
  const Failure& failure = *scene_.failure;
  predicted_speed_ = predicted.speed;
  if (failure.rules.when != When::starting) {
    plug_all(failure.rules.by_radio);
    if (!make_live(result)) return result;
    if (failure.rules.when == When::moving) {
      warm_up();
      push();
      if (!wait_for_moment()) return result;
      if (std::abs(command().v) < failure.rules.least_speed * predictor_.speed()) return result;
    }
    if (failure.rules.by_hand && scene_.late == Late::at_once) hands_.delay(longest_delay());
  } else {
    run(80ms);
  }
  result.reached = true;
  mark();
  failure.act(*this);
  if (given_up_) {
    result.reached = false;
    return result;
  }
  if (scene_.late != Late::never && !failure.rules.by_hand && !killed_) {
    // Late enough before it is noticed for the machine to be making up for it then.
    const Span watch = from_seconds(predicted.watch_s) - rig_.setup.max_tick - 3 * rig_.period;
    if (scene_.late == Late::at_notice && watch > Span{}) run(watch);
    tick_late();
  }
  const Span most = from_seconds(std::min(120.0, 1.2 * predicted.time_s() + 1));
  constexpr Span at_rest = 300ms;
  // What stops some time later is waited for from then on.
  for (const Time last = now_ + most; now_ < std::max(last, *marked_ + most);) {
    tick();
    const bool over =
        killed_ || failure.rules.when == When::starting || state() != State::live || failure.rules.forward;
    if (over && now_ - moved_ >= at_rest && (cause_ != Cause::none || now_ - *marked_ > 1s)) break;
  }
  result.rested = now_ - moved_ >= at_rest;
  result.cause = cause_;
  result.at_s = to_seconds(*marked_);
  result.off = off_;
  result.way = farthest_;
  result.forward = forward_;
  result.time_s = to_seconds(moved_ - *marked_);
  return result;
}

}  // namespace gyrax
