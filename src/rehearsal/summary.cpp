#include "first_and_last.hpp"
#include "stops.hpp"

#include <gyrax/rehearsal/summary.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

namespace gyrax {
namespace {

/// One axis's moves so far. Positions count from when it first had power: before, nobody has told it where to be.
struct Moves {
  MoveSummary sum;
  bool powered = false;
  Span jogged{};

  void tick(const AxisSample& now, const AxisSample* before) {
    if (before == nullptr || (!powered && now.mode != Mode::off)) {
      powered = now.mode != Mode::off;
      sum.first = sum.lowest = sum.highest = now.position;
      sum.fastest = sum.travelled = 0;
    } else if (now.mode == Mode::follow) {
      sum.travelled += std::abs(now.position - before->position);
    }
    sum.lowest = std::min(sum.lowest, now.position);
    sum.highest = std::max(sum.highest, now.position);
    sum.fastest = std::max(sum.fastest, std::abs(now.speed));
    sum.last = now.position;
    sum.real_last = now.real_position;
  }
};

/// What blocked one axis so far.
struct Blocks {
  std::vector<BlockedSummary> rows;
  std::optional<std::size_t> now;  // the row that counts

  void tick(AxisId id, const AxisSample& sample, Time at) {
    const AxisStatus& why = sample.why;
    // A stop is not a hold; it has a table of its own.
    const bool moves = why.blocked.what == Interlock::stopping || why.blocked.what == Interlock::none ||
                       why.blocked.what == Interlock::unasked || sample.speed != 0;
    const std::optional<std::size_t> last = std::exchange(now, std::nullopt);
    if (!why.asked || moves) return;
    const auto same = [&](const BlockedSummary& row) { return row.blocked == why.blocked && row.cause == why.cause; };
    const auto found = static_cast<std::size_t>(std::ranges::find_if(rows, same) - rows.begin());
    if (found == rows.size()) rows.push_back({id, why.blocked, why.before, why.cause, to_seconds(at), 0, 0});
    now = found;
    if (last != now) ++rows[found].times;
  }
  void lasted(Span length) {
    if (now) rows[*now].total_s += to_seconds(length);
  }
};

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
class Story {
 public:
  explicit Story(const Rig& rig) : rig_(rig) {}
  void take(const Event& e) {
    if (run_ > 0 && e.kind == Event::Kind::step && step_.axis == e.axis && step_.number == e.number) {
      ++run_;
      return;
    }
    end();
    if (is_said_by_state(e)) return;
    if (e.kind != Event::Kind::step) return lines_.add({to_seconds(e.at), say(rig_, e), e, 1});
    step_ = e;
    run_ = 1;
  }
  void end() {
    if (run_ == 0) return;
    std::string line = say(rig_, step_);
    if (run_ > 1)
      line = fmt::format("{} steps of {} by {}, together {}", run_, rig_.axes[index(step_.axis)].name,
                         say_amount(rig_, step_.axis, step_.number),
                         say_amount(rig_, step_.axis, step_.number * static_cast<Nano>(run_)));
    lines_.add({to_seconds(step_.at), std::move(line), step_, std::exchange(run_, 0)});
  }
  FirstAndLast<StoryLine>& lines() { return lines_; }

 private:
  const Rig& rig_;
  Event step_;
  std::size_t run_ = 0;  // so many of step_
  FirstAndLast<StoryLine> lines_;
};

}  // namespace

class Summing::Work {
 public:
  explicit Work(const Rig& rig)
      : rig_(rig),
        story_(rig),
        moves_(rig.axes.size()),
        blocks_(moves_.size()),
        switches_(rig.switches.size()),
        stops_(rig) {
    for (std::size_t a = 0; a < moves_.size(); ++a) moves_[a].sum.axis = id_at<AxisId>(a);
    for (std::size_t i = 0; i < switches_.size(); ++i) switches_[i].target = id_at<SwitchId>(i);
  }

  void tick(const TickSample& sample, std::span<const Event> events) {
    const TickSample* const before = ticks_++ > 0 ? &before_ : nullptr;
    if (before != nullptr) lasted(sample.at - before->at);
    for (const Event& e : events) {
      story_.take(e);
      if (e.kind == Event::Kind::step) ++moves_[index(e.axis)].sum.steps;
    }
    for (std::size_t a = 0; a < moves_.size(); ++a) {
      moves_[a].tick(sample.axes[a], before != nullptr ? &before->axes[a] : nullptr);
      blocks_[a].tick(id_at<AxisId>(a), sample.axes[a], sample.at);
    }
    for (std::size_t i = 0; i < switches_.size(); ++i) {
      SwitchSummary& one = switches_[i];
      const bool was_on = std::exchange(one.on, sample.switches[i] != 0);
      if (before != nullptr && one.on && !was_on) ++one.times;
    }
    stops_.tick(sample, before, events);
    before_ = sample;
  }

  Summary summary(const Session& session, const Account& account) {
    if (ticks_ > 0) {
      lasted(rig_.period);
      stops_.end(rig_.period);
    }
    story_.end();
    Summary s;
    s.rig = rig_.title.empty() ? rig_.path : rig_.title;
    s.session = session.title.empty() ? session.path : session.title;
    s.length_s = to_seconds(session.length);
    s.ticks = ticks_;
    s.period_ms = to_seconds(rig_.period) * 1e3;
    s.readings = account.readings;
    s.readings_lost = account.readings_lost;
    s.events_lost = account.events_lost;
    s.asks_known = account.asks_known;
    s.story = story_.lines().take();
    s.story_left_out = story_.lines().left_out();
    for (const SessionFault& fault : session.faults) s.story.push_back({to_seconds(fault.at), fault_sentence(fault)});
    std::ranges::stable_sort(s.story, {}, &StoryLine::at_s);
    for (Moves& moves : moves_) {
      moves.sum.jogged_s = to_seconds(moves.jogged);
      s.moves.push_back(moves.sum);
    }
    s.switches = switches_;
    for (const Blocks& blocks : blocks_) s.blocked.insert(s.blocked.end(), blocks.rows.begin(), blocks.rows.end());
    s.stops = stops_.stops().take();
    s.stops_left_out = stops_.stops().left_out();
    s.stops_within = stops_.all_within();
    return s;
  }

 private:
  /// So long the tick before lasted.
  void lasted(Span length) {
    for (std::size_t a = 0; a < moves_.size(); ++a) {
      if (before_.axes[a].asked != 0) moves_[a].jogged += length;
      blocks_[a].lasted(length);
    }
    for (SwitchSummary& one : switches_)
      if (one.on) one.on_s += to_seconds(length);
  }

  const Rig& rig_;
  Story story_;
  std::vector<Moves> moves_;    // by AxisId
  std::vector<Blocks> blocks_;  // by AxisId
  std::vector<SwitchSummary> switches_;
  StopWatch stops_;
  TickSample before_;
  std::size_t ticks_ = 0;
};

Summing::Summing(const Rig& rig) : work_(std::make_unique<Work>(rig)) {}
Summing::~Summing() = default;
void Summing::tick(const TickSample& sample, std::span<const Event> events) { work_->tick(sample, events); }
Summary Summing::summary(const Session& session, const Account& account) { return work_->summary(session, account); }

bool Summary::good() const { return stops_within && events_lost == 0; }

Summary summarise(const Rig& rig, const Session& session, const Rehearsal& done) {
  Summing summing(rig);
  watch(done.trace, done.events, summing);
  return summing.summary(session, done);
}

}  // namespace gyrax
