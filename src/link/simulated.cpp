#include <gyrax/link/simulated.hpp>

namespace gyrax {
namespace {

// The same three words on both sides of the wire.
static_assert(static_cast<int>(SwitchSetup::OnTrip::off) == static_cast<int>(sim::Silent::off) &&
              static_cast<int>(SwitchSetup::OnTrip::on) == static_cast<int>(sim::Silent::on) &&
              static_cast<int>(SwitchSetup::OnTrip::keep) == static_cast<int>(sim::Silent::keep));

sim::BenchAxis bench_axis(const AxisSetup& axis, const SimulatedInfo& info) {
  sim::BenchAxis made;
  made.lag_s = info.lag_s;
  made.speed = axis.limits.speed() * info.speed_share;
  made.decel = axis.limits.full().decel * info.decel_share;
  made.measured = axis.position == PositionKind::measured;
  // A machine wakes up anywhere; this one at the end of its travel that is nearest to zero.
  made.start = made.measured ? (axis.limits.low() > 0    ? axis.limits.low()
                                : axis.limits.high() < 0 ? axis.limits.high()
                                                         : 0)
                             : axis.start;
  const WordMeaning meaning = meaning_of(axis.drive);
  made.scale = meaning.scale;
  made.offset = meaning.offset;
  if (!is_place(axis.drive)) {
    made.motor = true;
    made.start = 0;
    made.speed = 100;
    made.dead_band = meaning.dead_band;
  }
  return made;
}

}  // namespace

SimulatedLinks::SimulatedLinks(const Rig& rig) {
  for (const AxisSetup& axis : rig.setup.axes) axes_.push_back(axis.wiring);
  for (const SwitchSetup& one : rig.setup.switches) switches_.push_back(one.wiring);
  for (std::size_t l = 0; l < rig.links.size(); ++l) {
    const SimulatedInfo& info = rig.links[l].simulated;
    sim::BenchSetup setup;
    setup.link = id_at<LinkId>(l);
    setup.report_every = from_seconds(info.report_s);
    setup.report_delay = from_seconds(info.delay_s);
    for (const AxisSetup& axis : rig.setup.axes)
      if (axis.wiring.link == setup.link) setup.axes.push_back(bench_axis(axis, info));
    for (const SwitchSetup& one : rig.setup.switches) {
      if (one.wiring.link != setup.link) continue;
      ++setup.switches;
      // Channels count up in the order of the switches.
      setup.when_silent.push_back(static_cast<sim::Silent>(one.on_link_lost));
    }
    benches_.emplace_back(setup);
  }
  reports_.reserve(256);
}

std::span<const LinkReport> SimulatedLinks::reports(Time now) {
  reports_.clear();
  for (sim::Bench& bench : benches_) {
    bench.advance(now);
    while (const LinkReport* report = bench.next_report(now)) reports_.push_back(*report);
  }
  return reports_;
}

void SimulatedLinks::send(std::span<const Frame> frames) {
  for (const Frame& frame : frames) benches_[index(frame.link)].receive(frame);
}

double SimulatedLinks::position(AxisId axis) const {
  const Wiring& wire = axes_[index(axis)];
  return benches_[index(wire.link)].position(wire.channel);
}

double SimulatedLinks::speed(AxisId axis) const {
  const Wiring& wire = axes_[index(axis)];
  return benches_[index(wire.link)].speed(wire.channel);
}

bool SimulatedLinks::switched_on(SwitchId target) const {
  const Wiring& wire = switches_[index(target)];
  return benches_[index(wire.link)].switched_on(wire.channel);
}

void SimulatedLinks::break_axis(AxisId axis, sim::AxisFault fault) {
  const Wiring& wire = axes_[index(axis)];
  benches_[index(wire.link)].break_axis(wire.channel, fault);
}

}  // namespace gyrax
