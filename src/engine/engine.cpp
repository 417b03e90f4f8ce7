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
  own.max_tick = setup.max_tick;
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
  const MotionLimits& full = a.limits.full();
  return {a.limits.low(), a.limits.high(), full.speed, full.accel, full.jerk, full.decel, full.decel_jerk};
}
LinkId measured_by(const AxisSetup& a) { return a.position == PositionKind::measured ? a.wiring.link : no<LinkId>; }
ZoneId zone_of(const AxisSetup& a) { return a.zone; }

std::vector<ZoneId> zones(const std::vector<SwitchSetup>& switches) {
  std::vector<ZoneId> values;
  values.reserve(switches.size());
  for (const SwitchSetup& s : switches) values.push_back(s.zone);
  return values;
}

std::vector<std::size_t> groups_of(const Setup& setup) {
  std::vector<std::size_t> values(setup.axes.size());
  for (std::size_t g = 0; g < setup.groups.size(); ++g)
    for (const AxisId axis : setup.groups[g].axes) values[index(axis)] = g;
  return values;
}

std::vector<std::vector<SwitchId>> needs(const Setup& setup) {
  std::vector<std::vector<SwitchId>> values(setup.groups.size());
  for (std::size_t g = 0; g < setup.groups.size(); ++g)
    for (const AxisId axis : setup.groups[g].axes)
      values[g].insert(values[g].end(), setup.axes[index(axis)].needs.begin(), setup.axes[index(axis)].needs.end());
  return values;
}

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
      bind_({setup.bindings, setup.layers, setup.notches, setup.gestures, column(setup.axes, zone_of), zones(setup.switches)},
            setup.controls.size()),
      links_(setup.links, column(setup.axes, wiring_of)),
      permits_(permits(setup.zones)),
      motion_(column(setup.axes, limits_of), setup.groups),
      envelope_(column(setup.axes, bounds_of)),
      output_(setup.links, column(setup.axes, wiring_of), column(setup.axes, servo_of), column(setup.axes, motor_of),
              wiring(setup.switches)),
      requests_(setup.axes.size()),
      measured_by_(column(setup.axes, measured_by)),
      group_of_(groups_of(setup)),
      needs_(needs(setup)),
      overrides_(setup.axes.size(), 1),
      taken_up_(setup.axes.size()),
      switches_(setup.switches.size()),
      wheel_told_(setup.axes.size(), Time{-Span{std::chrono::hours(1)}}),
      since_(setup.zones.size()),
      stopped_(setup.zones.size()),
      charges_(setup.zones.size()),
      holds_(setup.axes.size()) {
  for (std::size_t i = 0; i < switches_.size(); ++i) switches_[i] = setup.switches[i].start_on ? 1 : 0;
  keep_overrides();
}

void Engine::tick(const TickInput& in, TickOutput& out) noexcept {
  events_ = &out.events;
  keep_time(in.now);
  take_reports(in);
  if (in.end) take_end();
  take_readings(in);
  watch();
  plan();
  command(out);
  out.frames = output_.frames(out.commands, switches_, now_);
  explain(out);
  settle(out);
}

void Engine::keep_time(Time now) noexcept {
  const Span passed = started_ ? now - now_ : Span{0};
  told_at_ = now_;
  now_ = now;
  started_ = true;
  dt_s_ = passed > Span{0} ? to_seconds(passed < setup_.max_tick ? passed : setup_.max_tick) : 0;
  for (std::size_t z = 0; z < permits_.size(); ++z) {
    stopped_[z] = 0;
    if (passed < Span{0}) fault(id_at<ZoneId>(z), Cause::clock_backwards);
    if (passed > setup_.max_tick) fault(id_at<ZoneId>(z), Cause::tick_late);
  }
}

void Engine::take_reports(const TickInput& in) noexcept {
  for (const LinkReport& report : in.reports) {
    const Cause wrong = links_.accept(report, now_);
    for (std::size_t z = 0; wrong != Cause::none && z < permits_.size(); ++z)
      if (depends(id_at<ZoneId>(z), report.link)) fault(id_at<ZoneId>(z), wrong);
    if (wrong == Cause::none) compare(report);
  }
}

/// Holds a report against what its axes were told. Judged when a report comes: silence is another watchdog's.
void Engine::compare(const LinkReport& report) noexcept {
  for (std::size_t a = 0; a < setup_.axes.size(); ++a) {
    const AxisSetup& axis = setup_.axes[a];
    if (axis.wiring.link != report.link || axis.position != PositionKind::measured || !powered(id_at<AxisId>(a))) continue;
    const AxisReport& measured = links_.measured(id_at<AxisId>(a));
    const AxisState& told = motion_.axis(id_at<AxisId>(a)).state();
    // The motion is the last tick's; the report is older than that or newer.
    const double then = told.p - told.v * to_seconds(told_at_ - report.measured);
    const double off = measured.position - then;
    if (!measured.measured || !(off <= axis.following_error && off >= -axis.following_error)) fault(axis.zone, Cause::following_error);
  }
}

