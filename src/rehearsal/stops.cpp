#include "stops.hpp"

#include <algorithm>
#include <cmath>

namespace gyrax {

bool StopWatch::moves(const TickSample& now, const ZoneSetup& zone) const {
  return std::ranges::any_of(zone.axes, [&](AxisId a) { return now.axes[index(a)].speed != 0; });
}

// A first-order lag never quite ends: a thousandth of the axis's speed counts as rest.
bool StopWatch::really_moves(const TickSample& now, const ZoneSetup& zone) const {
  return std::ranges::any_of(zone.axes, [&](AxisId a) {
    return std::abs(now.axes[index(a)].real_speed) > rig_.setup.axes[index(a)].limits.speed() * 1e-3;
  });
}

void StopWatch::tick(const TickSample& now, const TickSample* before, std::span<const Event> events) {
  for (std::size_t z = 0; z < rests_since_.size(); ++z) {
    if (really_moves(now, rig_.setup.zones[z])) {
      rests_since_[z].reset();
    } else if (!rests_since_[z]) {
      rests_since_[z] = now.at;
    }
  }
  for (const Event& e : events)
    if (e.kind == Event::Kind::state && e.state == State::stopping) open(e, now, before != nullptr ? *before : now);
  const double length_s = before != nullptr ? to_seconds(now.at - before->at) : 0;
  std::erase_if(open_, [&](Open& one) {
    // The tick in which it came to rest counts with its length.
    if (!one.timed) one.tick_s = std::max(one.tick_s, length_s);
    one.timed = one.rests;
    if (one.rests && one.really_rests) {
      close(one);
      return true;
    }
    follow(one, now);
    return false;
  });
}

void StopWatch::open(const Event& event, const TickSample& now, const TickSample& before) {
  const ZoneSetup& zone = rig_.setup.zones[index(event.zone)];
  Open one;
  one.begin = now.at;
  one.stop.zone = event.zone;
  one.stop.cause = event.cause;
  one.stop.category = zone.categories[static_cast<std::size_t>(event.cause)];
  one.stop.at_s = to_seconds(event.at);
  for (const AxisId id : zone.axes) {
    const AxisSample& axis = before.axes[index(id)];
    if (axis.speed == 0) continue;
    const StopReach reach = stop_reach({0, axis.speed, axis.accel}, rig_.setup.axes[index(id)].limits.full());
    one.slowest_s = std::max(one.slowest_s, reach.time_s);
    one.stop.axes.push_back({id, axis.speed});
    one.from.push_back(axis.position);
    one.real_from.push_back(axis.real_position);
    one.reach.push_back(reach.distance);
  }
  open_.push_back(std::move(one));
}

void StopWatch::follow(Open& one, const TickSample& now) {
  StopSummary& stop = one.stop;
  const ZoneSetup& zone = rig_.setup.zones[index(stop.zone)];
  if (!one.rests) {
    one.rests = !moves(now, zone);
    stop.took_s = to_seconds(now.at - one.begin);
    for (std::size_t i = 0; i < stop.axes.size(); ++i)
      stop.axes[i].distance = now.axes[index(stop.axes[i].axis)].position - one.from[i];
  }
  if (!one.really_rests) {
    one.really_rests = !really_moves(now, zone);
    stop.real_took_s = to_seconds(now.at - one.begin);
    // Already at rest: since when?
    if (one.really_rests && now.at == one.begin && !stop.axes.empty())
      stop.real_took_s = to_seconds(*rests_since_[index(stop.zone)] - one.begin);
    for (std::size_t i = 0; i < stop.axes.size(); ++i)
      stop.axes[i].real_distance = now.axes[index(stop.axes[i].axis)].real_position - one.real_from[i];
  }
}

void StopWatch::close(Open& one) {
  StopSummary& stop = one.stop;
  stop.rested = one.rests;
  stop.allowed_s = one.slowest_s + 2 * one.tick_s;
  for (std::size_t i = 0; i < stop.axes.size(); ++i)
    stop.axes[i].allowed_distance = std::abs(one.reach[i]) + std::abs(stop.axes[i].speed) * 2 * one.tick_s;
  all_within_ = all_within_ && stop.within();
  stops_.add(std::move(stop));
}

void StopWatch::end(Span length) {
  for (Open& one : open_) {
    if (!one.timed) one.tick_s = std::max(one.tick_s, to_seconds(length));
    close(one);
  }
  open_.clear();
}

}  // namespace gyrax
