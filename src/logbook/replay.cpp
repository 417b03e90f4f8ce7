#include "lines.hpp"

#include <gyrax/logbook/reader.hpp>
#include <gyrax/logbook/replay.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <chrono>

namespace gyrax {
namespace {

using Json = nlohmann::json;

/// Where an axis was by its link's own word; where nothing measures it, where it was told to be.
struct Reported {
  const Engine& engine;
  const TickBuffers& out;
  double position(AxisId axis) const {
    const AxisReport& report = engine.links().measured(axis);
    return report.measured ? report.position : out.commands[index(axis)].p;
  }
  double speed(AxisId axis) const {
    const AxisReport& report = engine.links().measured(axis);
    return report.measured ? report.speed : out.commands[index(axis)].v;
  }
};

/// The rows of one kind that stand in one line and not, or not so, in the other.
std::string differing_row(const Json& was, const Json& is) {
  const std::size_t most = std::max(was.size(), is.size());
  for (std::size_t i = 0; i < most; ++i) {
    const std::string before = i < was.size() ? was[i].dump() : "nothing",
                      now = i < is.size() ? is[i].dump() : "nothing";
    if (before != now) return fmt::format("{} in the logbook, {} now", before, now);
  }
  return {};
}

std::string what_differs(const Rig& rig, const LogRecord& record, std::uint64_t tick, const std::string& now) {
  const Json was = Json::parse(record.text), is = Json::parse(now);
  const auto list = [](const Json& line, const char* key) { return line.contains(key) ? line[key] : Json::array(); };
  std::string what = "the line reads otherwise";
  for (const auto& [key, name] :
       {std::pair{"c", "a command"}, std::pair{"s", "a switch"}, std::pair{"e", "an event"}}) {
    const std::string row = differing_row(list(was, key), list(is, key));
    if (row.empty()) continue;
    const Json& first = list(was, key).empty() ? list(is, key) : list(was, key);
    const bool axis = *key == 'c' && !first.empty() && first[0][0].is_number_unsigned() &&
                      first[0][0].get<std::size_t>() < rig.axes.size();
    what = fmt::format("{}{}: {}", name,
                       axis ? " from axis " + rig.axes[first[0][0].get<std::size_t>()].name + " on" : "", row);
    break;
  }
  return fmt::format("tick {} (line {}) at {:.6f} s differs: {}", tick, record.line, to_seconds(record.now), what);
}

/// What a record that is no tick tells a person; empty: nothing.
std::string note_of(const LogRecord& record, Time after) {
  switch (record.kind) {
    case LogRecord::Kind::seated: return fmt::format("{:.3f} s: {}", to_seconds(after), record.text);
    case LogRecord::Kind::end: return record.text;
    case LogRecord::Kind::lost:
      return fmt::format("{} records are missing after {:.3f} s: the disk was too slow or full; the replay ends there",
                         record.number, to_seconds(after));
    default: return {};
  }
}

void add_build_notes(const Build& wrote, std::vector<std::string>& notes) {
  const Build here = this_build();
  if (wrote.binary != here.binary || here.binary.empty())
    notes.push_back(fmt::format("written by another build of the program (version {}): the same bits are not promised",
                                wrote.version));
  if (wrote.processor != here.processor)
    notes.push_back(
        fmt::format("written on another kind of processor ({}): the same bits are not promised", wrote.processor));
}

}  // namespace

Replay replay(const std::string& path, std::optional<PlotSpan> span) {
  LogbookReader log(path);
  Replay made;
  made.rig = log.rig();
  Engine engine(made.rig.setup);
  TickBuffers out(made.rig.setup);
  TickLines lines(made.rig);
  made.done.trace = Trace(made.rig, 0);
  std::vector<Event> events;
  const auto before = std::chrono::steady_clock::now();
  Time last{};
  for (LogRecord record; log.next(record);) {
    if (record.kind == LogRecord::Kind::calibrate) engine.calibrate(record.slot, record.calibration);
    if (const std::string note = note_of(record, last); !note.empty()) made.notes.push_back(note);
    if (record.kind == LogRecord::Kind::lost) break;
    if (record.kind != LogRecord::Kind::tick) continue;
    engine.tick({record.now, record.readings, record.reports, record.end, record.program}, out.view());
    events.clear();
    for (Event event; out.events.read(event);) events.push_back(event);
    const std::string& now = lines.line(
        {record.now, record.end, record.readings, record.reports, out.commands, out.switches, events, record.program});
    if (made.same && now != record.text) {
      made.same = false;
      made.difference = what_differs(made.rig, record, made.ticks, now);
    }
    const double at_s = to_seconds(record.now);
    if (!span || (at_s >= span->from_s && at_s <= span->to_s)) {
      made.done.trace.add(record.now, engine, out, Reported{engine, out});
      made.done.events.insert(made.done.events.end(), events.begin(), events.end());
      made.done.readings += record.readings.size();
    }
    last = record.now;
    made.bytes += record.text.size() + 1;
    ++made.ticks;
  }
  made.took_s = std::chrono::duration<double>(std::chrono::steady_clock::now() - before).count();
  made.length_s = to_seconds(last);
  made.done.took_s = made.took_s;
  made.session.title = fmt::format("Run of {}", log.started());
  made.session.length = last.time_since_epoch();
  for (std::size_t h = 0; h < made.rig.handsets.size(); ++h)
    made.done.readings_lost += engine.signal().lost(id_at<HandsetId>(h));
  if (!log.cut().empty()) made.notes.push_back(log.cut());
  add_build_notes(log.build(), made.notes);
  return made;
}

}  // namespace gyrax
