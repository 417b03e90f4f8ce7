// Somebody at the handsets: mostly sensible, sometimes not, and at the end patient enough to do what the words say.
#pragma once

#include "hands.hpp"
#include "plan.hpp"

#include <gyrax/engine/engine.hpp>
#include <gyrax/rig/rig.hpp>

#include <algorithm>
#include <array>
#include <string>
#include <vector>

namespace gyrax::bench {

class Driver {
 public:
  Driver(const RigPlan& plan, const Rig& rig, Hands& hands, Random& random)
      : plan_(plan), rig_(rig), hands_(hands), random_(random) {
    // As often in time, whatever the tick.
    eagerness_ = std::min(0.5, plan.period_s * 20);
  }

  /// What a person does in this tick.
  void act(Time now, const Engine& engine);
  /// Does what the words say that would release an axis; false if they are none, or are not understood.
  bool obey(const AxisStatus& why, State state, int handset, Time now);
  /// Does the actions that are due.
  void play(Time now);
  bool playing() const { return !script_.empty(); }
  /// A binding of an effect on a handset; -1 if there is none.
  int binding(int handset, BindingPlan::Effect effect) const;
  /// The first of a handset's bindings in no layer of which this holds; -1 if there is none.
  int one_that(int handset, bool (*holds)(BindingPlan::Effect)) const;
  /// Performs a binding's gesture from `now` on; `keep`: and goes on holding it.
  void perform(int binding, Time now, bool keep, int raw = 0);
  /// Takes the hands off; a foot may stay on its pedal.
  void release(int handset, Time now);
  /// Treads on something, or leans on it, plugged in or not.
  void tread(int handset, Time now);

 private:
  void mischief(Time now);
  void use_something(Time now, int handset);
  struct Action {
    Time at;
    int handset, control, raw;
  };
  void later(Time now, double s, int handset, int control, int raw);
  int full(const BindingPlan& b) const;

  const RigPlan& plan_;
  const Rig& rig_;
  Hands& hands_;
  Random& random_;
  std::vector<Action> script_;
  int driver_ = 0;
  double eagerness_ = 0.04;  // how often something is done, a tick
  std::vector<std::pair<int, Time>> unplugged_;
};

}  // namespace gyrax::bench