void Engine::watch() noexcept {
  for (std::size_t z = 0; z < permits_.size(); ++z) {
    const State state = permits_[z].state();
    if ((state == State::stowed || state == State::tripped) && !permits_[z].powered()) continue;
    // All of them: the hardest category counts, whatever was lost first.
    for (const HandsetId handset : setup_.zones[z].handsets) {
      if (!has(counted_on(id_at<ZoneId>(z)), handset)) continue;
      const HandsetHealth health = signal_.health(handset, now_);
      if (health == HandsetHealth::absent) fault(id_at<ZoneId>(z), Cause::handset_gone);
      if (health == HandsetHealth::silent) fault(id_at<ZoneId>(z), Cause::handset_silent);
    }
    for (const LinkId link : setup_.zones[z].links)
      if (!links_.fresh(link, now_)) fault(id_at<ZoneId>(z), Cause::link_silent);
    // Live stands on an enable that is held, and on nothing else.
    if (permits_[z].live() && !bind_.enabling(id_at<ZoneId>(z), signal_))
      apply(id_at<ZoneId>(z), PermitEvent::release, Cause::enable_released);
  }
}

void Engine::keep_overrides() noexcept {
  for (std::size_t a = 0; a < overrides_.size(); ++a) overrides_[a] = bind_.numbers().speed_override(id_at<CoordinateId>(a));
}

Scale Engine::scale(const GroupSetup& group) const noexcept {
  Scale scale{.path_speed = group.path_speed, .own = overrides_};
  if (!bind_.reduced()) return scale;
  scale.speed = setup_.notches.reduced.speed;
  scale.accel = setup_.notches.reduced.accel;
  if (group.reduced_speed < scale.path_speed) scale.path_speed = group.reduced_speed;
  return scale;
}

/// A switch that an axis of the group needs and that is off. They move together: what one needs, all need.
Obstacle Engine::lack(std::size_t group) const noexcept {
  for (const SwitchId target : needs_[group])
    if (switches_[index(target)] == 0) return {.what = Interlock::switch_off, .target = target};
  return {};
}

/// Whether a followed control that had to be met is where the axis stands, or has passed it.
bool Engine::has_met(AxisId axis) noexcept {
  const Request& request = requests_[index(axis)];
  const double off = request.position - motion_.axis(axis).state().p, near = request.catch_up * 0.01;
  int& side = holds_[index(axis)].side;
  const int now = off > near ? 1 : off < -near ? -1 : 0;
  const bool met = now == 0 || (side != 0 && now != side);
  side = met ? 0 : now;
  return met;
}

