#include <gyrax/link/simulated.hpp>

namespace gyrax {
namespace {

// The same three words on both sides of the wire.
static_assert(static_cast<int>(Becomes::off) == static_cast<int>(sim::Silent::off) &&
              static_cast<int>(Becomes::on) == static_cast<int>(sim::Silent::on) &&
              static_cast<int>(Becomes::keep) == static_cast<int>(sim::Silent::keep));

sim::BenchAxis bench_axis(const AxisSetup& axis, const LinkInfo& info) {
  sim::BenchAxis made;
  made.lag_s = info.number("lag_ms") / 1e3;
  made.speed = axis.limits.speed() * (info.number("speed_percent") / 100);
  made.decel = axis.limits.full().decel * (info.number("decel_percent") / 100);
  made.measured = axis.position == PositionKind::measured;
  // A machine wakes up anywhere; this one at the end of its travel that is nearest to zero.
  const double low = axis.limits.low(), high = axis.limits.high();
  made.start = made.measured ? (low > 0 ? low : high < 0 ? high : 0) : axis.start;
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

sim::BenchSetup bench_setup(const Rig& rig, LinkId link) {
  const LinkInfo info = with_usual(rig.links[index(link)], "simulated");
  sim::BenchSetup setup;
  setup.link = link;
  setup.report_every = from_seconds(info.number("report_ms") / 1e3);
  setup.report_delay = from_seconds(info.number("delay_ms") / 1e3);
  for (const AxisSetup& axis : rig.setup.axes)
    if (axis.wiring.link == link) setup.axes.push_back(bench_axis(axis, info));
  for (const SwitchSetup& one : rig.setup.switches) {
    if (one.wiring.link != link) continue;
    ++setup.switches;
    // Channels count up in the order of the switches.
    setup.when_silent.push_back(static_cast<sim::Silent>(one.becomes[static_cast<std::size_t>(Cause::link_silent)]));
  }
  return setup;
}

}  // namespace

SimulatedLink::SimulatedLink(const Rig& rig, LinkId link) : bench_(bench_setup(rig, link)) {}

void SimulatedLink::receive(Time now, std::vector<LinkReport>& reports) {
  bench_.advance(now);
  while (const LinkReport* report = bench_.next_report(now)) reports.push_back(*report);
}

SimulatedLinks::SimulatedLinks(const Rig& rig) {
  for (const AxisSetup& axis : rig.setup.axes) axes_.push_back(axis.wiring);
  for (const SwitchSetup& one : rig.setup.switches) switches_.push_back(one.wiring);
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
  return links_[index(wire.link)].bench().position(wire.channel);
}

double SimulatedLinks::speed(AxisId axis) const {
  const Wiring& wire = axes_[index(axis)];
  return links_[index(wire.link)].bench().speed(wire.channel);
}

bool SimulatedLinks::switched_on(SwitchId target) const {
  const Wiring& wire = switches_[index(target)];
  return links_[index(wire.link)].bench().switched_on(wire.channel);
}

void SimulatedLinks::break_axis(AxisId axis, sim::AxisFault fault) {
  const Wiring& wire = axes_[index(axis)];
  links_[index(wire.link)].bench().break_axis(wire.channel, fault);
}

}  // namespace gyrax
