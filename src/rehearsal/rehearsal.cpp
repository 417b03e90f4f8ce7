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

/// Keeps all of it.
class Keeper final : public TickWatcher {
 public:
  explicit Keeper(Rehearsal& into) : into_(into) {}
  void tick(const TickSample& sample, std::span<const Event> events) override {
    into_.trace.add(sample);
    into_.events.insert(into_.events.end(), events.begin(), events.end());
  }

 private:
  Rehearsal& into_;
};

std::size_t ticks_of(const Rig& rig, const Session& session) {
  return static_cast<std::size_t>(session.length / rig.period) + 1;
}

}  // namespace

Rehearsal rehearse(const Rig& rig, const Session& session) {
  Rehearsal done;
  done.trace = Trace(rig, ticks_of(rig, session));
  done.events.reserve(1024);
  Keeper keeper(done);
  TickWatcher* const watchers[] = {&keeper};
  static_cast<Account&>(done) = rehearse(rig, session, watchers);
  return done;
}

Account rehearse(const Rig& rig, const Session& session, std::span<TickWatcher* const> watchers) {
  Account account;
  Player hands(session, rig);
  SimulatedLinks links(rig);
  Engine engine(rig.setup);
  TickBuffers out(rig.setup);
  TickSampler sampler(rig);
  std::vector<Event> events;

  const auto before = std::chrono::steady_clock::now();
  auto fault = session.faults.begin();
  for (std::size_t tick = 0; tick < ticks_of(rig, session); ++tick) {
    const Time now{rig.period * static_cast<std::int64_t>(tick)};
    for (; fault != session.faults.end() && fault->at <= now; ++fault) inject(*fault, rig, links);
    const std::span<const Reading> readings = hands.until(now);
    account.readings += readings.size();
    engine.tick({now, readings, links.reports(now)}, out.view());
    links.send(out.frames);
    events.clear();
    for (Event event; out.events.read(event);) events.push_back(event);
    const TickSample& sample = sampler.sample(now, engine, out, links);
    for (TickWatcher* const watcher : watchers) watcher->tick(sample, events);
  }
  account.took_s = std::chrono::duration<double>(std::chrono::steady_clock::now() - before).count();

  account.events_lost = out.events.overwritten();
  for (std::size_t h = 0; h < rig.handsets.size(); ++h)
    account.readings_lost += engine.signal().lost(id_at<HandsetId>(h));
  return account;
}

}  // namespace gyrax