/// Whether a group lacks a switch that it needs. What is asked meanwhile has to be let go before it counts, and a control that is
/// followed has to be brought to where its axis stands.
bool Engine::lacks(std::size_t group, bool live) noexcept {
  if (needs_[group].empty()) return false;
  const Obstacle off = lack(group);
  const bool lacking = off.what != Interlock::none;
  const std::vector<AxisId>& axes = motion_.groups()[group].axes;
  if (live && lacking) bind_.end_moves(axes, signal_);
  for (const AxisId axis : axes) {
    Hold& hold = holds_[index(axis)];
    Request& request = requests_[index(axis)];
    const bool told = request.following && hold.lapsed;
    if (live && lacking && request.moving() && !told) refuse_move(axis, request.by, off);
    hold.lapsed = live && request.following && (lacking || (hold.lapsed && !has_met(axis)));
    hold.why = off;
    if (!hold.lapsed) hold.side = 0;
    if (hold.lapsed && !lacking) hold.why = {.what = Interlock::not_met, .handset = signal_.setup(request.by).handset, .slot = request.by};
    if (hold.lapsed) request.following = false;
    if (lacking) request.jogging = request.going = request.posing = false;
    if ((hold.lapsed || lacking) && request.by != no<SlotId> && !request.moving()) request.waiting_for = request.by;
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
  hold.why = hold.why.what == Interlock::turning_round ? Obstacle{} : hold.why;
  // It has no place to go to.
  request.going = request.following = request.posing = false;
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

void Engine::refuse_move(AxisId axis, SlotId by, const Obstacle& why) noexcept {
  const ZoneId zone = setup_.axes[index(axis)].zone;
  events_->write(
      {.at = now_, .kind = Event::Kind::move_refused, .zone = zone, .cause = tripped_of(zone), .obstacle = why, .axis = axis, .by = by});
}

void Engine::plan() noexcept {
  bind_.requests(signal_, now_, requests_);
  for (std::size_t g = 0; g < motion_.groups().size(); ++g) {
    const bool live = permits_[index(motion_.groups()[g].zone)].live();
    const bool lacking = lacks(g, live);
    for (const AxisId axis : motion_.groups()[g].axes) turn_round(axis);
    if (live && !lacking) {
      motion_.ask(g, requests_, scale(motion_.groups()[g]));
    } else if (permits_[index(motion_.groups()[g].zone)].powered()) {
      motion_.stop(g);
    } else {
      motion_.halt(g);
    }
    motion_.advance(g, dt_s_);
  }
  tell_dropped();
}

void Engine::command(TickOutput& out) noexcept {
  for (std::size_t a = 0; a < setup_.axes.size(); ++a) {
    const AxisSetup& axis = setup_.axes[a];
    const Permit& permit = permits_[index(axis.zone)];
    const bool may_move = permit.powered() && (permit.live() || permit.stopping());
    AxisMotion& motion = motion_.axis(id_at<AxisId>(a));
    AxisCommand& command = out.commands[a];
    const AxisState& state = motion.state();
    const Mode mode = !permit.powered() ? Mode::off : may_move ? Mode::follow : Mode::stand;
    command = {mode, state.p, state.v, state.a, now_ + setup_.links[index(axis.wiring.link)].frame_valid_for};
    if (mode == Mode::off) motion.keep();
    const Verdict verdict = envelope_.check(id_at<AxisId>(a), may_move, command, dt_s_);
    if (envelope_.refusing(id_at<AxisId>(a))) motion.restart(command.p);
    if (verdict == Verdict::refused) fault(axis.zone, Cause::envelope_refused);
  }
  for (std::size_t i = 0; i < switches_.size(); ++i) out.switches[i] = switches_[i];
}

void Engine::settle(const TickOutput& out) noexcept {
  for (std::size_t z = 0; z < permits_.size(); ++z) {
    if (!permits_[z].stopping()) continue;
    bool rest = true;
    for (const AxisId axis : setup_.zones[z].axes) rest = rest && out.commands[index(axis)].v == 0 && out.commands[index(axis)].a == 0;
    if (rest) apply(id_at<ZoneId>(z), PermitEvent::rest, Cause::none);
  }
}

void Engine::explain(TickOutput& out) const noexcept {
  for (std::size_t z = 0; z < permits_.size(); ++z) {
    const Permit& permit = permits_[z];
    AxisStatus status;
    status.blocked = blocking(id_at<ZoneId>(z));
    status.cause = tripped_of(id_at<ZoneId>(z));
    if (!permit.live()) status.before = obstacle(id_at<ZoneId>(z));
    for (const AxisId axis : setup_.zones[z].axes) {
      const Request& request = requests_[index(axis)];
      AxisStatus& why = out.why[index(axis)];
      // Field by field: copying what was written in pieces just now would wait for those pieces.
      why.asked = request.asked() || motion_.axis(axis).has_goal();
      why.cause = status.cause;
      why.before = status.before;
      why.blocked = permit.live() ? blocking_live(axis) : status.blocked;
    }
  }
}

/// What the zone stops for, or has tripped of.
Cause Engine::tripped_of(ZoneId zone) const noexcept {
  const Permit& permit = permits_[index(zone)];
  return permit.stopping() || permit.state() == State::tripped ? permit.cause() : Cause::none;
}

Obstacle Engine::blocking(ZoneId zone) const noexcept {
  switch (permits_[index(zone)].state()) {
    case State::stowed: return {.what = Interlock::stowed};
    case State::ready: return {.what = Interlock::not_enabled};
    case State::stopping: return {.what = Interlock::stopping};
    case State::tripped: return {.what = Interlock::tripped};
    case State::live: break;
  }
  return {};
}

Obstacle Engine::blocking_live(AxisId axis) const noexcept {
  const Request& request = requests_[index(axis)];
  const AxisMotion& motion = motion_.axis(axis);
  if (motion.blocked_low()) return {.what = Interlock::end_of_travel_low};
  if (motion.blocked_high()) return {.what = Interlock::end_of_travel_high};
  if (!motion.at_rest()) return {};
  if (request.asked() && holds_[index(axis)].why.what != Interlock::none) return holds_[index(axis)].why;
  if (request.asked() && !request.posing && motion_.on_path(group_of_[index(axis)])) return {.what = Interlock::on_path};
  if (request.waiting_for != no<SlotId>) {
    const SlotId slot = request.waiting_for;
    return {.what = Interlock::not_neutral, .handset = signal_.setup(slot).handset, .slot = slot};
  }
  return request.asked() || motion.has_goal() ? Obstacle{} : Obstacle{.what = Interlock::unasked};
}

bool Engine::powered(AxisId axis) const noexcept { return permits_[index(setup_.axes[index(axis)].zone)].powered(); }

Obstacle Engine::obstacle(ZoneId zone) const noexcept {
  if (charges_[index(zone)].in_charge != 0)
    return first_obstacle(setup_.zones[index(zone)], counted_on(zone), in_charge(zone), measured_by_, signal_, links_, now_);
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
  return first_obstacle(setup_.zones[index(zone)], station, station, measured_by_, signal_, links_, now_);
}

}  // namespace gyrax
