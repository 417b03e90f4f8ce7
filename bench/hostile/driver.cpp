#include "driver.hpp"

#include "../random.hpp"

#include <gyrax/rig/words.hpp>

#include <algorithm>
#include <chrono>

namespace gyrax::bench {

using namespace std::chrono_literals;
using Effect = BindingPlan::Effect;
using Gesture = BindingPlan::Gesture;
using Kind = ControlPlan::Kind;

int Driver::binding(int handset, Effect effect) const {
  for (std::size_t b = 0; b < plan_.bindings.size(); ++b)
    if (plan_.bindings[b].handset == handset && plan_.bindings[b].effect == effect) return static_cast<int>(b);
  return -1;
}

int Driver::one_that(int handset, bool (*holds)(Effect)) const {
  for (std::size_t b = 0; b < plan_.bindings.size(); ++b)
    if (const BindingPlan& one = plan_.bindings[b];
        one.handset == handset && one.layer == BindingPlan::Layer::base && holds(one.effect))
      return static_cast<int>(b);
  return -1;
}

int Driver::full(const BindingPlan& b) const {
  const Kind kind = plan_.handsets[at(b.handset)].controls[at(b.control)].kind;
  // An enable that can be squeezed is held in its middle.
  return kind == Kind::key ? 1 : b.squeeze < 1 ? 700 : full_raw;
}

void Driver::later(Time now, double s, int handset, int control, int raw) {
  script_.push_back({now + std::chrono::duration_cast<Span>(std::chrono::duration<double>(s)), handset, control, raw});
}

void Driver::perform(int binding, Time now, bool keep, int raw) {
  const BindingPlan& b = plan_.bindings[at(binding)];
  if (raw == 0) raw = full(b);
  const auto press = [&](double s) { later(now, s, b.handset, b.control, raw); };
  const auto let_go = [&](double s) { later(now, s, b.handset, b.control, 0); };
  switch (b.gesture) {
    case Gesture::press:
      press(0);
      if (!keep) let_go(0.03);
      break;
    case Gesture::release:
    case Gesture::tap:
      press(0);
      let_go(0.05);
      break;
    case Gesture::double_tap:
      press(0);
      let_go(0.05);
      press(0.1);
      if (!keep) let_go(0.15);
      break;
    case Gesture::hold:
      press(0);
      if (!keep) let_go(0.8);
      break;
    case Gesture::chord:
      later(now, 0, b.handset, b.with.front(), 1);
      press(0.02);
      if (keep) break;
      let_go(0.1);
      later(now, 0.1, b.handset, b.with.front(), 0);
      break;
  }
}

void Driver::release(int handset, Time now) {
  std::erase_if(script_, [&](const Action& one) { return one.handset == handset; });
  const auto trodden = [&](int control) {
    for (const BindingPlan& b : plan_.bindings)
      if (b.effect == Effect::reduced && b.momentary && b.handset == handset && b.control == control)
        return hands_.pressed(handset, control);
    return false;
  };
  for (int c = 0; c < static_cast<int>(plan_.handsets[at(handset)].controls.size()); ++c)
    if (!trodden(c) || random_.chance(0.3)) hands_.put(handset, c, 0, now);
}

void Driver::tread(int handset, Time now) {
  std::vector<int> keys;
  for (const BindingPlan& b : plan_.bindings)
    if (b.handset == handset && plan_.handsets[at(handset)].controls[at(b.control)].kind == Kind::key &&
        (b.effect == Effect::reduced || random_.chance(0.1)))
      keys.push_back(b.control);
  if (!keys.empty()) hands_.put(handset, random_.one_of(keys), 1, now);
}

void Driver::play(Time now) {
  for (const Action& one : script_)
    if (one.at <= now) hands_.put(one.handset, one.control, one.raw, now);
  std::erase_if(script_, [&](const Action& one) { return one.at <= now; });
}

void Driver::use_something(Time now, int handset) {
  std::vector<int> own;
  for (std::size_t b = 0; b < plan_.bindings.size(); ++b)
    if (plan_.bindings[b].handset == handset && !is_permit(plan_.bindings[b].effect))
      own.push_back(static_cast<int>(b));
  if (own.empty()) return;
  const int chosen = random_.one_of(own);
  const BindingPlan& b = plan_.bindings[at(chosen)];
  const Kind kind = plan_.handsets[at(handset)].controls[at(b.control)].kind;
  if (kind == Kind::dial) {
    const int counts = random_.chance(0.02) ? random_.whole(-4000, 4000) : random_.whole(-8, 8);
    hands_.turn(handset, b.control, counts, now);
  } else if (kind == Kind::key) {
    if (hands_.control(handset, b.control).raw != 0) {
      hands_.put(handset, b.control, 0, now);
    } else {
      perform(chosen, now, random_.chance(0.6));
    }
  } else {
    const int values[] = {0, 0, full_raw, kind == Kind::stick ? -full_raw : 300, random_.whole(200, 900), 700};
    hands_.put(handset, b.control, values[random_.whole(0, 5)], now);
  }
}

void Driver::mischief(Time now) {
  const int h = random_.whole(0, static_cast<int>(plan_.handsets.size()) - 1);
  switch (random_.whole(0, 7)) {
    case 0:
      hands_.unplug(h, now);
      if (random_.chance(0.3)) tread(h, now);
      unplugged_.push_back({h, now + std::chrono::milliseconds(random_.whole(0, 400))});
      break;
    case 1: hands_.lose(h, now); break;
    case 2: hands_.mute(h, now + std::chrono::milliseconds(random_.whole(1, 200))); break;
    case 3:  // any control, any value
      hands_.put(h, random_.whole(0, static_cast<int>(plan_.handsets[at(h)].controls.size()) - 1),
                 random_.chance(0.5) ? 0 : 1, now);
      break;
    case 4: {
      const Effect words[] = {Effect::ready, Effect::enable, Effect::reset, Effect::stow, Effect::enable};
      const int b = binding(h, words[random_.whole(0, 4)]);
      if (b >= 0) perform(b, now, random_.chance(0.3));
      break;
    }
    case 5: release(h, now); break;
    default: use_something(now, h);
  }
}

void Driver::act(Time now, const Engine& engine) {
  for (const auto& [h, when] : unplugged_)
    if (when <= now) hands_.plug(h, now);
  std::erase_if(unplugged_, [&](const auto& one) { return one.second <= now; });
  play(now);
  if (random_.chance(0.002)) mischief(now);
  if (random_.chance(0.0005)) driver_ = random_.whole(0, static_cast<int>(plan_.handsets.size()) - 1);
  if (!random_.chance(eagerness_)) return;
  const State state = engine.permit(id_at<ZoneId>(random_.whole(0, plan_.zones - 1))).state();
  const auto word = [&](Effect effect, bool keep) {
    if (playing() && !random_.chance(0.02)) return;
    if (random_.chance(0.9)) release(driver_, now);
    const int b = binding(driver_, effect), stop = binding(driver_, Effect::stop);
    // Sometimes a stop comes in the very same tick before it.
    if (stop >= 0 && random_.chance(0.05)) {
      perform(stop, now + 1ms, false);
      later(now + 1ms, 0, plan_.bindings[at(stop)].handset, plan_.bindings[at(stop)].control, 0);
    }
    // Sometimes it is clenched at once.
    const bool clenched = b >= 0 && plan_.bindings[at(b)].squeeze < 1 && random_.chance(0.15);
    if (b >= 0) perform(b, now + 1ms, keep, clenched ? full_raw : 0);
    // And sometimes a stop comes before it is decided.
    if (stop >= 0 && random_.chance(0.05))
      perform(stop, now + std::chrono::milliseconds(random_.whole(50, 200)), false);
  };
  const bool one_key = binding(driver_, Effect::ready_or_stow) >= 0;
  const Effect ready = one_key ? Effect::ready_or_stow : Effect::ready;
  const Effect reset = one_key ? Effect::ready_or_stow : Effect::reset;
  switch (state) {
    case State::stowed: word(random_.chance(0.1) ? Effect::stop : ready, false); break;
    case State::ready: plan_.hold_to_run ? use_something(now, driver_) : word(Effect::enable, true); break;
    case State::tripped: word(random_.chance(0.1) ? Effect::stop : reset, random_.chance(0.1)); break;
    case State::stopping: use_something(now, driver_); break;
    case State::live: {
      const double what = random_.in(0, 1);
      const int enable = binding(driver_, Effect::enable);
      if (what < 0.9) {
        use_something(now, driver_);
      } else if (what < 0.93) {
        const int stop = binding(driver_, random_.chance(0.5) ? Effect::stop : Effect::stow);
        if (stop >= 0) perform(stop, now, random_.chance(0.1));
      } else if (what < 0.96 && enable >= 0) {
        hands_.put(driver_, plan_.bindings[at(enable)].control, 0, now);
      } else if (what < 0.97 && enable >= 0 && plan_.bindings[at(enable)].squeeze < 1) {
        hands_.put(driver_, plan_.bindings[at(enable)].control, full_raw, now);
      } else {
        use_something(now, random_.whole(0, static_cast<int>(plan_.handsets.size()) - 1));
      }
      break;
    }
  }
}

bool Driver::obey(const AxisStatus& why, State state, int handset, Time now) {
  const Obstacle& first = why.before.what != Interlock::none ? why.before : why.blocked;
  // A rig's control by its number, in the plan.
  const auto control_of = [&](SlotId slot) -> std::pair<int, int> {
    const auto h = static_cast<int>(index(rig_.setup.controls[index(slot)].handset));
    for (std::size_t c = 0; c < plan_.handsets[at(h)].controls.size(); ++c)
      if (plan_.handsets[at(h)].controls[c].name == rig_.slots[index(slot)].name) return {h, static_cast<int>(c)};
    return {h, -1};
  };
  const auto say = [&](Effect effect, bool keep) {
    const int b = binding(handset, effect);
    if (b >= 0) perform(b, now + 1ms, keep);
    return b >= 0;
  };
  const auto keep = [&](bool (*holds)(Effect), bool down) {
    const int b = one_that(handset, holds);
    if (b >= 0) perform(b, now + 1ms, down);
    return b >= 0;
  };
  switch (first.what) {
    case Interlock::too_soon: return true;  // once more
    case Interlock::stowed: return keep(makes_ready, false);
    case Interlock::tripped:
      return keep([](Effect e) { return e == Effect::reset || e == Effect::ready_or_stow; }, false);
    case Interlock::tripped_again: {
      const int b = one_that(handset, [](Effect e) { return e == Effect::reset || e == Effect::ready_or_stow; });
      if (b < 0) return false;
      perform(b, now + 1ms, true);
      later(now, 3, handset, plan_.bindings[at(b)].control, 0);
      for (const int other : plan_.bindings[at(b)].with) later(now, 3, handset, other, 0);
      return true;
    }
    case Interlock::not_held: release(handset, now); return keep(is_mover, true);
    case Interlock::not_enabled: release(handset, now); return say(Effect::enable, true);
    case Interlock::stopping:
    case Interlock::turning_round:
    case Interlock::link_silent:
    case Interlock::far_end_fault:
    case Interlock::no_position:
    case Interlock::switch_rests:
    case Interlock::on_too_long:
    case Interlock::has_run:
    case Interlock::brake_holds:
    case Interlock::waits_for_power:
    case Interlock::input_off:
    case Interlock::input_unknown:
    case Interlock::end_switch:
    case Interlock::input_too_low:
    case Interlock::input_too_high:
    case Interlock::switching_on:
    case Interlock::not_homed:
    case Interlock::action_runs:
    case Interlock::action_paused:
    case Interlock::not_standing:
    case Interlock::link_refused:
    case Interlock::state_forbids:
    case Interlock::on_path: return true;  // wait
    case Interlock::handset_gone: hands_.plug(static_cast<int>(index(first.handset)), now); return true;
    case Interlock::handset_silent: return true;
    case Interlock::unreported: {
      const auto [h, c] = control_of(first.slot);
      if (c < 0) return false;
      const Kind kind = plan_.handsets[at(h)].controls[at(c)].kind;
      hands_.put(h, c, hands_.control(h, c).raw == 0 ? (kind == Kind::key ? 1 : 200) : 0, now);
      later(now, 0.02, h, c, kind == Kind::key ? 1 : 200);
      later(now, 0.06, h, c, 0);
      return true;
    }
    case Interlock::not_neutral:
    case Interlock::stop_held:
    case Interlock::squeezed: {
      const auto [h, c] = control_of(first.slot);
      if (c < 0) return false;
      if (hands_.control(h, c).raw == 0) {
        // It is, and that was not heard.
        later(now, 0, h, c, plan_.handsets[at(h)].controls[at(c)].kind == Kind::key ? 1 : 200);
        later(now, 0.04, h, c, 0);
      }
      hands_.put(h, c, 0, now);
      return true;
    }
    case Interlock::another_in_charge:
      if (plan_.hold_to_run) release(handset, now);
      return keep(makes_ready, false);
    case Interlock::none:
    case Interlock::unasked:
    case Interlock::begun_before:
    case Interlock::end_of_travel_low:
    case Interlock::end_of_travel_high:
    case Interlock::too_many_steps:
    case Interlock::switch_off:
    case Interlock::beyond_travel:
    case Interlock::place_unknown:
    case Interlock::switch_not_met:
    case Interlock::not_met: break;
  }
  static_cast<void>(state);
  return false;
}

}  // namespace gyrax::bench
