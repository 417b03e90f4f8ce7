// One failure, at one moment of one motion, on the simulated machine. Private to the faults room.
#pragma once

#include "ways.hpp"
#include "wires.hpp"

#include <gyrax/engine/engine.hpp>
#include <gyrax/faults/faults.hpp>
#include <gyrax/faults/operator.hpp>
#include <gyrax/rehearsal/rehearsal.hpp>

#include <functional>
#include <optional>
#include <string>

namespace gyrax {

struct Failure;

/// When it fails.
enum class Moment : std::uint8_t {
  at_speed,      ///< at the greatest speed of that motion
  speeding_up,   ///< as it still gains speed, just below that
  pushed_on,     ///< at a part of its speed, as its control is pushed on to the end
  near_the_end,  ///< as it slows down before the end of its travel
  other_slows,   ///< as another axis of its group slows down
  layer_changes  ///< as a layer's key is pressed
};
const char* words_of(Moment moment);

/// A tick that comes as late as it may, and a reading that is as old as it may be.
enum class Late : std::uint8_t {
  never,
  at_once,    ///< as it fails
  at_notice,  ///< shortly before it is noticed
};

/// What is tried.
struct Scene {
  AxisId axis{};
  Way way{};
  Moment moment = Moment::at_speed;
  const Failure* failure = nullptr;
  Late late = Late::never;
  std::uint64_t seed = 0;
};

/// What one run came to.
struct TrialResult {
  bool reached = false;       ///< the moment at which it was to fail came
  std::string why_not;        ///< otherwise what was in the way
  Cause cause = Cause::none;  ///< that stopped it, if any
  bool rested = false;        ///< the machine came to rest
  double way = 0;             ///< of the machine, from the failure on, the farthest; in the axis's unit
  double forward = 0;         ///< the same the way that it was going
  double time_s = 0;          ///< from the failure to rest
  double at_s = 0;            ///< when it failed
  double off = 0;             ///< a report from what was told, at the most
};

/// A rig with a person, wires and machines, whose time goes on as it is told.
class Trial {
 public:
  /// `rig` at full speed, and with its axes where they are to start.
  Trial(const Rig& rig, const Scene& scene, const Predictor& predictor);

  /// Makes ready, enables, moves, waits for the moment, has it fail, and waits for rest. `kept`: every tick.
  TrialResult carry_out(const Prediction& predicted, Rehearsal* kept = nullptr);

  // For failures.
  /// Every handset of the rig.
  void plug_all(bool by_radio = false);
  const Predictor& predictor() const { return predictor_; }
  const Rig& rig() const { return rig_; }
  const Scene& scene() const { return scene_; }
  ZoneId zone() const { return zone_; }
  LinkId link() const { return rig_.setup.axes[index(scene_.axis)].wiring.link; }
  HandsetId handset() const { return handset_; }
  SlotId slot() const { return binding().slot; }
  const BindingSetup& binding() const { return rig_.setup.bindings[index(scene_.way.binding)]; }
  std::optional<BindingId> word(bool (*is_it)(const Effect&)) const { return word_for(rig_, zone_, handset_, is_it); }
  Operator& hands() { return hands_; }
  Wires& wires() { return wires_; }
  Time now() const { return now_; }
  State state() const { return engine_.permit(zone_).state(); }
  double machine_speed() const { return wires_.machines().speed(scene_.axis); }
  /// From here on it counts how far and how long it goes.
  void mark();
  void tick() { tick_after(rig_.period); }
  /// The next tick comes as late as it may.
  void tick_late() {
    hang(rig_.setup.max_tick - rig_.period);
    tick();
  }
  void tick_after(Span span);
  void run(Span span);
  /// At most so long. Whether it came to be.
  bool run_until(const std::function<bool()>& is_so, Span most);
  /// Does a binding's gesture; what is held afterwards stays held.
  void perform(BindingId binding, double share);
  void let_go(BindingId binding);
  /// The program does nothing for so long, while time goes on.
  void hang(Span span);
  void kill() { killed_ = true; }
  void end_program() { ends_ = true; }
  /// What was to fail was stopped by something else before.
  void give_up() { given_up_ = true; }
  /// Done before each tick from now on.
  std::function<void()> each_tick;

 private:
  bool make_live(TrialResult& result);
  void turn_on(SwitchId needed);
  void turn_to(LayerId layer);
  void latch(BindingId binding, SwitchTo to);
  bool moves() const { return command().v != 0; }
  bool at_speed() const { return moves() && command().a * command().v <= 0; }
  bool wait_for_speed() {
    return run_until([this] { return at_speed(); }, patience);
  }
  bool wait_for_rest() {
    return run_until([this] { return !moves() && command().a == 0; }, patience);
  }
  bool wait_for_moment();
  bool wait_while_it_gains();
  bool push_on();
  bool wait_for_the_end();
  bool wait_for_another();
  bool change_layer();
  void push();
  void warm_up();
  void watch(std::span<const Event> events);
  const AxisCommand& command() const { return out_.commands[index(scene_.axis)]; }
  std::string why() const;
  Span longest_delay() const;

  static constexpr Span patience = std::chrono::seconds(20);

  const Rig& rig_;
  const Predictor& predictor_;
  Scene scene_;
  ZoneId zone_{};
  HandsetId handset_{};
  Engine engine_;
  TickBuffers out_;
  Wires wires_;
  Operator hands_;
  Time now_{};
  bool killed_ = false, ends_ = false, given_up_ = false;
  double accel_before_ = 0, predicted_speed_ = 0;
  // Since it was marked.
  std::optional<Time> marked_;
  int way_ = 1;  // it was going this way
  double from_ = 0, farthest_ = 0, forward_ = 0, off_ = 0, rest_speed_ = 0;
  Time moved_{};
  Cause cause_ = Cause::none;
  Rehearsal* kept_ = nullptr;
  std::optional<TickSampler> sampler_;
};

}  // namespace gyrax
