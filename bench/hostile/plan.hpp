// A random rig as its writer knows it. The campaign judges by this alone and never asks the rig that was read.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

namespace gyrax::bench {

class Random;

/// The row of one of the plan's numbers.
inline std::size_t at(int number) { return static_cast<std::size_t>(number); }

struct ControlPlan {
  enum class Kind : std::uint8_t { key, stick, lever, dial };  // lever: one-sided
  std::string name;
  std::uint16_t id = 0;
  Kind kind = Kind::key;
  double debounce_s = 0;
  bool used = false;  // some binding is of it
};
inline constexpr int full_raw = 1000, dead_raw = 100;  // of sticks and levers; a followed lever has no dead zone

struct HandsetPlan {
  std::string name;
  std::vector<ControlPlan> controls;
  bool steadily = false;
  double max_steady_s = 0;  // 0: none
  int station = -1;
};

struct AxisPlan {
  enum class Kind : std::uint8_t { measured, assumed, endless, servo, motor };
  std::string name;
  Kind kind = Kind::measured;
  double low = 0, high = 0, speed = 0, accel = 0, jerk = 0, decel = 0, decel_jerk = 0;
  double start = 0, following_error = 0, share = 1;  // share: of speed, by an override of its own that never changes
  int zone = 0, link = 0, group = -1;
  double rest_s = 0;
  std::vector<int> needs;
};

struct GroupPlan {
  std::vector<int> axes;
  bool together = false;
  double path_speed = 0, reduced_speed = 0;  // 0: none
};

struct SwitchPlan {
  enum class Becomes : std::uint8_t { off, on, keep };
  std::string name;
  int zone = 0, link = 0;
  bool start_on = false;
  Becomes otherwise = Becomes::off, handset_lost = Becomes::off, link_silent = Becomes::off;
  Becomes released = Becomes::keep;  // enable released or squeezed, or what moves let go
};

struct BindingPlan {
  enum class Effect : std::uint8_t {
    jog,
    step,
    wheel,
    follow,
    go,
    pose,
    set,
    number,
    reduced,
    layer,
    ready,
    stow,
    enable,
    stop,
    reset,
    ready_or_stow
  };
  enum class Gesture : std::uint8_t { press, release, tap, double_tap, hold, chord };
  enum class Layer : std::uint8_t { base, held, latched };
  Effect effect = Effect::jog;
  Gesture gesture = Gesture::press;
  int handset = 0, control = 0;
  std::vector<int> with{};  // further controls of the handset: a chord's, or what a virtual control is made of
  std::vector<int> axes{};  // that it moves
  std::uint32_t zones = ~0u;
  int target = -1;  // a switch
  Layer layer = Layer::base;
  bool momentary = false;
  double catch_up = 0, low = 0, high = 0, squeeze = 2;
};
inline bool is_permit(BindingPlan::Effect effect) { return effect >= BindingPlan::Effect::ready; }
inline bool makes_ready(BindingPlan::Effect effect) {
  return effect == BindingPlan::Effect::ready || effect == BindingPlan::Effect::ready_or_stow;
}
inline bool is_mover(BindingPlan::Effect effect) { return effect <= BindingPlan::Effect::pose; }

struct RigPlan {
  std::string text;
  bool layer_starts_on = false;  // the latched one
  bool hold_to_run = false;      // its only zone
  double period_s = 0.002, max_s = 0.02, silence_s = 0.1;
  int zones = 1, links = 1;
  std::vector<HandsetPlan> handsets;
  std::vector<AxisPlan> axes;
  std::vector<GroupPlan> groups;
  std::vector<SwitchPlan> switches;
  std::vector<BindingPlan> bindings;
  double reduced_share = 1;
  enum Cause : std::uint8_t {
    enable_released,
    enable_squeezed,
    let_go,
    stop_key,
    stow,
    program_ends,
    handset_gone,
    link_silent,
    following_error,
    causes
  };
  std::array<int, causes> category{2, 2, 2, 1, 1, 1, 1, 1, 0};
};

RigPlan random_rig(Random& random);

}  // namespace gyrax::bench
