#include "lines.hpp"

#include <gyrax/logbook/reader.hpp>
#include <gyrax/logbook/replay.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <chrono>
#include <string_view>
#include <utility>

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

/// The ticks of a logbook that cannot be replayed, put together from what it says came out.
class ToldTicks {
 public:
  explicit ToldTicks(const Rig& rig) : rig_(rig), sample_(rig), reported_(rig.axes.size()) {
    for (std::size_t r = 0; r < sample_.overrides.size(); ++r) {
      const auto& list = rig.setup.notches.overrides[r];
      sample_.overrides[r] = list.values[list.start];
    }
  }
  const TickSample& sample(const LogRecord& record, std::span<const Event> events) {
    sample_.at = record.now;
    for (const auto& [axis, c] : record.commands)
      if (axis < sample_.axes.size()) {
        AxisSample& a = sample_.axes[axis];
        a.mode = c.mode, a.position = c.p, a.speed = c.v, a.accel = c.a;
      }
    for (const auto& [which, on] : record.switches)
      if (which < sample_.switches.size()) sample_.switches[which] = on;
    for (const Event& e : events) take(e);
    take_measured(rig_, record.reports, reported_);
    for (std::size_t a = 0; a < reported_.size(); ++a) {
      AxisSample& axis = sample_.axes[a];
      axis.real_position = reported_[a].measured ? reported_[a].position : axis.position;
      axis.real_speed = reported_[a].measured ? reported_[a].speed : axis.speed;
    }
    return sample_;
  }

 private:
  void take(const Event& e) {
    if (e.kind == Event::Kind::state && e.zone != no<ZoneId>) sample_.zones[index(e.zone)] = e.state;
    if (e.kind != Event::Kind::override || e.which == no<NumberId>) return;
    const OverrideId override = rig_.setup.notches.numbers[index(e.which)].override;
    if (override != no<OverrideId>) sample_.overrides[index(override)] = static_cast<double>(e.number) / 1e3;
  }

  const Rig& rig_;
  TickSample sample_;
  std::vector<AxisReport> reported_;
};

/// Holds what comes out now against what a logbook says of it, and keeps the first that differs: the tick, then which
/// axes within that second, then, with the next whole state, from what to what.
class Comparison {
 public:
  explicit Comparison(const Rig& rig) : rig_(rig), sums_(rig.axes.size()), state_(rig) {}

  void tick(const LogRecord& record, const TickRecord& now, std::uint64_t number) {
    state_.tick(now);
    const std::uint16_t sum = sums_.tick(now.commands, now.switches);
    events_.clear();
    append_events(events_, now.events);
    const bool same_events = events_ == record.events;
    if (!same() || (sum == record.sum && same_events)) return;
    difference_ = fmt::format(
        "tick {} (line {}) at {:.6f} s differs: {}", number, record.line, to_seconds(record.now),
        same_events ? "a command or a switch"
                    : fmt::format("an event: {} in the logbook, {} now", shown(record.events), shown(events_)));
    open_ = same_events;
  }
  void check(const LogRecord& record) {
    if (!same() && open_ && axes_.empty())
      for (std::size_t a = 0; a < record.sums.size() && a < sums_.axes().size(); ++a)
        if (record.sums[a] != sums_.axes()[a]) axes_.push_back(rig_.axes[a].name);
    if (same() && record.number > 0 && !std::ranges::equal(record.sums, sums_.axes()))
      difference_ = fmt::format("the second before line {} differs", record.line);
    sums_.restart();
  }
  void whole(const LogRecord& record) {
    const std::string now = state_.line();
    if (same() && now != record.text) difference_ = fmt::format("the state in line {} differs", record.line);
    if (same() || !std::exchange(open_, false)) return;
    const Json was = Json::parse(record.text, nullptr, false), is = Json::parse(now);
    if (!was.is_object() || !was.contains("commands") || !is.contains("commands")) return;
    for (std::size_t a = 0; a < rig_.axes.size() && a < was["commands"].size(); ++a)
      if (was["commands"][a] != is["commands"][a])
        later_ += fmt::format("; at {:.3f} s {} is {} in the logbook, {} now", at_s(was), rig_.axes[a].name,
                              was["commands"][a].dump(), is["commands"][a].dump());
  }

  bool same() const { return difference_.empty(); }
  std::string difference() const {
    return difference_ + (axes_.empty() ? "" : fmt::format(", of axis {}", listed(axes_))) + later_;
  }

 private:
  static std::string shown(const std::string& events) {
    return events.empty() ? "none" : events.substr(std::string_view(",\"e\":").size());
  }
  static double at_s(const Json& whole) {
    return whole["whole"].is_number_integer() ? to_seconds(Span{whole["whole"].get<std::int64_t>()}) : 0;
  }

