/// Made-up handsets, new ones and worn ones, for testing::Hands.
///
///     testing::Hands hands(7, testing::models::worn_pad());
#pragma once

#include <gyrax/handset/device.hpp>

#include <cstdint>
#include <map>
#include <vector>

namespace gyrax::testing {

/// One axis of a handset, in its raw numbers, and how it is worn.
struct ModelAxis {
  std::int32_t minimum = -32768, maximum = 32767;  ///< where it ends
  std::int32_t rest = 0;                           ///< where its spring takes it; of a one-sided one its end
  std::int32_t rest_scatter = 0;                   ///< … anew for each handset by as much
  std::int32_t slack = 0;               ///< after a push it comes to rest this far on the side that it came from
  double drift = 0;                     ///< its rest wanders by so much a second, as it warms
  std::int32_t noise = 0, tremble = 0;  ///< at rest; in a hand
  std::int32_t fuzz = 0;                ///< smaller changes are not reported
  bool one_sided = false, reversed = false;
  bool stays = false;      ///< no spring: it stays where it is put
  int jumps_every = 0;     ///< leaps away for one report in so many; 0: never
  double firmness = 1.08;  ///< a firm push would go this far, were it not for the end
};

struct HandsetModel {
  Device device;
  std::map<std::uint16_t, ModelAxis> axes;
  std::int64_t scan_us = 8000;  ///< between two looks at its parts
  bool steadily = false;        ///< tells everything at each of them
  int counts_a_detent = 0;      ///< of its dials
  bool bounces = false;         ///< its keys
  bool tilts = false;           ///< three accelerations
};

namespace models {

/// Two sticks, two triggers, a hat and eleven keys, that reports changes every 8 ms.
HandsetModel pad();
/// The same after years: a stick that rests at 12 %, slack springs, a track with a hole, a key that bounces.
HandsetModel worn_pad();
/// A handwheel (dial.1) and the keys kp0 to kp9.
HandsetModel wheel_box();
/// An old joystick with 230 steps: x, y, a twisted grip, a throttle that stays and is upside down, eight keys.
HandsetModel joystick();
/// A dial with four counts a detent, and six keys.
HandsetModel detent_dial();
/// A keypad of 17 keys that type, and bounce.
HandsetModel keypad();
/// A stick for one hand with seven keys …
HandsetModel hand_stick();
/// … and the tilt sensor inside it, a device of its own: three accelerations, a hundred times a second.
HandsetModel hand_stick_tilt();
/// Four knobs on a coarse converter, sent as a stick's and triggers' codes, and four keys; reports steadily.
HandsetModel knob_box();
/// A stick with four contacts and six keys.
HandsetModel digital_stick();
/// Six keys and nothing else; a stick with one key.
HandsetModel six_keys();
HandsetModel one_hand();

}  // namespace models

}  // namespace gyrax::testing
