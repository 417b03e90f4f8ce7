#include "inputs.hpp"

#include "zones.hpp"

#include <gyrax/base/nano.hpp>

#include <utility>

namespace gyrax::detail {
namespace {

/// Which way an axis moves, and is asked to move.
struct Ways {
  bool down = false, up = false;
  void add(double way) noexcept {
    down = down || way < 0;
    up = up || way > 0;
  }
};
Ways ways_of(const EngineParts& e, AxisId id) noexcept {
  const AxisMotion& motion = e.motion.axis(id);
  const Request& request = e.request(id);
  const double p = motion.state().p;
  Ways ways;
  ways.add(motion.state().v);
  if (request.jogging) ways.add(request.jog);
  if (request.following) ways.add(request.position - p);
  if (request.going) ways.add(from_nano(request.goal) - p);
  if (motion.has_goal()) ways.add(from_nano(motion.goal()) - p);
  // A control that has to be let go first asks for the same as before.
  if (request.waiting_for != no<SlotId>) ways.add(e.axis(id).end_way);
  return ways;
}

Obstacle end_on_the_way(const EngineParts& e, const Axis& axis, Ways ways) noexcept {
  for (const auto& [end, towards] : {std::pair{axis.low_end, ways.down}, std::pair{axis.high_end, ways.up}}) {
    if (end == no<InputId> || !towards) continue;
    const InputState state = e.links.input(end, e.now);
    if (state != InputState::off)
      return {.what = state == InputState::on ? Interlock::end_switch : Interlock::input_unknown, .input = end};
  }
  return {};
}

/// A zone that stands on what an input is, and that input is not good.
void stop_for(EngineParts& e, ZoneId zone, const Obstacle& input, Cause cause) noexcept {
  fault(e, zone, cause, input, to_nano(e.links.input_value(input.input)));
}

}  // namespace

Obstacle end_in_the_way(const EngineParts& e, AxisId id) noexcept {
  const Axis& axis = e.axis(id);
  if (axis.low_end == no<InputId> && axis.high_end == no<InputId>) return {};
  return end_on_the_way(e, axis, ways_of(e, id));
}

Obstacle end_towards(const EngineParts& e, AxisId id, double way) noexcept {
  Ways ways;
  ways.add(way);
  return end_on_the_way(e, e.axis(id), ways);
}

void note_end(EngineParts& e, AxisId id) noexcept {
  const Obstacle end = end_in_the_way(e, id);
  Axis& axis = e.axis(id);
  axis.end_way = end.what == Interlock::none ? 0 : end.input == axis.low_end ? -1 : 1;
}

void watch_inputs(EngineParts& e, ZoneId id) noexcept {
  const ZoneSetup& zone = e.zone(id).setup;
  for (const InputId input : zone.needs) {
    const Obstacle lack = lacking_input(e.links, input, e.now);
    if (lack.what == Interlock::input_off) stop_for(e, id, lack, Cause::input_off);
    if (lack.what == Interlock::input_unknown) stop_for(e, id, lack, Cause::input_unknown);
  }
  for (const InputId input : zone.bounded) {
    const InputWatch& watch = e.links.input_watch(input);
    if (e.links.input(input, e.now) == InputState::unknown) {
      stop_for(e, id, {.what = Interlock::input_unknown, .input = input}, Cause::input_unknown);
    } else if (watch.is_too_long_beyond(e.now)) {
      const bool low = watch.beyond() == Beyond::low;
      stop_for(e, id, {.what = low ? Interlock::input_too_low : Interlock::input_too_high, .input = input},
               Cause::input_beyond);
    }
  }
}

}  // namespace gyrax::detail
