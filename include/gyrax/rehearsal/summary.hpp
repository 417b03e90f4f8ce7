/// What a rehearsal came to, for a person and for a script.
///
/// In: the rig, the session, and every tick. Out: what the hands asked for, what moved, what was blocked and why, and
/// every stop with its cause, time and distance. Every number is measured from the ticks, not from the engine's word.
/// Never: memory that grows with time.
///
///     fmt::print("{}", gyrax::text(rig, gyrax::summarise(rig, session, done)));
#pragma once

#include <gyrax/rehearsal/rehearsal.hpp>

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace gyrax {

/// One axis over the whole session; positions in its unit.
struct MoveSummary {
  AxisId axis{};
  double jogged_s = 0;                                  ///< time during which a jog was asked of it
  int steps = 0;                                        ///< steps taken
  double first = 0, last = 0, lowest = 0, highest = 0;  ///< commanded position
  double travelled = 0;                                 ///< commanded, there and back
  double fastest = 0;                                   ///< commanded speed
  double real_last = 0;                                 ///< of the machine
};

struct SwitchSummary {
  SwitchId target{};
  bool on = false;  ///< at the end
  double on_s = 0;  ///< in all
  int times = 0;    ///< turned on
};

/// An axis that something asked to move and that was blocked.
struct BlockedSummary {
  AxisId axis{};
  Obstacle blocked{}, before{};
  Cause cause = Cause::none;
  double first_s = 0, total_s = 0;
  int times = 0;
};

/// One axis of one stop.
struct StoppedAxis {
  AxisId axis{};
  double speed = 0;             ///< commanded when the stop began, signed
  double distance = 0;          ///< commanded, from then to rest
  double allowed_distance = 0;  ///< of the fastest stop, and what two ticks at that speed are
  double real_distance = 0;     ///< of the machine, from then to rest
};

struct StopSummary {
  ZoneId zone{};
  Cause cause = Cause::none;
  Category category = Category::two;
  double at_s = 0;
  double took_s = 0;              ///< from the tick of the cause to zero commanded speed on every axis
  double allowed_s = 0;           ///< of the fastest stop of the slowest axis, and two ticks
  bool rested = true;             ///< false where the session ended before it was at rest
  double real_took_s = 0;         ///< until the machine was at rest; negative where it had stopped by itself before
  std::vector<StoppedAxis> axes;  ///< those that moved
  bool within() const { return rested && took_s <= allowed_s; }
};

struct StoryLine {
  double at_s = 0;
  std::string text;
  std::optional<Event> event{};  ///< none: the session made a machine fail
  std::size_t times = 1;         ///< so many of them, one after the other
};

/// So many lines of what happened, and so many stops, are kept of the beginning and of the end; those between are
/// counted.
inline constexpr std::size_t most_told = 1000;

struct LeftOut {
  std::uint64_t count = 0;
  double from_s = 0, to_s = 0;
};

struct Summary {
  std::string rig, session;
  double length_s = 0;
  std::size_t ticks = 0;
  double period_ms = 0;
  std::uint64_t readings = 0, readings_lost = 0, events_lost = 0;
  std::vector<StoryLine> story;
  std::vector<MoveSummary> moves;
  std::vector<SwitchSummary> switches;  ///< by SwitchId
  std::vector<BlockedSummary> blocked;
  std::vector<StopSummary> stops;
  LeftOut story_left_out, stops_left_out;
  bool asks_known = true;    ///< false: what was asked, and what blocked it, is not known
  bool stops_within = true;  ///< of those that are left out, too
  /// Everything that was to hold did: each stop was within its limit, and nothing was lost that nobody saw.
  bool good() const;
};

/// Looks at each tick, and knows in the end what it came to.
class Summing final : public TickWatcher {
 public:
  /// `rig` has to last as long.
  explicit Summing(const Rig& rig);
  ~Summing() override;
  void tick(const TickSample& sample, std::span<const Event> events) override;
  /// Once, after the last tick.
  Summary summary(const Session& session, const Account& account);

 private:
  class Work;
  std::unique_ptr<Work> work_;
};

Summary summarise(const Rig& rig, const Session& session, const Rehearsal& done);

/// For a terminal of 100 columns.
std::string text(const Rig& rig, const Summary& summary);
/// The same facts as a JSON document.
std::string json(const Rig& rig, const Summary& summary);

}  // namespace gyrax
