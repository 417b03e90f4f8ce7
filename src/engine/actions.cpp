#include "actions.hpp"

#include "holds.hpp"
#include "homing.hpp"
#include "inputs.hpp"
#include "switches.hpp"
#include "zones.hpp"

namespace gyrax::detail {
namespace {

/// What its link stops for an action that is over. Later a following error is one again.
constexpr Span comes_to_rest_within = std::chrono::seconds(2);

void tell_step(EngineParts& e, ActionId id, ActionStep step, Cause cause = Cause::none) noexcept {
  e.tell({.kind = Event::Kind::action,
          .zone = e.actions[index(id)].setup.zone,
          .cause = cause,
          .action = id,
          .number = static_cast<std::int64_t>(step)});
}

void tell_refused(EngineParts& e, ActionId id, const Obstacle& why, bool was_running) noexcept {
  const ZoneId zone = e.actions[index(id)].setup.zone;
  e.tell({.kind = Event::Kind::action_refused,
          .zone = zone,
          .cause = cause_of(e, zone),
          .obstacle = why,
          .action = id,
          .number = was_running ? 1 : 0});
}

void set_light(EngineParts& e, const Action& action, bool on) noexcept {
  if (action.setup.light != no<SwitchId>) turn_light(e, action.setup.light, on);
}

bool is_under_way(const Action& action) noexcept {
  return action.stage == ActionStage::running || action.stage == ActionStage::paused;
}

/// What it moved is Gyrax's again: at once where it `stands`, else once it does.
void give_back(EngineParts& e, const Action& action, bool stands) noexcept {
  for (const AxisId id : action.setup.moves) {
    Axis& axis = e.axis(id);
    axis.coasts = axis.carried && !stands;
    axis.carried = axis.coasts;
    axis.coasts_since = e.now;
  }
}

/// What it blocked is worked out anew.
void look_anew(EngineParts& e, const Action& action) noexcept {
  e.still &= ~bit(action.setup.zone);
  e.held_back = true;
}

/// Its link is told no more of it. `stands`: it is done.
void end(EngineParts& e, ActionId id, bool stands) noexcept {
  Action& action = e.actions[index(id)];
  if (is_under_way(action) && action.setup.link != no<LinkId>)
    e.output.order(action.setup.link, stands ? std::nullopt : std::optional(ActionOrder{id, action.number, true}));
  give_back(e, action, stands);
  if (action.stage == ActionStage::running) end_homing(e, action);
  if (action.stage == ActionStage::prepared) set_light(e, action, false);
  action.stage = ActionStage::idle;
  action.since = e.now;
  look_anew(e, action);
}

void end(EngineParts& e, ActionId id, ActionStep step, Cause cause = Cause::none) noexcept {
  end(e, id, step == ActionStep::done);
  tell_step(e, id, step, cause);
}

/// It cannot go on.
void fail(EngineParts& e, ActionId id, const Obstacle& why) noexcept {
  end(e, id, false);
  tell_refused(e, id, why, true);
}

bool moves_in(const EngineParts& e, const ActionSetup& action, std::size_t group) noexcept {
  for (const auto* list : {&action.moves, &action.homes})
    for (const AxisId axis : *list)
      if (e.axis(axis).group == group) return true;
  return false;
}

bool is_standing(const EngineParts& e, ZoneId zone) noexcept {
  for (const AxisId axis : e.zone(zone).setup.axes) {
    const AxisCommand& command = e.commands[index(axis)];
    const bool rests = e.motion.axis(axis).at_rest() && command.v == 0 && command.a == 0;
    if (!rests || e.motion.axis(axis).has_goal() || e.axis(axis).carried) return false;
  }
  return true;
}

Obstacle blocked_by(const Action& action, ActionId id) noexcept {
  return {.what = action.stage == ActionStage::paused ? Interlock::action_paused : Interlock::action_runs,
          .action = id};
}

/// Another action that cannot be under way beside this one.
Obstacle other_action(const EngineParts& e, ActionId id) noexcept {
  const ActionSetup& wanted = e.actions[index(id)].setup;
  for (std::size_t row = 0; row < e.actions.size(); ++row) {
    const Action& other = e.actions[row];
    if (!is_under_way(other) || (row == index(id) && other.stage == ActionStage::paused)) continue;
    const bool same_link = wanted.link != no<LinkId> && other.setup.link == wanted.link;
    bool same_axes = false;
    for (const auto* list : {&wanted.moves, &wanted.homes})
      for (const AxisId axis : *list) same_axes = same_axes || moves_in(e, other.setup, e.axis(axis).group);
    if (row == index(id) || same_link || same_axes) return blocked_by(other, id_at<ActionId>(row));
  }
  return {};
}

/// What has to be put right before its zone is in a state that allows it.
Obstacle wrong_state(const EngineParts& e, const ActionSetup& action) noexcept {
  const State state = e.zone(action.zone).permit.state();
  if (has(action.when, state)) return {};
  const bool comes_later = (state < State::ready && has(action.when, State::ready)) || has(action.when, State::live);
  const bool is_over = state == State::stopping || (state == State::tripped && has(action.when, State::stowed));
  if (state != State::live && (comes_later || is_over)) return blocking(e, action.zone);
  return {.what = Interlock::state_forbids};
}

Obstacle lacking(const EngineParts& e, const ActionSetup& action) noexcept {
  for (const InputId input : action.needs_inputs)
    if (const Obstacle lack = lacking_input(e.links, input, e.now); lack.what != Interlock::none) return lack;
  for (const SwitchId target : action.needs)
    if (!e.switches[index(target)].on) return {.what = Interlock::switch_off, .target = target};
  for (const AxisId axis : action.needs_homed)
    if (!e.axis(axis).is_homed) return not_homed(e.axis(axis));
  if (action.link != no<LinkId> && !e.links.fresh(action.link, e.now))
    return {.what = Interlock::link_silent, .link = action.link};
  if ((action.standing || !action.moves.empty() || !action.homes.empty()) && !is_standing(e, action.zone))
    return {.what = Interlock::not_standing};
  return {};
}

/// What is in the way of it, whoever asks.
Obstacle in_the_way_of(const EngineParts& e, ActionId id) noexcept {
  const ActionSetup& action = e.actions[index(id)].setup;
  if (e.zone(action.zone).stopped) return {.what = Interlock::stopping};
  if (const Obstacle state = wrong_state(e, action); state.what != Interlock::none) return state;
  if (const Obstacle other = other_action(e, id); other.what != Interlock::none) return other;
  return lacking(e, action);
}

/// One that is not in charge begins nothing for who is.
Obstacle not_in_charge(const EngineParts& e, ZoneId zone, SlotId by) noexcept {
  const HandsetBits in_charge = e.zone(zone).in_charge;
  if (by == no<SlotId> || in_charge == 0 || has(in_charge, e.signal.setup(by).handset)) return {};
  return {.what = Interlock::another_in_charge, .handset = name_in_charge(e, zone)};
}

bool is_confirmed(const EngineParts& e, const Action& action) noexcept {
  if (action.setup.confirm == Span{} || action.stage != ActionStage::idle) return true;
  const std::optional<Time>& last = e.confirmed[action.setup.group];
  return action.setup.covers > Span{} && last && e.now - *last < action.setup.covers;
}

void begin(EngineParts& e, ActionId id) noexcept {
  Action& action = e.actions[index(id)];
  if (action.stage == ActionStage::prepared) {
    e.confirmed[action.setup.group] = e.now;
    set_light(e, action, false);
  }
  action.stage = ActionStage::running;
  action.since = action.turned = e.now;
  action.turn = 0;
  action.number = ++e.orders;
  action.carried_out = action.setup.link == no<LinkId>;
  if (!action.carried_out) e.output.order(action.setup.link, ActionOrder{id, action.number});
  for (const AxisId axis : action.setup.moves) e.axis(axis).carried = true;
  begin_homing(e, action);
  look_anew(e, action);
  tell_step(e, id, ActionStep::begun);
}

/// Its link comes to rest, and keeps what is left of it.
void pause(EngineParts& e, ActionId id) noexcept {
  Action& action = e.actions[index(id)];
  e.output.order(action.setup.link, ActionOrder{id, action.number, false, true});
  give_back(e, action, false);
  action.stage = ActionStage::paused;
  action.since = e.now;
  look_anew(e, action);
  tell_step(e, id, ActionStep::paused, cause_of(e, action.setup.zone));
}

/// Enable was let go, and nothing else was wrong: any other stop ends it.
bool keeps_paused(const EngineParts& e, const Action& action) noexcept {
  const Zone& zone = e.zone(action.setup.zone);
  const State state = zone.permit.state();
  const Cause cause = cause_of(e, action.setup.zone);
  return action.setup.pauses && !zone.stopped && (cause == Cause::none || cause == Cause::enable_released) &&
         (state == State::stopping || state == State::ready || state == State::live);
}

void resume(EngineParts& e, ActionId id) noexcept {
  Action& action = e.actions[index(id)];
  e.output.order(action.setup.link, ActionOrder{id, action.number});
  for (const AxisId axis : action.setup.moves) e.axis(axis).carried = true;
  action.stage = ActionStage::running;
  action.since = e.now;
  look_anew(e, action);
  tell_step(e, id, ActionStep::resumed);
}

/// Turns that are due. A switch that does not turn ends it.
void turn(EngineParts& e, ActionId id) noexcept {
  Action& action = e.actions[index(id)];
  while (action.turn < action.setup.turns.size()) {
    const ActionTurn& next = action.setup.turns[action.turn];
    if (e.now - action.turned < next.after) return;
    take_switch(e, {.kind = Ask::Kind::set,
                    .to = next.on ? SwitchTo::on : SwitchTo::off,
                    .by = no<SlotId>,
                    .target = next.target});
    if (e.switches[index(next.target)].on != next.on)
      return fail(e, id, {.what = Interlock::switch_off, .target = next.target});
    action.turned = e.now;
    ++action.turn;
  }
}

bool is_done(const EngineParts& e, const Action& action) noexcept {
  const InputId until = action.setup.until;
  return action.carried_out && action.turn == action.setup.turns.size() &&
         action.homing.row == action.setup.homes.size() &&
         (until == no<InputId> || e.links.input(until, e.now) == InputState::on);
}

void work(EngineParts& e, ActionId id) noexcept {
  Action& action = e.actions[index(id)];
  if (action.stage == ActionStage::idle) return;
  e.acting = true;
  const Zone& zone = e.zone(action.setup.zone);
  const State state = zone.permit.state();
  const bool pauses = keeps_paused(e, action);
  if (pauses && action.stage == ActionStage::running && state != State::live) pause(e, id);
  if (pauses && action.stage == ActionStage::paused) {
    if (is_done(e, action)) end(e, id, ActionStep::done);
    return;
  }
  // A stop ends it also where it changes no state.
  if (zone.stopped || !has(action.setup.when, state)) {
    const bool runs = is_under_way(action);
    const Cause stop = cause_of(e, action.setup.zone);
    return end(e, id, runs ? ActionStep::stopped : ActionStep::lapsed,
               stop == Cause::none && zone.stopped ? Cause::stop_key : stop);
  }
  if (action.stage == ActionStage::prepared) {
    if (e.now - action.since > action.setup.confirm) end(e, id, ActionStep::lapsed);
    return;
  }
  // What it needs, it needs to the end.
  for (const InputId input : action.setup.needs_inputs)
    if (const Obstacle lack = lacking_input(e.links, input, e.now); lack.what != Interlock::none)
      return fail(e, id, lack);
  if (e.now - action.since > action.setup.limit) return end(e, id, ActionStep::timed_out);
  turn(e, id);
  if (action.stage != ActionStage::running) return;
  if (const Obstacle why = work_homing(e, action); why.what != Interlock::none) return fail(e, id, why);
  if (is_done(e, action)) end(e, id, ActionStep::done);
}

}  // namespace

void refuse_action(EngineParts& e, ActionId id, const Obstacle& why) noexcept { tell_refused(e, id, why, false); }

void take_action(EngineParts& e, ActionId id, SlotId by) noexcept {
  if (index(id) >= e.actions.size()) return;
  Action& action = e.actions[index(id)];
  Obstacle why = not_in_charge(e, action.setup.zone, by);
  if (why.what == Interlock::none) why = in_the_way_of(e, id);
  if (why.what != Interlock::none) return refuse_action(e, id, why);
  e.acting = true;
  if (action.stage == ActionStage::paused) return resume(e, id);
  if (is_confirmed(e, action)) return begin(e, id);
  action.stage = ActionStage::prepared;
  action.since = e.now;
  set_light(e, action, true);
  tell_step(e, id, ActionStep::prepared);
}

void take_typed(EngineParts& e, std::span<const ActionId> typed) noexcept {
  for (const ActionId id : typed) take_action(e, id, no<SlotId>);
}

void take_results(EngineParts& e, const LinkReport& report) noexcept {
  for (const ActionReport& result : report.actions) {
    if (index(result.action) >= e.actions.size()) continue;
    Action& action = e.actions[index(result.action)];
    if (!is_under_way(action) || action.setup.link != report.link || action.number != result.number) continue;
    if (result.result == ActionReport::Result::done) {
      action.carried_out = true;
      continue;
    }
    if (result.result == ActionReport::Result::timed_out) {
      end(e, result.action, ActionStep::timed_out);
    } else {
      fail(e, result.action, {.what = Interlock::link_refused, .link = report.link});
    }
  }
}

void work_actions(EngineParts& e) noexcept {
  if (!e.acting) return;
  e.acting = false;
  carry(e);
  for (std::size_t row = 0; row < e.actions.size(); ++row) work(e, id_at<ActionId>(row));
}

void carry(EngineParts& e) noexcept {
  for (std::size_t a = 0; a < e.axes.size(); ++a) {
    const AxisId id = id_at<AxisId>(a);
    const AxisReport& report = e.links.measured(id);
    Axis& axis = e.axes[a];
    if (!axis.carried) continue;
    e.acting = true;
    e.still &= ~bit(axis.zone);
    if (!report.measured) continue;
    if (report.position != e.motion.axis(id).state().p || !e.motion.axis(id).at_rest())
      e.motion.restart(id, report.position);
    e.motion.keep(id);
    e.envelope.restart(id, e.motion.axis(id).state().p);
    const bool rests =
        report.speed == 0 && e.links.measured_at(axis.link) > axis.coasts_since && !e.links.waits(axis.link);
    if (!axis.coasts || (!rests && e.now - axis.coasts_since < comes_to_rest_within)) continue;
    axis.carried = axis.coasts = false;
    e.held_back = true;
  }
}

Obstacle carried_by(const EngineParts& e, std::size_t group) noexcept {
  if (!e.acting) return {};
  for (std::size_t row = 0; row < e.actions.size(); ++row)
    if (is_under_way(e.actions[row]) && moves_in(e, e.actions[row].setup, group))
      return blocked_by(e.actions[row], id_at<ActionId>(row));
  for (const AxisId axis : e.motion.groups()[group].axes)
    if (e.axis(axis).carried) return {.what = Interlock::not_standing};
  return {};
}

}  // namespace gyrax::detail
