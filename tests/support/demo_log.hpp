// A logbook of the demo session, written in no time: the recorded hands, the simulated machines, no clock.
#pragma once

#include <gyrax/live/hands.hpp>
#include <gyrax/logbook/writer.hpp>

#include "support/demo.hpp"

#include <string>
#include <utility>

namespace gyrax::test {

/// The first `ticks` of the demo session into a logbook. `between` is called after every tick.
template <class Between>
void drive_demo(LogbookWriter& log, std::size_t ticks, Between between) {
  const Rig& rig = demo().rig;
  Player hands(demo().session, rig);
  SimulatedLinks links(rig);
  Engine engine(rig.setup);
  TickBuffers out(rig.setup);
  std::vector<Event> events;
  for (std::size_t t = 0; t < ticks; ++t) {
    // Uneven, as live ticks are.
    const Time now{rig.period * static_cast<std::int64_t>(t) + Span{static_cast<std::int64_t>(t % 7) * 13'001}};
    const auto readings = hands.until(now);
    const auto reports = links.reports(now);
    engine.tick({now, readings, reports}, out.view());
    links.send(out.frames);
    events.clear();
    for (Event event; out.events.read(event);) events.push_back(event);
    log.tick({now, false, readings, reports, out.commands, out.switches, events});
    between(log);
  }
}

template <class Between>
LogbookWriter::Closed write_demo_log(const std::string& path, std::size_t ticks, LogbookWriter::Options options,
                                     Between between) {
  LogbookWriter log(demo().rig, path, std::move(options));
  drive_demo(log, ticks, between);
  return log.close("the test is over");
}

inline LogbookWriter::Closed write_demo_log(const std::string& path, std::size_t ticks) {
  LogbookWriter::Options options;
  options.ring = 64u << 20;
  return write_demo_log(path, ticks, options, [](LogbookWriter&) {});
}

}  // namespace gyrax::test
