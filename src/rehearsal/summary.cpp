#include <gyrax/rehearsal/summary.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace gyrax {
namespace {

MoveSummary summarise_move(const Rehearsal& done, AxisId id) {
  const AxisTrace& axis = done.trace.axes[index(id)];
  MoveSummary m;
  m.axis = id;
  // Positions count from when the axis first had power: before, nobody has told it where to be.
  std::size_t begin = 0;
  while (begin < done.trace.ticks && axis[begin].mode == Mode::off) ++begin;
  if (begin == done.trace.ticks) begin = 0;
  m.first = m.lowest = m.highest = axis[begin].position;
  for (std::size_t t = begin; t < done.trace.ticks; ++t) {
    m.lowest = std::min(m.lowest, axis[t].position);
    m.highest = std::max(m.highest, axis[t].position);
    m.fastest = std::max(m.fastest, std::abs(axis[t].speed));
    if (t > begin && axis[t].mode == Mode::follow) m.travelled += std::abs(axis[t].position - axis[t - 1].position);
  }
  Span jogged{};
  for (std::size_t t = 0; t < done.trace.ticks; ++t)
    if (axis[t].asked != 0) jogged += done.trace.length_of(t);
  m.jogged_s = to_seconds(jogged);
  m.last = axis.back().position;
  m.real_last = axis.back().real_position;
  for (const Event& e : done.events)
    if (e.kind == Event::Kind::step && e.axis == id) ++m.steps;
  return m;
}

void summarise_blocked(const Rehearsal& done, AxisId id, std::vector<BlockedSummary>& all) {
  const AxisTrace& axis = done.trace.axes[index(id)];
  const std::size_t first_of_axis = all.size();
  const BlockedSummary* last = nullptr;
  for (std::size_t t = 0; t < done.trace.ticks; ++t) {
    const AxisStatus& why = axis[t].why;
    // A stop is not a hold; it has a table of its own.
    const bool moves = why.blocked.what == Interlock::stopping || why.blocked.what == Interlock::none ||
                       why.blocked.what == Interlock::unasked || axis[t].speed != 0;
    if (!why.asked || moves) {
      last = nullptr;
      continue;
    }
    auto at = std::find_if(all.begin() + static_cast<std::ptrdiff_t>(first_of_axis), all.end(),
                           [&](const BlockedSummary& h) { return h.blocked == why.blocked && h.cause == why.cause; });
    if (at == all.end()) {
      all.push_back({id, why.blocked, why.before, why.cause, to_seconds(done.trace.at(t)), 0, 0});
      at = all.end() - 1;
      last = nullptr;
    }
    at->total_s += to_seconds(done.trace.length_of(t));
    if (last != &*at) ++at->times;
    last = &*at;
  }
}

/// The first tick from `from` on in which nothing of `moving` moves; ticks if there is none.
template <class Moving>
std::size_t first_rest(std::size_t from, std::size_t ticks, Moving moving) {
  while (from < ticks && moving(from)) ++from;
  return from;
}

StopSummary summarise_stop(const Rig& rig, const Rehearsal& done, const Event& event) {
  const Trace& trace = done.trace;
  const ZoneSetup& zone = rig.setup.zones[index(event.zone)];
  const std::size_t begin = trace.tick_of(event.at), before = begin > 0 ? begin - 1 : 0;
  StopSummary stop;
  stop.zone = event.zone;
  stop.cause = event.cause;
  stop.category = zone.categories[static_cast<std::size_t>(event.cause)];
  stop.at_s = to_seconds(event.at);

  const auto commanded = [&](std::size_t t) {
    return std::any_of(zone.axes.begin(), zone.axes.end(),
                       [&](AxisId a) { return trace.axes[index(a)][t].speed != 0; });
  };
  // A first-order lag never quite ends: a thousandth of the axis's speed counts as rest.
  const auto real = [&](std::size_t t) {
    return std::any_of(zone.axes.begin(), zone.axes.end(), [&](AxisId a) {
      return std::abs(trace.axes[index(a)][t].real_speed) > rig.setup.axes[index(a)].limits.speed() * 1e-3;
    });
  };
  const std::size_t end = first_rest(begin, trace.ticks, commanded);
  std::size_t real_end = first_rest(begin, trace.ticks, real);
  stop.rested = end < trace.ticks;
  const auto since_begin = [&](std::size_t t) {
    return to_seconds(trace.at(std::min(t, trace.ticks - 1)) - trace.at(begin));
  };
  stop.took_s = since_begin(end);
  stop.real_took_s = since_begin(real_end);
  double tick_s = 0;
  for (std::size_t t = before; t < std::min(end + 1, trace.ticks); ++t)
    tick_s = std::max(tick_s, to_seconds(trace.length_of(t)));
  double slowest = 0;
  for (const AxisId id : zone.axes) {
    const AxisTrace& axis = trace.axes[index(id)];
    const double v = axis[before].speed;
    if (v == 0) continue;
    const AxisLimits& limits = rig.setup.axes[index(id)].limits;
    const std::size_t last = std::min(end, trace.ticks - 1), real_last = std::min(real_end, trace.ticks - 1);
    const StopReach reach = stop_reach({0, v, axis[before].accel}, limits.full());
    slowest = std::max(slowest, reach.time_s);
    stop.axes.push_back({id, v, axis[last].position - axis[before].position,
                         std::abs(reach.distance) + std::abs(v) * 2 * tick_s,
                         axis[real_last].real_position - axis[before].real_position});
  }
  stop.allowed_s = slowest + 2 * tick_s;
  if (real_end == begin && !stop.axes.empty()) {
    // Already at rest: since when?
    while (real_end > 0 && !real(real_end - 1)) --real_end;
    stop.real_took_s = since_begin(real_end);
  }
  return stop;
}

std::string fault_sentence(const SessionFault& fault) {
  using Kind = SessionFault::Kind;
  const std::string& name = fault.link.empty() ? fault.axis : fault.link;
  const char* what = fault.kind == Kind::silent     ? "falls silent"
                     : fault.kind == Kind::stuck    ? "sticks"
                     : fault.kind == Kind::reversed ? "runs the wrong way"
                                                    : "is mended";
  return fmt::format("(told to fail: {} {})", name, what);
}

/// The events as lines, runs of the same step put together.
std::vector<StoryLine> tell(const Rig& rig, const Session& session, const Rehearsal& done) {
  std::vector<StoryLine> story;
  for (std::size_t i = 0; i < done.events.size(); ++i) {
    const Event& e = done.events[i];
    if (e.kind == Event::Kind::fault) continue;  // the state that follows from it says the same
    std::size_t run = 1;
    while (e.kind == Event::Kind::step && i + 1 < done.events.size() && done.events[i + 1].kind == e.kind &&
           done.events[i + 1].axis == e.axis && done.events[i + 1].number == e.number) {
      ++i;
      ++run;
    }
    std::string line = say(rig, e);
    if (run > 1)
      line = fmt::format("{} steps of {} by {}, together {}", run, rig.axes[index(e.axis)].name,
                         say_amount(rig, e.axis, e.number), say_amount(rig, e.axis, e.number * static_cast<Nano>(run)));
    story.push_back({to_seconds(e.at), line, e, run});
  }
  for (const SessionFault& fault : session.faults) story.push_back({to_seconds(fault.at), fault_sentence(fault)});
  std::stable_sort(story.begin(), story.end(), [](const StoryLine& a, const StoryLine& b) { return a.at_s < b.at_s; });
  return story;
}

}  // namespace

bool Summary::good() const {
  const auto within = [](const StopSummary& stop) { return stop.within(); };
  return std::all_of(stops.begin(), stops.end(), within) && events_lost == 0;
}

Summary summarise(const Rig& rig, const Session& session, const Rehearsal& done) {
  Summary s;
  s.rig = rig.title.empty() ? rig.path : rig.title;
  s.session = session.title.empty() ? session.path : session.title;
  s.length_s = to_seconds(session.length);
  s.ticks = done.trace.ticks;
  s.period_ms = to_seconds(done.trace.period) * 1e3;
  s.readings = done.readings;
  s.readings_lost = done.readings_lost;
  s.events_lost = done.events_lost;
  s.story = tell(rig, session, done);
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    s.moves.push_back(summarise_move(done, id_at<AxisId>(a)));
    summarise_blocked(done, id_at<AxisId>(a), s.blocked);
  }
  for (const Event& e : done.events)
    if (e.kind == Event::Kind::state && e.state == State::stopping) s.stops.push_back(summarise_stop(rig, done, e));
  return s;
}

}  // namespace gyrax
