#include <gyrax/rehearsal/rehearsal.hpp>

#include <chrono>

namespace gyrax {
namespace {

AxisId axis_named(const Rig& rig, const std::string& name) {
  for (std::size_t a = 0; a < rig.axes.size(); ++a)
    if (rig.axes[a].name == name) return id_at<AxisId>(a);
  return no<AxisId>;
}

LinkId link_named(const Rig& rig, const std::string& name) {
  for (std::size_t l = 0; l < rig.links.size(); ++l)
    if (rig.links[l].name == name) return id_at<LinkId>(l);
  return no<LinkId>;
}

void inject(const SessionFault& fault, const Rig& rig, SimulatedLinks& links) {
  using Kind = SessionFault::Kind;
  if (!fault.link.empty()) {
    links.bench(link_named(rig, fault.link)).silence(fault.kind == Kind::silent);
    return;
  }
  const auto kind = fault.kind == Kind::stuck      ? sim::AxisFault::stuck
                    : fault.kind == Kind::reversed ? sim::AxisFault::reversed
                                                   : sim::AxisFault::none;
  links.break_axis(axis_named(rig, fault.axis), kind);
}

}  // namespace

Rehearsal rehearse(const Rig& rig, const Session& session) {
  Rehearsal done;
  Player hands(session, rig);
  SimulatedLinks links(rig);
  Engine engine(rig.setup);
  TickBuffers out(rig.setup);
  const auto ticks = static_cast<std::size_t>(session.length / rig.period) + 1;
  done.trace = Trace(rig, ticks);
  done.events.reserve(1024);

  const auto before = std::chrono::steady_clock::now();
  auto fault = session.faults.begin();
  for (std::size_t tick = 0; tick < ticks; ++tick) {
    const Time now{rig.period * static_cast<std::int64_t>(tick)};
    for (; fault != session.faults.end() && fault->at <= now; ++fault) inject(*fault, rig, links);
    const std::span<const Reading> readings = hands.until(now);
    done.readings += readings.size();
    engine.tick({now, readings, links.reports(now)}, out.view());
    links.send(out.frames);
    done.trace.add(now, engine, out, links);
    for (Event event; out.events.read(event);) done.events.push_back(event);
  }
  done.took_s = std::chrono::duration<double>(std::chrono::steady_clock::now() - before).count();

  done.events_lost = out.events.overwritten();
  for (std::size_t h = 0; h < rig.handsets.size(); ++h) done.readings_lost += engine.signal().lost(id_at<HandsetId>(h));
  return done;
}

}  // namespace gyrax
