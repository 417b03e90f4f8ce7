#include "home_switch.hpp"

#include <gyrax/link/simulated.hpp>
#include <gyrax/rig/predictions.hpp>

namespace gyrax {
namespace {

// The same three words on both sides of the wire.
static_assert(static_cast<int>(Becomes::off) == static_cast<int>(sim::Silent::off) &&
              static_cast<int>(Becomes::on) == static_cast<int>(sim::Silent::on) &&
              static_cast<int>(Becomes::keep) == static_cast<int>(sim::Silent::keep));

sim::BenchAxis bench_axis(const Rig& rig, AxisId id) {
  const AxisSetup& axis = rig.setup.axes[index(id)];
  const FarEnd far = far_end_of(rig, id);
  sim::BenchAxis made;
  made.lag_s = far.lag_s;
  made.speed = far.top_speed;
  made.decel = far.decel;
  made.measured = axis.position == PositionKind::measured;
  // A machine wakes up anywhere; this one at the end of its travel that is nearest to zero.
  const double low = axis.limits.low(), high = axis.limits.high();
  made.start = made.measured ? (low > 0 ? low : high < 0 ? high : 0) : axis.start;
  if (axis.brake.any()) made.brake_opens_s = to_seconds(axis.brake.opens);
  const WordMeaning meaning = meaning_of(axis.drive);
  made.scale = meaning.scale;
  made.offset = meaning.offset;
  if (!is_place(axis.drive)) {
    made.motor = true;
    made.start = 0;
    made.dead_band = meaning.dead_band;
  }
  return made;
}

sim::BenchSetup bench_setup(const Rig& rig, LinkId link) {
  sim::BenchSetup setup;
  setup.link = link;
  const FarEnd far = far_end_of(rig, link);
  setup.report_every = from_seconds(far.report_s);
  setup.report_delay = from_seconds(far.delay_s);
  setup.queue = from_seconds(far.queue_s);
  std::vector<double> starts;
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    if (rig.setup.axes[a].wiring.link != link) continue;
    setup.axes.push_back(bench_axis(rig, id_at<AxisId>(a)));
    starts.push_back(setup.axes.back().start);
  }
  for (const HomeSwitch& one : home_switches(rig, link, starts))
    setup.met.push_back(
        {rig.inputs[index(one.input)].channel, rig.setup.axes[index(one.axis)].wiring.channel, one.at, one.up});
  for (const SwitchSetup& one : rig.setup.switches) {
    if (one.wiring.link != link) continue;
    ++setup.switches;
    // Channels count up in the order of the switches.
    setup.when_silent.push_back(static_cast<sim::Silent>(one.becomes[static_cast<std::size_t>(Cause::link_silent)]));
  }
  for (std::size_t i = 0; i < rig.inputs.size(); ++i)
    if (rig.inputs[i].link == link)
      setup.inputs.push_back({.input = id_at<InputId>(i), .value = rig.inputs[i].start, .fresh = true});
  return setup;
}

}  // namespace

SimulatedLink::SimulatedLink(const Rig& rig, LinkId link) : bench_(bench_setup(rig, link)) {}

void SimulatedLink::receive(Time now, std::vector<LinkReport>& reports) {
  bench_.advance(now);
  while (const LinkReport* report = bench_.next_report(now)) reports.push_back(*report);
}

SimulatedLinks::SimulatedLinks(const Rig& rig) {
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisSetup& axis = rig.setup.axes[a];
    axes_.push_back(axis.wiring);
    zeros_.push_back(far_zero(axis, bench_axis(rig, id_at<AxisId>(a)).start));
  }
  for (const SwitchSetup& one : rig.setup.switches) switches_.push_back(one.wiring);
  for (const InputInfo& input : rig.inputs) inputs_.push_back({input.link, input.channel});
  for (std::size_t l = 0; l < rig.links.size(); ++l) links_.emplace_back(rig, id_at<LinkId>(l));
  reports_.reserve(256);
}

std::span<const LinkReport> SimulatedLinks::reports(Time now) {
  reports_.clear();
  for (SimulatedLink& link : links_) link.receive(now, reports_);
  return reports_;
}

void SimulatedLinks::send(std::span<const Frame> frames) {
  for (const Frame& frame : frames) links_[index(frame.link)].send(frame);
}

double SimulatedLinks::position(AxisId axis) const {
  const Wiring& wire = axes_[index(axis)];
  return links_[index(wire.link)].bench().position(wire.channel) + zeros_[index(axis)];
}

double SimulatedLinks::speed(AxisId axis) const {
  const Wiring& wire = axes_[index(axis)];
  return links_[index(wire.link)].bench().speed(wire.channel);
}

bool SimulatedLinks::switched_on(SwitchId target) const {
  const Wiring& wire = switches_[index(target)];
  return links_[index(wire.link)].bench().switched_on(wire.channel);
}

void SimulatedLinks::set_input(InputId input, double value, bool fresh) {
  const Wiring& wire = inputs_[index(input)];
  links_[index(wire.link)].bench().set_input(wire.channel, value, fresh);
}

void SimulatedLinks::break_axis(AxisId axis, sim::AxisFault fault) {
  const Wiring& wire = axes_[index(axis)];
  links_[index(wire.link)].bench().break_axis(wire.channel, fault);
}

}  // namespace gyrax
