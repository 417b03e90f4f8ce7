#include <gyrax/engine/engine.hpp>

namespace gyrax {
namespace {

template <class Field>
auto column(const std::vector<AxisSetup>& axes, Field field) {
  std::vector<decltype(field(axes.front()))> values;
  values.reserve(axes.size());
  for (const AxisSetup& axis : axes) values.push_back(field(axis));
  return values;
}

std::vector<Wiring> wiring(const std::vector<SwitchSetup>& switches) {
  std::vector<Wiring> values;
  values.reserve(switches.size());
  for (const SwitchSetup& s : switches) values.push_back(s.wiring);
  return values;
}

/// What the engine itself looks at; the rest it has handed on, and memory is dear on a microcontroller.
Setup own_part(const Setup& setup) {
  Setup own;
  own.longest_tick = setup.longest_tick;
  own.stations = setup.stations;
  own.notches.reduced = setup.notches.reduced;
  own.zones = setup.zones;
  own.axes = setup.axes;
  own.links = setup.links;
  own.switches = setup.switches;
  return own;
}

std::vector<Permit> permits(const std::vector<ZoneSetup>& zones) {
  std::vector<Permit> values;
  values.reserve(zones.size());
  for (const ZoneSetup& zone : zones) values.emplace_back(zone.categories);
  return values;
}

Wiring wiring_of(const AxisSetup& a) { return a.wiring; }
AxisLimits limits_of(const AxisSetup& a) { return a.limits; }
std::optional<ServoMap> servo_of(const AxisSetup& a) { return a.servo; }
std::optional<MotorMap> motor_of(const AxisSetup& a) { return a.motor; }
Bounds bounds_of(const AxisSetup& a) {
  const Pace& full = a.limits.full();
  return {a.limits.low(), a.limits.high(), full.speed, full.accel, full.jerk, full.brake_accel, full.brake_jerk};
}
std::uint8_t is_measured(const AxisSetup& a) { return a.position == PositionKind::measured ? 1 : 0; }

ZoneId zone_at(std::size_t row) { return ZoneId{static_cast<std::uint16_t>(row)}; }
AxisId axis_at(std::size_t row) { return AxisId{static_cast<std::uint16_t>(row)}; }

}  // namespace

TickBuffers::TickBuffers(const Setup& setup, std::size_t capacity)
    : commands(setup.axes.size()),
      why(setup.axes.size()),
      switches(setup.switches.size()),
      events(capacity),
      view_{commands, why, switches, frames, events} {}

Engine::Engine(const Setup& setup)
    : setup_(own_part(setup)),
      signal_(setup.handsets, setup.controls),
      bind_({setup.bindings, setup.layers, setup.notches, setup.gestures}, setup.controls.size()),
      links_(setup.links, column(setup.axes, wiring_of)),
      permits_(permits(setup.zones)),
      motion_(column(setup.axes, limits_of), setup.groups),
      envelope_(column(setup.axes, bounds_of)),
      output_(setup.links, column(setup.axes, wiring_of), column(setup.axes, servo_of), column(setup.axes, motor_of),
              wiring(setup.switches)),
      requests_(setup.axes.size()),
      must_be_measured_(column(setup.axes, is_measured)),
      taken_up_(setup.axes.size()),
      switches_(setup.switches.size()),
      wheel_told_(setup.axes.size(), Time{-Span{std::chrono::hours(1)}}),
      stopped_(setup.zones.size()),
      charges_(setup.zones.size()),
      holds_(setup.axes.size()) {
  for (std::size_t i = 0; i < switches_.size(); ++i) switches_[i] = setup.switches[i].start_on ? 1 : 0;
}

void Engine::tick(const TickInput& in, TickOutput& out) noexcept {
  keep_time(in.now, out.events);
  take_reports(in, out.events);
  if (in.end) take_end(out.events);
  take_readings(in, out.events);
  watch(out.events);
  plan(out.events);
  command(out.events, out);
  out.frames = output_.frames(out.commands, switches_, now_);
  explain(out);
  settle(out.events, out);
}

void Engine::keep_time(Time now, EventRing& events) noexcept {
  const Span passed = started_ ? now - now_ : Span{0};
  told_at_ = now_;
  now_ = now;
  started_ = true;
  dt_s_ = passed > Span{0} ? to_seconds(passed < setup_.longest_tick ? passed : setup_.longest_tick) : 0;
  for (std::size_t z = 0; z < permits_.size(); ++z) {
    stopped_[z] = 0;
    if (passed < Span{0}) fault(zone_at(z), Cause::clock_backwards, events);
    if (passed > setup_.longest_tick) fault(zone_at(z), Cause::tick_late, events);
  }
}

void Engine::take_reports(const TickInput& in, EventRing& events) noexcept {
  for (const LinkReport& report : in.reports) {
    const Cause wrong = links_.accept(report, now_);
    for (std::size_t z = 0; wrong != Cause::none && z < permits_.size(); ++z)
      if (depends(zone_at(z), report.link)) fault(zone_at(z), wrong, events);
    if (wrong == Cause::none) compare(report, events);
  }
}

/// Holds a report against what its axes were told. Judged when a report comes: silence is another watchdog's.
void Engine::compare(const LinkReport& report, EventRing& events) noexcept {
  for (std::size_t a = 0; a < setup_.axes.size(); ++a) {
    const AxisSetup& axis = setup_.axes[a];
    if (axis.wiring.link != report.link || axis.position != PositionKind::measured || !powered(axis_at(a))) continue;
    const AxisReport& measured = links_.measured(axis_at(a));
    const AxisState& told = motion_.axis(axis_at(a)).state();
    // The motion is the last tick's; the report is older than that or newer.
    const double then = told.p - told.v * to_seconds(told_at_ - report.measured);
    const double off = measured.position - then;
    if (!measured.measured || !(off <= axis.deviation && off >= -axis.deviation)) fault(axis.zone, Cause::axis_deviates, events);
  }
}

void Engine::watch(EventRing& events) noexcept {
  for (std::size_t z = 0; z < permits_.size(); ++z) {
    const State state = permits_[z].state();
    if (state == State::stowed || state == State::tripped) continue;
    const Interlock loss = first_loss(setup_.zones[z], counted_on(zone_at(z)), signal_, links_, now_).what;
    if (loss == Interlock::handset_gone) fault(zone_at(z), Cause::handset_gone, events);
    if (loss == Interlock::handset_silent) fault(zone_at(z), Cause::handset_silent, events);
    if (loss == Interlock::link_silent) fault(zone_at(z), Cause::link_silent, events);
  }
}

Scale Engine::scale(const GroupSetup& group) const noexcept {
  const CoordinateId first{static_cast<std::uint16_t>(index(group.axes.front()))};
  Scale scale{.speed = bind_.numbers().rate(first), .path_speed = group.path_speed};
  if (!bind_.reduced()) return scale;
  scale.speed *= setup_.notches.reduced.speed;
  scale.accel = setup_.notches.reduced.accel;
  if (group.reduced_speed < scale.path_speed) scale.path_speed = group.reduced_speed;
  return scale;
}

/// Whether an axis of a group lacks a switch that it needs. What it was asked meanwhile has to be let go before it counts.
bool Engine::lacks(const GroupSetup& group, bool live, EventRing& events) noexcept {
  bool lacking = false;
  for (const AxisId axis : group.axes) {
    Hold& hold = holds_[index(axis)];
    hold.why = {};
    if (setup_.axes[index(axis)].needs.empty()) continue;
    Request& request = requests_[index(axis)];
    Obstacle why;
    for (const SwitchId target : setup_.axes[index(axis)].needs)
      if (switches_[index(target)] == 0) why = {.what = Interlock::switch_off, .target = target};
    const bool lacks_now = why.what != Interlock::none;
    if (live && lacks_now && request.moving() && !hold.lapsed) refuse_move(axis, request.by, why, events);
    hold.lapsed = request.moving() && (hold.lapsed || lacks_now);
    if (!lacks_now && hold.lapsed) why = {.what = Interlock::not_neutral, .handset = signal_.setup(request.by).handset, .slot = request.by};
    hold.why = why;
    if (hold.lapsed) request = Request{.by = request.by, .waiting_for = request.by};
    lacking = lacking || lacks_now;
  }
  return lacking;
}

/// A motor comes to rest, and stays there for its time, before it turns the other way.
void Engine::turn_round(AxisId axis) noexcept {
  const AxisSetup& setup = setup_.axes[index(axis)];
  if (!setup.motor) return;
  Hold& hold = holds_[index(axis)];
  Request& request = requests_[index(axis)];
  const AxisMotion& motion = motion_.axis(axis);
  if (!motion.at_rest()) {
    hold.rests_since = now_;
    hold.direction = motion.state().v < 0 ? -1 : motion.state().v > 0 ? 1 : hold.direction;
  }
  const int asked = request.jog > 0 ? 1 : request.jog < 0 ? -1 : 0;
  if (asked == 0 || hold.direction == 0 || asked == hold.direction) return;
  if (motion.at_rest() && now_ - hold.rests_since >= setup.rest) return;
  request.jog = 0;
  hold.why = {.what = Interlock::turning_round};
}

void Engine::refuse_move(AxisId axis, SlotId by, const Obstacle& why, EventRing& events) noexcept {
  const ZoneId zone = setup_.axes[index(axis)].zone;
  events.write(
      {.at = now_, .kind = Event::Kind::move_refused, .zone = zone, .cause = tripped_of(zone), .obstacle = why, .axis = axis, .by = by});
}

void Engine::plan(EventRing& events) noexcept {
  bind_.requests(signal_, now_, requests_);
  for (std::size_t g = 0; g < motion_.groups().size(); ++g) {
    const bool live = permits_[index(motion_.groups()[g].zone)].live();
    const bool lacking = lacks(motion_.groups()[g], live, events);
    for (const AxisId axis : motion_.groups()[g].axes) turn_round(axis);
    if (live && !lacking) {
      motion_.ask(g, requests_, scale(motion_.groups()[g]));
    } else {
      motion_.stop(g);
    }
    motion_.advance(g, dt_s_);
  }
}

void Engine::command(EventRing& events, TickOutput& out) noexcept {
  for (std::size_t a = 0; a < setup_.axes.size(); ++a) {
    const AxisSetup& axis = setup_.axes[a];
    const Permit& permit = permits_[index(axis.zone)];
    const bool may_move = permit.powered() && (permit.live() || permit.stopping());
    AxisMotion& motion = motion_.axis(axis_at(a));
    AxisCommand& command = out.commands[a];
    const AxisState& state = motion.state();
    const Mode mode = !permit.powered() ? Mode::off : may_move ? Mode::follow : Mode::hold;
    command = {mode, state.p, state.v, state.a, now_ + setup_.links[index(axis.wiring.link)].frame_valid_for};
    if (mode == Mode::off) motion.keep();
    const Verdict verdict = envelope_.check(axis_at(a), may_move, command, dt_s_);
    if (envelope_.refusing(axis_at(a))) motion.restart(command.p);
    if (verdict == Verdict::refused) fault(axis.zone, Cause::envelope_refused, events);
  }
  for (std::size_t i = 0; i < switches_.size(); ++i) out.switches[i] = switches_[i];
}

void Engine::settle(EventRing& events, const TickOutput& out) noexcept {
  for (std::size_t z = 0; z < permits_.size(); ++z) {
    if (!permits_[z].stopping()) continue;
    bool rest = true;
    for (const AxisId axis : setup_.zones[z].axes) rest = rest && out.commands[index(axis)].v == 0 && out.commands[index(axis)].a == 0;
    if (rest) apply(zone_at(z), PermitEvent::rest, Cause::none, events);
  }
}

void Engine::explain(TickOutput& out) const noexcept {
  for (std::size_t z = 0; z < permits_.size(); ++z) {
    const Permit& permit = permits_[z];
    AxisStatus status;
    status.held = holding(zone_at(z));
    status.cause = tripped_of(zone_at(z));
    if (!permit.live()) status.before = obstacle(zone_at(z));
    for (const AxisId axis : setup_.zones[z].axes) {
      const Request& request = requests_[index(axis)];
      AxisStatus& why = out.why[index(axis)];
      // Field by field: copying what was written in pieces just now would wait for those pieces.
      why.asked = request.asked() || motion_.axis(axis).has_goal();
      why.cause = status.cause;
      why.before = status.before;
      why.held = permit.live() ? holding_live(axis) : status.held;
    }
  }
}

/// What the zone stops for, or has tripped of.
Cause Engine::tripped_of(ZoneId zone) const noexcept {
  const Permit& permit = permits_[index(zone)];
  return permit.stopping() || permit.state() == State::tripped ? permit.cause() : Cause::none;
}

Obstacle Engine::holding(ZoneId zone) const noexcept {
  switch (permits_[index(zone)].state()) {
    case State::stowed: return {.what = Interlock::stowed};
    case State::ready: return {.what = Interlock::not_enabled};
    case State::stopping: return {.what = Interlock::stopping};
    case State::tripped: return {.what = Interlock::tripped};
    case State::live: break;
  }
  return {};
}

Obstacle Engine::holding_live(AxisId axis) const noexcept {
  const Request& request = requests_[index(axis)];
  const AxisMotion& motion = motion_.axis(axis);
  if (motion.blocked_low()) return {.what = Interlock::end_of_travel_low};
  if (motion.blocked_high()) return {.what = Interlock::end_of_travel_high};
  if (!motion.at_rest()) return {};
  if (request.asked() && holds_[index(axis)].why.what != Interlock::none) return holds_[index(axis)].why;
  if (request.waiting_for != no<SlotId>) {
    const SlotId slot = request.waiting_for;
    return {.what = Interlock::not_neutral, .handset = signal_.setup(slot).handset, .slot = slot};
  }
  return request.asked() || motion.has_goal() ? Obstacle{} : Obstacle{.what = Interlock::unasked};
}

bool Engine::powered(AxisId axis) const noexcept { return permits_[index(setup_.axes[index(axis)].zone)].powered(); }

Obstacle Engine::obstacle(ZoneId zone) const noexcept {
  if (charges_[index(zone)].in_charge != 0)
    return first_obstacle(setup_.zones[index(zone)], counted_on(zone), in_charge(zone), must_be_measured_, signal_, links_, now_);
  // Nobody is in charge: anybody who could be will do.
  Obstacle first;
  for (const HandsetId handset : setup_.zones[index(zone)].handsets) {
    const Obstacle one = obstacle(zone, handset);
    if (one.what == Interlock::none) return one;
    if (first.what == Interlock::none) first = one;
  }
  return first;
}

Obstacle Engine::obstacle(ZoneId zone, HandsetId would_be_in_charge) const noexcept {
  const HandsetBits station = station_of(would_be_in_charge);
  return first_obstacle(setup_.zones[index(zone)], station, station, must_be_measured_, signal_, links_, now_);
}

}  // namespace gyrax
