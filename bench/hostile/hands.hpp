// What hands really do, and what becomes of it on the way: readings made from the physical truth, and then spoiled.
//
// In: what is pressed, pushed, turned, pulled out. Out: readings, lost, late, repeated, out of order, and what a fair
// observer of both ends may think of each control. Never: a look at the engine.
#pragma once

#include "plan.hpp"

#include <gyrax/base/reading.hpp>

#include <vector>

namespace gyrax::bench {

class Random;

class Hands {
 public:
  struct Control {
    int raw = 0;
    /// The numbers of the readings that told, or would have told, that it came to neutral, and that it was no longer
    /// pressed.
    std::uint32_t neutral_number = 0, released_number = 0;
    Time released_at{};
    bool known = false;                  ///< the far side has a clean word of it since the last loss
    std::uint32_t pressed_number = 0;    ///< of the reading that tells, or would have told, its last press
    std::uint32_t deflected_number = 0;  ///< the same, of when it left neutral
  };
  struct Handset {
    std::vector<Control> controls;
    bool plugged = false, told_plugged = false;
    std::uint32_t number = 0, delivered = 0;
    Time last_said{}, last_event{}, mute_until{};
  };
  /// A reading as it was handed over, with what is wrong with it.
  struct Delivered {
    int handset = 0, control = -1;  ///< -1: presence, a gap, or nothing of the rig's
    int raw = 0;
    std::uint32_t number = 0;
    bool presence = false, lost_before = false, refused = false, was_known = false, plugged = false;
  };

  Hands(const RigPlan& plan, Random& random, double spoiled);

  void plug(int handset, Time now);
  void unplug(int handset, Time now);
  void put(int handset, int control, int raw, Time now);
  void turn(int handset, int control, int counts, Time now);
  void lose(int handset, Time now);
  void mute(int handset, Time until) { handsets_[at(handset)].mute_until = until; }
  /// Everything from now on arrives as it is.
  void be_honest() { spoiled_ = 0; }
  /// Lets everything go that is not followed.

  /// Everything that has arrived by `now`.
  const std::vector<Reading>& deliver(Time now);
  const std::vector<Delivered>& delivered() const { return delivered_; }

  const Control& control(int handset, int control) const { return handsets_[at(handset)].controls[at(control)]; }
  const Handset& handset(int handset) const { return handsets_[at(handset)]; }
  bool pressed(int handset, int control) const;
  bool deflected(int handset, int control) const;
  /// Pressed, or let go and nothing that came since could tell so.
  bool believed_pressed(int handset, int control, Time now) const;
  bool believed_deflected(int handset, int control) const;

 private:
  static constexpr int press_raw = 550, release_raw = 460;
  void say(int handset, ControlId control, int raw, Time now);
  bool stops(int handset, ControlId control) const;
  void hand_over(const Reading& reading, Time now);

  const RigPlan& plan_;
  Random& random_;
  double spoiled_;
  std::vector<Handset> handsets_;
  struct Waiting {
    Reading reading;
    Time due;
  };
  std::vector<Waiting> waiting_;
  std::vector<Reading> readings_;
  std::vector<Delivered> delivered_;
};

}  // namespace gyrax::bench
