/// A test stand: one engine with a rig, simulated machines, hands on named controls, and a clock that you turn.
///
/// In: what the hands do, and how time passes. Out: every command, reason and event. For tests of a rig of your own.
///
///     testing::Stand stand(gyrax::load_rig("bench.toml"));
///     stand.make_live();
///     stand.move("stick.left.x", 1).run(0.5);
///     CHECK(stand.command("x").v > 0);
#pragma once

#include <gyrax/engine/engine.hpp>
#include <gyrax/link/simulated.hpp>
#include <gyrax/rig/rig.hpp>

#include <string>
#include <vector>

namespace gyrax::testing {

class Stand {
 public:
  /// Everything plugged in, every control reported at neutral, one tick done. Errors: std::invalid_argument for names
  /// that the rig does not have, here and below.
  explicit Stand(const Rig& rig);

  // Hands. Where the rig has several handsets, "handset/control".
  Stand& press(const std::string& control);
  Stand& release(const std::string& control);
  Stand& tap(const std::string& control);
  /// A stick or a trigger to a share of its range: -1..1 or 0..1, before the dead zone.
  Stand& move(const std::string& control, double share);
  /// A dial by so many counts.
  Stand& turn(const std::string& control, std::int32_t counts);
  /// An action by its name, without a handset.
  Stand& type(const std::string& action);
  Stand& plug(const std::string& handset);
  Stand& unplug(const std::string& handset);
  /// Another device takes the place of one that is away: its sticks and triggers get other ends.
  Stand& recalibrate(const std::string& handset);
  Stand& lose(const std::string& handset, std::int32_t readings);
  /// So many readings get lost without a word: the next one's number is that much further on (below 0: further back).
  Stand& miss(const std::string& handset, std::int32_t readings);
  /// Any reading, as it is; its sequence is filled in.
  Stand& say(Reading reading);

  // Time. Every tick takes the readings since the last one.
  Stand& tick(std::size_t ticks = 1);
  Stand& run(double s);
  /// One tick this much later than the last; negative turns the clock back.
  Stand& tick_after(Span span);
  /// A report of your own for the next tick, in place of the machine's.
  Stand& report(const LinkReport& report);

  /// From the next tick on the program is told to end.
  Stand& end() {
    ended_ = true;
    return *this;
  }

  /// Taps the controls that the rig binds to ready, and holds those bound to enable.
  Stand& make_ready();
  Stand& make_live();

  const AxisCommand& command(const std::string& axis) const { return out_.commands[index(axis_id(axis))]; }
  const AxisStatus& why(const std::string& axis) const { return out_.why[index(axis_id(axis))]; }
  State state(std::size_t zone = 0) const { return engine_.permit(id_at<ZoneId>(zone)).state(); }
  bool switched_on(const std::string& name) const;
  const std::vector<Event>& events() const { return events_; }
  std::size_t count(Event::Kind kind) const;
  Time now() const { return now_; }

  AxisId axis_id(const std::string& name) const;
  HandsetId handset_id(const std::string& name) const;
  const Rig& rig() const { return rig_; }
  ActionStage stage(const std::string& action) const { return engine_.action(action_id(action)).stage; }
  ActionId action_id(const std::string& name) const;
  const Engine& engine() const { return engine_; }
  SimulatedLinks& links() { return links_; }
  std::span<const Frame> frames() const { return out_.frames; }

 private:
  Stand& say_control(const std::string& control, std::int32_t raw);
  std::string whole_name(SlotId slot) const;
  void do_tick();

  Rig rig_;
  Engine engine_;
  TickBuffers out_;
  SimulatedLinks links_;
  std::vector<Reading> readings_;
  std::vector<LinkReport> own_reports_;
  std::vector<std::uint32_t> sequences_;  // by HandsetId
  std::vector<Event> events_;
  Time now_{};
  std::vector<ActionId> typed_;
  bool ended_ = false;
};

}  // namespace gyrax::testing