  const Rig& rig_;
  OutputSums sums_;
  RunState state_;
  std::string events_, difference_, later_;
  std::vector<std::string> axes_;
  bool open_ = false;  // more may be told of the first difference
};

/// What a record that is no tick tells a person; empty: nothing.
std::string note_of(const LogRecord& record, Time after, bool replays) {
  switch (record.kind) {
    case LogRecord::Kind::seated: return fmt::format("{:.3f} s: {}", to_seconds(after), record.text);
    case LogRecord::Kind::end: return record.text;
    case LogRecord::Kind::lost:
      return fmt::format("{} records are missing after {:.3f} s: the disk was too slow or full{}", record.number,
                         to_seconds(after), replays ? "; the replay ends there" : "");
    default: return {};
  }
}

/// Whether it is of another program or processor than this one; then it says so.
bool other_build(const Build& wrote, std::vector<std::string>& notes) {
  const Build here = this_build();
  const bool binary = wrote.binary != here.binary || here.binary.empty(), processor = wrote.processor != here.processor;
  if (binary)
    notes.push_back(fmt::format("written by another build of the program (version {}): the same bits are not promised",
                                wrote.version));
  if (processor)
    notes.push_back(
        fmt::format("written on another kind of processor ({}): the same bits are not promised", wrote.processor));
  return binary || processor;
}

}  // namespace

Replayed Replay::run(std::span<TickWatcher* const> watchers, std::optional<PlotSpan> span) {
  const Rig& rig = log_.rig();
  Replayed made;
  made.replays = made.asks_known = log_.replays();
  Engine engine(rig.setup);
  TickBuffers out(rig.setup);
  TickSampler sampler(rig);
  ToldTicks told(rig);
  Comparison comparison(rig);
  std::vector<Event> events;
  const auto before = std::chrono::steady_clock::now();
  Time last{}, written_until{};
  std::optional<Time> first;
  bool lost = false;
  for (LogRecord record; log_.next(record);) {
    using Kind = LogRecord::Kind;
    // Behind what is lost nothing can be computed; how the file ends is still to be known.
    if (record.kind == Kind::tick) written_until = record.now;
    if (lost && made.replays && record.kind != Kind::end) continue;
    if (record.kind == Kind::calibrate) engine.calibrate(record.slot, record.calibration);
    if (record.kind == Kind::check && made.replays) comparison.check(record);
    if (record.kind == Kind::whole && made.replays) comparison.whole(record);
    if (const std::string note = note_of(record, last, made.replays); !note.empty()) made.notes.push_back(note);
    lost = lost || record.kind == Kind::lost;
    if (record.kind != Kind::tick) continue;
    events.clear();
    if (made.replays) {
      engine.tick({record.now, record.readings, record.reports, record.end, record.program, record.typed}, out.view());
      for (Event event; out.events.read(event);) events.push_back(event);
      comparison.tick(record,
                      {record.now, record.end, record.readings, record.reports, out.commands, out.switches, events,
                       record.program, record.typed},
                      made.ticks);
    } else {
      read_events(rig, record.now, record.events, events);
    }
    const double at_s = to_seconds(record.now);
    if (!span || (at_s >= span->from_s && at_s <= span->to_s)) {
      const TickSample& sample =
          made.replays ? sampler.sample(record.now, engine, out, Reported{engine, out}) : told.sample(record, events);
      for (TickWatcher* const watcher : watchers) watcher->tick(sample, events);
      made.readings += record.readings.size();
      ++made.shown;
    }
    if (!first) first = record.now;
    last = record.now;
    ++made.ticks;
  }
  made.took_s = std::chrono::duration<double>(std::chrono::steady_clock::now() - before).count();
  made.same = comparison.same();
  made.difference = comparison.difference();
  made.bytes = log_.bytes();
  made.end = log_.ended();
  const Time from = made.replays ? Time{} : first.value_or(Time{});
  made.length_s = to_seconds(last - from);
  made.written_s = to_seconds(written_until - from);
  session_.title = fmt::format("{} of {}", made.replays ? "Run" : "The last minute of a run, kept at", log_.started());
  session_.length = last - from;
  for (std::size_t h = 0; h < rig.handsets.size(); ++h) made.readings_lost += engine.signal().lost(id_at<HandsetId>(h));
  if (!log_.why().empty()) made.notes.push_back(log_.why());
  made.other_build = other_build(log_.build(), made.notes);
  return made;
}

}  // namespace gyrax
