#include <gyrax/live/runner.hpp>

namespace gyrax {
namespace {

constexpr std::size_t max_events = 256;
constexpr Span between_signs = std::chrono::milliseconds(400);

/// Something that the loop was told, and since when.
struct Told {
  bool told = false;
  Time since{};
  void hear(bool now_told, Time now) noexcept {
    if (now_told && !told) since = now;
    told = now_told;
  }
};

RunView sized(const Rig& rig) {
  RunView view;
  view.axes.resize(rig.axes.size());
  view.zones.resize(rig.zones.size());
  view.samples.resize(rig.slots.size());
  view.switches.resize(rig.switches.size());
  view.inputs.resize(rig.inputs.size());
  view.handsets.assign(rig.handsets.size(), HandsetHealth::absent);
  view.readings_lost.resize(rig.handsets.size());
  view.increments.resize(rig.axes.size());
  view.overrides.resize(rig.setup.notches.overrides.size());
  view.layers.resize(rig.layers.size());
  view.actions.resize(rig.actions.size());
  view.zeros.resize(rig.axes.size());
  view.homed.resize(rig.axes.size());
  return view;
}

}  // namespace

Runner::Runner(const Rig& rig, Hands& hands, Machines& machines, const BootClock& clock)
    : Runner(rig, hands, machines, clock, Options{}) {}

Runner::Runner(const Rig& rig, Hands& hands, Machines& machines, const BootClock& clock, const Options& options)
    : rig_(rig),
      hands_(hands),
      machines_(machines),
      options_(options),
      clock_(clock),
      engine_(rig.setup),
      out_(rig.setup, max_events),
      blocked_(rig.axes.size()),
      tripped_(rig.zones.size()),
      now_(sized(rig)),
      view_(now_) {
  readings_.reserve(options.max_readings);
  events_.reserve(max_events);
  typed_now_.reserve(typed_.capacity());
}

/// Readings in order; a calibration goes before the readings after it, so it ends the list of this tick.
void Runner::take_items(Time now) noexcept {
  readings_.clear();
  HandsetItem item;
  while (readings_.size() < options_.max_readings) {
    if (kept_) {
      item = *kept_;
      kept_.reset();
    } else if (!hands_.next(item, now)) {
      return;
    }
    if (item.kind == HandsetItem::Kind::reading) {
      readings_.push_back(item.reading);
      continue;
    }
    if (!readings_.empty()) {
      kept_ = item;
      return;
    }
    if (item.kind == HandsetItem::Kind::seated) {
      if (options_.log != nullptr) options_.log->seated(item.reading.handset, item.number);
    } else if (engine_.calibrate(item.slot, item.calibration) && options_.log != nullptr) {
      options_.log->calibrate(item.slot, item.calibration);
    }
  }
}

/// Tells the hands, who look at the machine and not at a screen, that something is blocked or has tripped.
void Runner::feel(Time now) noexcept {
  bool awake = false;
  for (std::size_t z = 0; z < rig_.zones.size(); ++z) {
    const State state = engine_.permit(id_at<ZoneId>(z)).state();
    awake = awake || state != State::stowed;
    const bool fresh = state == State::tripped && tripped_[z] == 0;
    tripped_[z] = state == State::tripped ? 1 : 0;
    if (!fresh) continue;
    for (const HandsetId handset : rig_.setup.zones[z].handsets) hands_.sign(handset, Sign::tripped);
    next_sign_ = now + between_signs;
  }
  hands_.grab_keypads(awake);
  for (const Event& event : events_) {
    if (event.kind == Event::Kind::steady) hands_.sign(event.obstacle.handset, Sign::blocked);
    const bool prepared =
        event.kind == Event::Kind::action && event.number == static_cast<std::int64_t>(ActionStep::prepared);
    if (!prepared) continue;
    const HandsetBits in_charge = engine_.in_charge(event.zone);
    for (const HandsetId handset : rig_.setup.zones[index(event.zone)].handsets)
      if (in_charge == 0 || has(in_charge, handset)) hands_.sign(handset, Sign::prepared);
  }
  for (std::size_t a = 0; a < rig_.axes.size(); ++a) {
    const bool blocked = is_blocked(out_.why[a]), fresh = blocked && blocked_[a] == 0;
    blocked_[a] = blocked ? 1 : 0;
    const SlotId by = engine_.requests()[a].by;
    if (!fresh || now < next_sign_ || by == no<SlotId>) continue;
    hands_.sign(rig_.setup.controls[index(by)].handset, Sign::blocked);
    next_sign_ = now + between_signs;
  }
}

bool Runner::at_rest_and_off() const noexcept {
  // By what was sent, not by what the permit says: the far ends have to have been told.
  for (const AxisCommand& command : out_.commands)
    if (command.mode != Mode::off) return false;
  return true;
}

void Runner::publish(Time now) noexcept {
  now_.now = now;
  for (std::size_t a = 0; a < now_.axes.size(); ++a)
    now_.axes[a] = {out_.commands[a], out_.why[a], engine_.requests()[a], engine_.links().measured(id_at<AxisId>(a))};
  for (std::size_t z = 0; z < now_.zones.size(); ++z) {
    const Permit& permit = engine_.permit(id_at<ZoneId>(z));
    now_.zones[z] = {permit.state(), permit.cause()};
  }
  for (std::size_t s = 0; s < now_.samples.size(); ++s) now_.samples[s] = engine_.signal().sample(id_at<SlotId>(s));
  for (std::size_t s = 0; s < now_.switches.size(); ++s) now_.switches[s] = out_.switches[s];
  for (std::size_t i = 0; i < now_.inputs.size(); ++i) {
    const InputId input = id_at<InputId>(i);
    const Links& links = engine_.links();
    now_.inputs[i] = {links.input(input, now), links.input_value(input), links.input_watch(input).beyond()};
  }
  for (std::size_t h = 0; h < now_.handsets.size(); ++h) {
    now_.handsets[h] = engine_.signal().health(id_at<HandsetId>(h), now);
    now_.readings_lost[h] = engine_.signal().lost(id_at<HandsetId>(h));
  }
  for (std::size_t a = 0; a < now_.increments.size(); ++a)
    now_.increments[a] = engine_.bind().numbers().increment(id_at<CoordinateId>(a));
  for (std::size_t r = 0; r < now_.overrides.size(); ++r)
    now_.overrides[r] = engine_.bind().numbers().percent(id_at<OverrideId>(r));
  for (std::size_t l = 0; l < now_.layers.size(); ++l)
    now_.layers[l] = engine_.bind().on(id_at<LayerId>(l), engine_.signal()) ? 1 : 0;
  for (std::size_t z = 0; z < now_.zones.size(); ++z) now_.zones[z].in_charge = engine_.in_charge(id_at<ZoneId>(z));
  for (std::size_t a = 0; a < now_.actions.size(); ++a) now_.actions[a] = engine_.action(id_at<ActionId>(a));
  for (std::size_t a = 0; a < now_.zeros.size(); ++a) {
    now_.zeros[a] = engine_.zero(id_at<AxisId>(a));
    now_.homed[a] = engine_.homed(id_at<AxisId>(a)) ? 1 : 0;
  }
  now_.chosen = engine_.bind().chosen();
  now_.holding = engine_.bind().holding(now);
  now_.reduced = engine_.bind().reduced();
  for (const Event& event : events_) now_.events[now_.events_so_far++ % RunView::kept_events] = event;
  if (options_.log != nullptr) now_.log_lost = options_.log->lost();
  // Lists keep their sizes, so that copying them takes no memory.
  view_.draft() = now_;
  view_.publish();
}

void Runner::run() {
  if (options_.real_time) now_.real_time = take_real_time();
  Pacer pacer(clock_, rig_.period, rig_.min_tick, {hands_.wake_descriptor(), machines_.wake_descriptor()});
  Told to_end, to_rest;
  for (Time woken = clock_.now();; woken = pacer.wait()) {
    take_items(woken);
    // Read after the items were taken: none of them has arrived after it.
    const Time now = clock_.now();
    const bool is_over = options_.end_at && now >= *options_.end_at;
    to_end.hear(to_end.told || is_over || ending_.load(std::memory_order_relaxed), now);
    to_rest.hear(resting_.load(std::memory_order_relaxed), now);
    const bool stops = to_end.told || to_rest.told;
    const std::span<const LinkReport> reports = machines_.reports(now);
    typed_now_.clear();
    for (ActionId action; typed_now_.size() < typed_.capacity() && typed_.pop(action);) typed_now_.push_back(action);
    engine_.tick({now, readings_, reports, stops, {}, typed_now_}, out_.view());
    machines_.send(out_.frames);
    events_.clear();
    for (Event event; out_.events.read(event);) events_.push_back(event);
    if (options_.log != nullptr)
      options_.log->tick({now, stops, readings_, reports, out_.commands, out_.switches, events_, {}, typed_now_});
    feel(now);
    ++now_.ticks;
    now_.readings += readings_.size();
    now_.lateness = pacer.lateness();
    now_.early_ticks = now_.ticks - 1 - now_.lateness.ticks;
    now_.ending = to_end.told;
    const auto is_done = [&](const Told& told) {
      return told.told && ((at_rest_and_off() && machines_.told()) || now - told.since > options_.max_end);
    };
    now_.ended = is_done(to_end);
    now_.resting = is_done(to_rest);
    publish(now);
    if (now_.ended) return;
  }
}

}  // namespace gyrax
