#include <gyrax/sim/bench.hpp>

#include <cmath>

namespace gyrax::sim {
namespace {

constexpr std::size_t reports_on_the_way = 64;
/// A queue runs out; what it ends at is not over.
constexpr Span never_over = std::chrono::hours(24 * 365);
/// Frames come no faster.
constexpr Span least_between_frames = std::chrono::microseconds(500);

double limited(double value, double limit) { return value > limit ? limit : value < -limit ? -limit : value; }

}  // namespace

Bench::Bench(const BenchSetup& setup)
    : setup_(setup), states_(setup.axes.size()), switches_(setup.switches), on_the_way_(reports_on_the_way) {
  for (std::size_t a = 0; a < states_.size(); ++a) states_[a].p = states_[a].target = setup.axes[a].start;
  for (Sent& sent : on_the_way_) {
    sent.axes.resize(setup.axes.size());
    sent.inputs.resize(setup.inputs.size());
  }
  if (setup.queue > Span{}) queue_.resize(static_cast<std::size_t>(setup.queue / least_between_frames) + 2);
  for (Told& told : queue_) {
    told.modes.resize(states_.size());
    told.targets.resize(states_.size());
  }
}

void Bench::take(const Told& told) noexcept {
  for (std::size_t a = 0; a < states_.size(); ++a) {
    states_[a].mode = told.modes[a];
    states_[a].target = told.targets[a];
  }
}

void Bench::receive(const Frame& frame) noexcept {
  if (wire_ == WireFault::cut || wire_ == WireFault::deaf) return;
  const auto target_of = [&](std::size_t a) {
    return setup_.axes[a].offset + setup_.axes[a].scale * static_cast<double>(frame.axes[a].position);
  };
  const std::size_t count = states_.size() < frame.axes.size() ? states_.size() : frame.axes.size();
  bool has_power = false;
  for (std::size_t a = 0; a < count; ++a) has_power = has_power || frame.axes[a].mode != Mode::off;
  if (!queue_.empty() && has_power && queued_ < queue_.size()) {
    Told& told = queue_[(queue_first_ + queued_++) % queue_.size()];
    told.due = frame.sent + setup_.queue;
    for (std::size_t a = 0; a < count; ++a) {
      told.modes[a] = frame.axes[a].mode;
      told.targets[a] = target_of(a);
    }
  } else {
    // Without power it drops what is queued.
    queued_ = 0;
    for (std::size_t a = 0; a < count; ++a) {
      states_[a].mode = frame.axes[a].mode;
      states_[a].target = target_of(a);
    }
  }
  for (std::size_t i = 0; i < switches_.size() && i < frame.switches.size(); ++i) switches_[i] = frame.switches[i];
  if (order_ != frame.order) {
    order_ = frame.order;
    order_runs_ = order_ && !order_->cancelled && !order_->paused;
    order_over_ = frame.sent + action_takes;
  }
  valid_until_ = frame.sent + (queue_.empty() ? frame.valid_for : never_over);
}

/// It holds without power, and where a frame says so; and takes its time to let go.
void Bench::work_brake(State& state, const BenchAxis& axis, bool valid, double dt_s) noexcept {
  if (axis.brake_opens_s < 0) return;
  const bool moves = std::abs(state.v) > axis.speed * 0.02,
             told = state.mode == Mode::stand || state.mode == Mode::follow;
  if (told && valid) {
    if (state.open_s == 0 && moves) ++brake_slips_;
    state.open_s += dt_s;
  } else {
    if (state.open_s > 0 && moves && valid && state.mode == Mode::braked) ++brake_slips_;
    state.open_s = 0;
  }
}

void Bench::move(State& state, const BenchAxis& axis, bool valid, double dt_s) const noexcept {
  if (!valid || state.mode == Mode::off) {
    const double less = axis.decel * dt_s;
    state.v = state.v > less ? state.v - less : state.v < -less ? state.v + less : 0;
  } else if (axis.motor) {
    // Its dead band goes before it turns; then its speed goes with the rest of the power.
    const double size = std::abs(state.target) / axis.speed,
                 share = size > axis.dead_band ? (size - axis.dead_band) / (1 - axis.dead_band) : 0;
    const double wanted = std::copysign(limited(share, 1) * axis.speed, state.target);
    state.v += (wanted - state.v) * dt_s / (axis.lag_s + dt_s);
  } else {
    // First-order lag, stepped implicitly: stable for any step, and free of exp, whose last digits differ between
    // machines.
    state.v = limited((state.target - state.p) / (axis.lag_s + dt_s), axis.speed);
    const double creeping = axis.speed * slow_share;
    if (state.fault == AxisFault::reversed) state.v = -state.v;
    if (state.fault == AxisFault::slow) state.v = limited(state.v, creeping);
    if (state.fault == AxisFault::racing) state.v = state.back ? -axis.speed : axis.speed;
    if (state.fault == AxisFault::drifting) state.v = creeping;
  }
  const bool braked = axis.brake_opens_s >= 0 && state.open_s < axis.brake_opens_s && state.mode != Mode::off && valid;
  if (state.fault == AxisFault::stuck || braked) state.v = 0;
  if (state.v != 0) state.back = state.v < 0;
  state.p += state.v * dt_s;
}

void Bench::advance(Time now) noexcept {
  while (queued_ > 0 && queue_[queue_first_].due <= now) {
    take(queue_[queue_first_]);
    queue_first_ = (queue_first_ + 1) % queue_.size();
    --queued_;
  }
  const double dt_s = static_cast<double>((now - now_).count()) * 1e-9;
  if (dt_s > 0)
    for (std::size_t a = 0; a < states_.size(); ++a) {
      work_brake(states_[a], setup_.axes[a], now <= valid_until_, dt_s);
      move(states_[a], setup_.axes[a], now <= valid_until_, dt_s);
    }
  for (std::size_t i = 0; now > valid_until_ && i < setup_.when_silent.size(); ++i)
    if (setup_.when_silent[i] != Silent::keep) switches_[i] = setup_.when_silent[i] == Silent::on ? 1 : 0;
  now_ = now;
  if (now < next_measurement_) return;
  next_measurement_ += setup_.report_every;
  if (next_measurement_ <= now) next_measurement_ = now + setup_.report_every;
  measure(now);
}

void Bench::measure(Time now) noexcept {
  ++heartbeat_;
  if (wire_ == WireFault::cut || wire_ == WireFault::mute || count_ == on_the_way_.size()) return;
  Sent& sent = on_the_way_[(first_ + count_) % on_the_way_.size()];
  for (std::size_t a = 0; a < states_.size(); ++a) {
    const BenchAxis& axis = setup_.axes[a];
    State& state = states_[a];
    const double p = axis.resolution > 0 ? std::round(state.p / axis.resolution) * axis.resolution : state.p;
    const bool knows = state.fault != AxisFault::unmeasured;
    if (knows) state.told = p;
    sent.axes[a] = {axis.measured, state.told, knows ? state.v : 0};
  }
  for (const BenchSwitch& one : setup_.met) {
    const double p = states_[one.axis].p;
    setup_.inputs[one.input].value = (one.up ? p >= one.at : p <= one.at) ? 1 : 0;
  }
  for (std::size_t i = 0; i < sent.inputs.size(); ++i) sent.inputs[i] = setup_.inputs[i];
  sent.report = {setup_.link, heartbeat_, now, now + setup_.report_delay, sent.axes};
  sent.report.inputs = sent.inputs;
  sent.action.reset();
  if (order_runs_ && now >= order_over_) {
    order_runs_ = false;
    sent.action = ActionReport{order_->action, ActionReport::Result::done, order_->number};
    sent.report.actions = std::span(&*sent.action, 1);
  }
  ++count_;
}

const LinkReport* Bench::next_report(Time now) noexcept {
  if (count_ == 0 || on_the_way_[first_].report.arrival > now) return nullptr;
  const LinkReport* report = &on_the_way_[first_].report;
  first_ = (first_ + 1) % on_the_way_.size();
  --count_;
  return report;
}

}  // namespace gyrax::sim
