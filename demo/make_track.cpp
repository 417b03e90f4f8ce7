// Makes the tracks of demo/: the hands of its sessions. `make_track FILE`, by the file's name.
#include <gyrax/files/text_file.hpp>
#include <gyrax/testing/hands.hpp>

#include <cstdio>
#include <filesystem>
#include <span>
#include <string>

namespace {

gyrax::Track demo_track() {
  gyrax::testing::Hands h(20);

  // Somebody takes up the pad and bumps a stick: the bench is stowed. Ready is refused while the stick is held.
  h.wait_until(0.8).push("stick.left.x", 0.7, 0.15, 0.2).tap("menu.right").push("stick.left.x", 0, 0.1, 0.3);
  h.push("stick.right.y", 0.3, 0.1).push("stick.right.y", 0, 0.1, 0.3);
  // Ready; a stick without enable does nothing; then enable, and to a corner of the sheet on a diagonal.
  h.wait_until(2.6).tap("menu.right").wait(0.3).push("stick.left.y", 0.6, 0.15, 0.2).push("stick.left.y", 0, 0.1, 0.3);
  h.down("shoulder.right").wait(0.2).push("stick.left.x", 1, 0.2).push("stick.left.y", 0.8, 0.15, 1.0);
  h.push("stick.left.y", 0, 0.12, 0.1).push("stick.left.x", 0, 0.12, 0.4);
  // Focus.
  h.push("stick.right.y", 0.9, 0.2, 0.7).push("stick.right.y", 0, 0.12, 0.4);
  // The sheet in ten steps of one degree, through the layer.
  h.down("shoulder.left").wait(0.15);
  for (int i = 0; i < 10; ++i) h.tap("hat.right", 0.06).wait(0.11);
  h.up("shoulder.left").wait(0.3);
  // Slower: two notches down, and a fine jog back; then ten fine steps.
  h.tap("hat.down")
      .wait(0.15)
      .tap("hat.down")
      .wait(0.3)
      .push("stick.left.x", -1, 0.2, 0.8)
      .push("stick.left.x", 0, 0.12, 0.3);
  h.tap("thumb.left").wait(0.2);
  for (int i = 0; i < 10; ++i) h.tap("hat.right", 0.05).wait(0.08);
  h.tap("hat.up").wait(0.15).tap("hat.up").wait(0.3);
  // Up to the end of travel, and held there.
  h.push("stick.left.x", 1, 0.2, 2.1).push("stick.left.x", 0, 0.12, 0.3);
  // Enable is let go in the middle of a jog; enabled again, only from a fresh press at neutral.
  h.push("stick.left.x", -1, 0.15, 0.6).up("shoulder.right").wait(0.3).down("shoulder.right").wait(0.3);
  h.push("stick.left.x", 0, 0.12, 0.2).up("shoulder.right").wait(0.2).down("shoulder.right").wait(0.2);
  // The pad is pulled out at full speed.
  h.wait_until(23.6).push("stick.left.x", -1, 0.2, 0.7);
  h.unplug().wait_until(25.2).push("stick.left.x", 0, 0.1).up("shoulder.right").wait_until(26.55).plug();
  // Back again: reset, ready, enable.
  h.wait_until(27.6).tap("menu.centre").wait(0.4).tap("menu.right").wait(0.4).down("shoulder.right").wait(0.3);
  // The lamp's tilt through the layer, the scale bar, the valve.
  h.down("shoulder.left").wait(0.15).push("stick.right.y", 0.8, 0.2, 0.8).push("stick.right.y", 0, 0.12, 0.2);
  h.push("stick.right.y", -0.6, 0.2, 0.3).push("stick.right.y", 0, 0.12, 0.2).up("shoulder.left").wait(0.3);
  h.down("face.west")
      .wait(0.5)
      .up("face.west")
      .wait(0.3)
      .down("face.west")
      .wait(0.9)
      .up("face.west")
      .wait(0.3)
      .tap("face.south")
      .wait(0.5);
  // A stop in the middle of things, and ready again.
  h.push("stick.left.y", -1, 0.2, 0.5)
      .tap("face.east")
      .wait(0.3)
      .push("stick.left.y", 0, 0.12, 0.2)
      .up("shoulder.right");
  h.wait(0.2).tap("menu.right").wait(0.3).down("shoulder.right").wait(0.3);
  // At last the link falls silent during a jog, at 39 s.
  h.wait_until(38.2).push("stick.left.x", 0.9, 0.2).push("stick.left.y", 0.7, 0.15, 1.2);
  h.push("stick.left.y", 0, 0.1).push("stick.left.x", 0, 0.1).wait_until(40.9);
  return h.track();
}

gyrax::Track fine_pad() {
  gyrax::testing::Hands h(7);
  // A trigger is unknown until it has been touched once.
  h.wait_until(0.2)
      .push("trigger.left", 0.3, 0.1)
      .push("trigger.left", 0, 0.1)
      .wait_until(0.8)
      .tap("menu.right")
      .wait(0.2)
      .down("shoulder.right")
      .wait(0.3);
  // Reduced speed is on: a nudge, and a long press that grows to a quarter of the speed.
  h.tap("hat.right", 0.1).wait(0.4).down("hat.right").wait(2.4).up("hat.right").wait(0.5);
  // Full speed, and to the sheet in one go; back, held for a while, and on.
  h.tap("menu.left").wait(0.3).down("face.north").wait(2.6).up("face.north").wait(0.4);
  h.down("face.west").wait(0.9).up("face.west").wait(0.7).down("face.west").wait(2.2).up("face.west").wait(0.4);
  // Into the end of travel at full speed, and held there.
  h.wait_until(13).push("stick.left.x", 1, 0.15, 3.3).push("stick.left.x", 0, 0.12);
  // Reduced speed comes on in the middle of a jog.
  h.wait_until(17.5)
      .push("stick.left.x", -1, 0.15, 0.7)
      .tap("menu.left")
      .wait(0.8)
      .push("stick.left.x", 0, 0.12, 0.3)
      .tap("menu.left");
  // The lamp is taken up where the trigger happens to be, and followed.
  h.wait_until(27)
      .push("trigger.left", 0.8, 0.2, 0.2)
      .down("shoulder.left")
      .wait(2.4)
      .push("trigger.left", 0.45, 0.5, 0.6);
  h.push("trigger.left", 0.9, 0.25, 0.9).up("shoulder.left").wait(0.2).push("trigger.left", 0, 0.2);
  h.wait_until(33).up("shoulder.right").wait_until(33.9);
  return h.track();
}

gyrax::Track fine_wheel() {
  gyrax::testing::Hands h(8, gyrax::testing::models::wheel_box());
  // Focus: 1500 counts fast, 200 back, then some single ones: 13.07 mm.
  h.wait_until(20).turn("dial.1", 1500, 1.2).wait(0.5).turn("dial.1", -200, 0.4).wait(0.3).turn("dial.1", 7, 0.5);
  // The carriage, faster than it may lag behind, and a sudden stop.
  h.wait_until(24).down("key.kp1").wait(0.1).turn("dial.1", -700, 1.4).wait(0.6).up("key.kp1");
  h.wait_until(33.9);
  return h.track();
}

using gyrax::testing::Hands;
namespace models = gyrax::testing::models;

/// A two-stick pad places a camera: a calm jog, a straight push, ten held steps, the rotary layer.
gyrax::Track use_pad() {
  Hands h(31, models::pad());
  h.wait_until(0.5)
      .push("stick.left.x", 0.4, 0.1)
      .push("stick.left.x", 0, 0.1, 0.2)
      .push("stick.left.y", 0.4, 0.1)
      .push("stick.left.y", 0, 0.1);
  h.wait_until(1.5).tap("menu.right").wait(0.2).down("shoulder.right").wait(0.3);
  // A straight push to the end, with a hand that is not quite straight.
  h.push("stick.left.x", 1, 0.2)
      .push("stick.left.y", 0.12, 0.1, 3.1)
      .push("stick.left.y", 0, 0.1)
      .push("stick.left.x", 0, 0.15, 0.5);
  // Back by ten steps of 1 mm: one press, held.
  h.down("hat.left").wait(1.38).up("hat.left").wait(0.5);
  // The rotary layer, three steps.
  h.tap("thumb.left").wait(0.3);
  for (int i = 0; i < 3; ++i) h.tap("hat.left").wait(0.2);
  return h.up("shoulder.right").wait(0.5).track();
}

/// The worn pad: full speed to both sides, and nothing moves by itself.
gyrax::Track use_worn_pad() {
  Hands h(32, models::worn_pad());
  h.wait_until(0.5)
      .push("stick.left.x", 0.5, 0.1)
      .push("stick.left.x", 0, 0.1, 0.2)
      .push("stick.left.y", 0.5, 0.1)
      .push("stick.left.y", 0, 0.1, 0.2);
  h.wait_until(2).tap("menu.right").wait(0.3).down("shoulder.right").wait(1.5);
  h.push("stick.left.x", 1, 0.2, 4)
      .push("stick.left.x", 0, 0.15, 1)
      .push("stick.left.x", -1, 0.2, 4)
      .push("stick.left.x", 0, 0.15, 1);
  for (int i = 0; i < 5; ++i) h.tap("face.south").wait(0.2);
  return h.up("shoulder.right").wait(0.5).track();
}

/// The joystick drives a turntable with its grip and a lamp with its throttle.
gyrax::Track use_joystick() {
  Hands h(33, models::joystick());
  h.wait_until(0.5)
      .push("stick.left.x", 0.5, 0.1)
      .push("stick.left.x", 0, 0.1, 0.2)
      .push("rudder", 0.5, 0.1)
      .push("rudder", 0, 0.1, 0.2);
  // Some events are lost before anything is made ready: what they said is not known until it is said again.
  h.lose(3).push("stick.left.x", 0.5, 0.1).push("stick.left.x", 0, 0.1).push("rudder", 0.5, 0.1).push("rudder", 0, 0.1);
  h.push("throttle", 0.5, 0.4, 0.3).wait_until(2.8).tap("button.0").wait(0.3).down("grip.trigger").wait(2.5);
  // The lamp stands where the throttle is; up to its end.
  h.push("throttle", 1, 1.0, 2.5).push("rudder", 1, 0.3, 2.6).push("rudder", 0, 0.2, 0.6);
  h.push("stick.left.x", 1, 0.3, 3).push("stick.left.x", 0, 0.2, 0.5);
  return h.up("grip.trigger").wait(0.5).track();
}

/// The dial: focus by detents, the increment chosen with the same dial.
gyrax::Track use_dial() {
  Hands h(34, models::detent_dial());
  h.wait_until(0.5).tap("button.0").wait(0.3).down("button.1").wait(0.3);
  h.turn("dial.1", 25, 0.8).wait(1).turn("dial.1", -4, 0.3).wait(0.5);
  // With button.2 held the dial adjusts the increment: two notches up.
  h.down("button.2").wait(0.1).turn("dial.1", 2, 0.3).wait(0.2).up("button.2").wait(0.3);
  h.turn("dial.1", 3, 0.4).wait(1.5);
  return h.up("button.1").wait(0.5).track();
}

/// The keypad pendant: a growing jog, steps, a double tap for the fine ones, a bouncing stop.
gyrax::Track use_keypad() {
  Hands h(35, models::keypad());
  h.wait_until(0.5).tap("key.kp_enter").wait(0.3).down("key.kp0").wait(0.3);
  // A stop in the middle of a jog; then to the end, slowly at first.
  h.down("key.kp6").wait(0.9).tap("key.kp_point").wait(0.5).up("key.kp6").up("key.kp0").wait(0.3);
  h.tap("key.kp_enter").wait(0.3).down("key.kp0").wait(0.3).down("key.kp6").wait(4.5).up("key.kp6").wait(0.6);
  // Four steps of 1 mm back; finer, three of 0.1; coarser by one, and one of 1 mm again.
  for (int i = 0; i < 4; ++i) h.tap("key.kp1").wait(0.4);
  h.tap("key.kp9", 0.06).wait(0.05).tap("key.kp9", 0.06).wait(0.5);
  for (int i = 0; i < 3; ++i) h.tap("key.kp1").wait(0.2);
  return h.tap("key.kp9").wait(0.8).tap("key.kp1").wait(0.4).up("key.kp0").wait(0.5).track();
}

/// The hand stick: leaned, the carriage follows; the thumb takes the focus.
gyrax::Track use_hand_stick() {
  Hands h(36, models::hand_stick());
  h.wait_until(0.5)
      .push("stick.left.y", 0.5, 0.1)
      .push("stick.left.y", 0, 0.1)
      .wait_until(1.5)
      .tap("menu.right")
      .wait(0.3);
  h.down("trigger.left.key")
      .wait_until(9)
      .push("stick.left.y", 1, 0.2, 2.5)
      .push("stick.left.y", 0, 0.2, 0.8)
      .up("trigger.left.key")
      .wait(0.5);
  return h.track();
}
gyrax::Track use_hand_stick_tilt() {
  Hands h(37, models::hand_stick_tilt());
  return h.wait_until(3)
      .lean(45, 0, 0.5, 2.2)
      .lean(0, 0, 0.4, 0.6)
      .lean(0, -6, 0.3, 1)
      .lean(0, 0, 0.3)
      .wait_until(13.8)
      .track();
}

/// The knob box: a knob for the lamp, a knob for the belt's speed, from rest through its dead band and back.
gyrax::Track use_knob_box() {
  Hands h(38, models::knob_box());
  h.wait_until(0.5)
      .push("ABS_X", 0.25, 0.5)
      .push("ABS_Y", 0.02, 0.1)
      .push("ABS_Y", 0, 0.1)
      .wait_until(2)
      .tap("button.0")
      .wait(0.3);
  // The lamp goes to its knob, slowly: nobody has seen it move before.
  h.down("button.1").wait(0.3).tap("button.3").wait(4);
  h.push("ABS_X", 1, 1, 2.5).push("ABS_Y", 0.6, 0.5, 2).push("ABS_Y", 0, 0.5, 1.5);
  return h.up("button.1").wait(0.5).track();
}

/// The digital stick: jogs by contacts, unplugged in the middle, and on.
gyrax::Track use_digital_stick() {
  Hands h(39, models::digital_stick());
  h.wait_until(0.5)
      .push("stick.left.x", 1, 0.01)
      .push("stick.left.x", 0, 0.01)
      .push("stick.left.y", 1, 0.01)
      .push("stick.left.y", 0, 0.01);
  h.wait_until(1.5)
      .tap("button.0")
      .wait(0.3)
      .down("grip.trigger")
      .wait(0.3)
      .push("stick.left.x", 1, 0.01, 2)
      .push("stick.left.x", 0, 0.01, 1);
  h.push("stick.left.y", 1, 0.01, 0.6)
      .unplug()
      .wait_until(7.5)
      .push("stick.left.y", 0, 0.01)
      .up("grip.trigger")
      .plug()
      .wait_until(9);
  h.push("stick.left.x", -1, 0.01)
      .push("stick.left.x", 0, 0.01, 0.2)
      .push("stick.left.y", -1, 0.01)
      .push("stick.left.y", 0, 0.01, 0.2);
  h.tap("button.2").wait(0.3).tap("button.0").wait(0.3).down("grip.trigger").wait(0.3);
  for (int i = 0; i < 3; ++i) h.tap("grip.thumb").wait(0.3);
  h.push("stick.left.y", -1, 0.01, 1.5)
      .push("stick.left.y", 0, 0.01, 0.3)
      .push("stick.left.x", 1, 0.01, 5)
      .push("stick.left.x", 0, 0.01, 0.5);
  return h.up("grip.trigger").wait(0.5).track();
}

/// The desk: one pad, one dial, one keypad; see demo/desk.toml.
gyrax::Track desk_pad() {
  Hands h(41, models::pad());
  h.wait_until(0.4)
      .push("stick.left.x", 0.4, 0.1)
      .push("stick.left.x", 0, 0.1, 0.1)
      .push("stick.left.y", 0.4, 0.1)
      .push("stick.left.y", 0, 0.1, 0.1);
  h.push("trigger.right", 0.5, 0.1)
      .push("trigger.right", 0, 0.1)
      .push("trigger.left", 0.5, 0.1)
      .push("trigger.left", 0, 0.1);
  // Ready: the carriage's override is low, and is told. Something slow, then the override is picked.
  h.wait_until(2.4)
      .tap("menu.right")
      .wait(0.3)
      .down("shoulder.right")
      .wait(0.3)
      .push("stick.left.x", 1, 0.2, 1.2)
      .push("stick.left.x", 0, 0.12, 0.3);
  h.tap("face.north").wait(0.3).push("stick.left.x", 1, 0.2, 1.6).push("stick.left.x", 0, 0.12, 0.5);
  // The rotary layer is latched under a stick that is held: nothing jumps.
  h.push("stick.left.x", -0.6, 0.2, 0.4)
      .tap("thumb.left")
      .wait(0.8)
      .push("stick.left.x", 0, 0.12, 0.3)
      .push("stick.left.x", -0.6, 0.2, 1.2);
  h.push("stick.left.x", 0, 0.12, 0.4).tap("thumb.left").wait(0.4);
  // The dial adjusts the step (while the dial's own hands turn it), then six steps by one held key.
  h.wait_until(15).tap("thumb.right").wait_until(17).down("hat.right").wait(1.36).up("hat.right").wait(0.5);
  // The belt: refused while the vacuum is off; a long hold turns that on; forth, and back through rest.
  h.wait_until(20)
      .push("trigger.right", 0.8, 0.2, 0.5)
      .push("trigger.right", 0, 0.1, 0.2)
      .down("face.south")
      .wait(0.9)
      .up("face.south")
      .wait(0.2);
  h.push("trigger.right", 1, 0.2, 1.2)
      .push("trigger.right", 0, 0.05)
      .push("trigger.left", 1, 0.1, 1.6)
      .push("trigger.left", 0, 0.1, 0.8);
  // Enable is let go: the keypad may take over.
  h.up("shoulder.right").wait_until(36.5);
  return h.track();
}
gyrax::Track desk_dial() {
  Hands h(42, models::detent_dial());
  h.wait_until(12.5).turn("dial.1", -1, 0.1).wait_until(15.8).turn("dial.1", 1, 0.2).wait_until(36.5);
  return h.track();
}
gyrax::Track desk_keypad() {
  Hands h(43, models::keypad());
  // Touched while the pad is in charge; then taken over by its own ready; a jog that a stop on the pad's side would
  // end, too.
  h.wait_until(6)
      .down("key.kp4")
      .wait(0.4)
      .up("key.kp4")
      .wait_until(30)
      .tap("key.kp_enter")
      .wait(0.4)
      .down("key.kp0")
      .wait(0.3);
  h.down("key.kp4").wait(2).up("key.kp4").wait(0.8).tap("key.kp_point").wait(0.4).up("key.kp0").wait_until(36.5);
  return h.track();
}

/// Six keys: the lamp's tilt and the scale bar, one key for ready and stow, one that stops.
gyrax::Track six_keys() {
  Hands h(44, models::six_keys());
  // Something moves only while its key is held, and only once it is ready.
  h.wait_until(0.8).down("button.2").wait(0.4).up("button.2").wait(0.3).tap("button.0").wait(0.6);
  h.down("button.2").wait(1.2).up("button.2").wait(0.5).down("button.5").wait(0.9).up("button.5").wait(0.5);
  // Both at once; one is let go, and then the other.
  h.down("button.3").wait(0.3).down("button.4").wait(0.8).up("button.3").wait(0.4).up("button.4").wait(0.5);
  // The other way as soon as it is let go: it comes to rest first.
  h.down("button.2").wait(0.6).up("button.2").wait(0.03).down("button.3").wait(0.7).up("button.3").wait(0.5);
  // Stop in the middle, with the key still held: nothing goes on. Then a fright: the one key three times.
  h.down("button.5").wait(0.5).tap("button.1").wait(0.6).up("button.5").wait(0.4).tap("button.0").wait(0.5);
  h.down("button.5").wait(0.4);
  for (int i = 0; i < 3; ++i) h.tap("button.0", 0.06).wait(0.08);
  return h.up("button.5").wait(1).track();
}

/// One stick and one key: the carriage, for one hand.
/// A servo is taught its ends: the first motion is a tenth of the speed; then to one end, and to the other.
gyrax::Track teach() {
  Hands h(47);
  h.wait_until(0.8).tap("menu.right").wait(0.4).down("shoulder.right").wait(0.3);
  h.push("stick.right.y", -1, 0.1, 0.3).push("stick.right.y", 0, 0.1, 0.4);
  h.push("stick.right.y", -1, 0.2, 2.6).push("stick.right.y", 0, 0.1, 1.0);
  for (int i = 0; i < 3; ++i) h.tap("hat.left", 0.06).wait(0.15);
  h.wait_until(8).push("stick.right.y", 1, 0.2, 5.0).push("stick.right.y", 0, 0.1, 1.0);
  h.tap("hat.right", 0.06).wait(0.15).tap("hat.right", 0.06).wait_until(18);
  return h.up("shoulder.right").wait(0.5).track();
}

gyrax::Track one_hand() {
  Hands h(45, models::one_hand());
  h.wait_until(0.5)
      .push("stick.left.x", 0.5, 0.1)
      .push("stick.left.x", 0, 0.1, 0.2)
      .push("stick.left.y", 0.5, 0.1)
      .push("stick.left.y", 0, 0.1, 0.3)
      .tap("grip.trigger")
      .wait(0.7);
  h.push("stick.left.x", 1, 0.2).push("stick.left.y", 0.7, 0.2, 1).push("stick.left.y", 0, 0.1);
  h.push("stick.left.x", 0, 0.1, 0.7).push("stick.left.x", -0.4, 0.2, 1).push("stick.left.x", 0, 0.1, 0.6);
  // Out of reach of its cable: reset and ready are the one key, too.
  h.push("stick.left.y", 0.8, 0.2, 0.4).unplug().wait(0.8).push("stick.left.y", 0, 0.1).plug().wait(0.7);
  h.push("stick.left.x", 0.5, 0.1).push("stick.left.x", 0, 0.1, 0.2);
  h.push("stick.left.y", 0.5, 0.1).push("stick.left.y", 0, 0.1, 0.3);
  h.tap("grip.trigger").wait(0.8).tap("grip.trigger").wait(0.6);
  return h.push("stick.left.y", -0.6, 0.2, 0.8).push("stick.left.y", 0, 0.1, 0.5).tap("grip.trigger").wait(0.5).track();
}

gyrax::Track home() {
  gyrax::testing::Hands h(22);
  // The controller has an alarm. Unlocked by two presses, made ready, jogged a little: slowly, for it is not homed.
  h.wait_until(1.5).tap("thumb.right").wait(0.6).tap("thumb.right").wait(1.5);
  h.push("stick.left.x", 0.3, 0.1).push("stick.left.x", 0, 0.1).push("stick.left.y", 0.3, 0.1);
  h.push("stick.left.y", 0, 0.1).push("stick.right.y", 0.3, 0.1).push("stick.right.y", 0, 0.1, 0.2);
  h.tap("menu.right").wait(0.3).down("shoulder.right").wait(0.3);
  h.push("stick.left.x", 1, 0.2, 1.0).push("stick.left.x", 0, 0.1, 0.5);
  // Home; then at full speed, and an exact step.
  h.tap("face.north").wait(3.0).push("stick.left.x", 1, 0.2, 0.8).push("stick.left.x", 0, 0.1, 0.6);
  // A zero of one's own there; away from it by a step and a jog, and back to it.
  h.down("thumb.left").wait(0.8).up("thumb.left").wait(0.3);
  h.tap("hat.right").wait(0.5).push("stick.left.x", -1, 0.2, 0.3).push("stick.left.x", 0, 0.1, 0.5);
  h.down("face.west").wait(1.2).up("face.west").wait(0.3);
  // A scan; enable is let go on its way, and it goes on when it is asked for again.
  h.tap("thumb.left").wait(0.9).up("shoulder.right").wait(0.8).down("shoulder.right").wait(0.4);
  h.tap("thumb.left").wait(3.0).up("shoulder.right").wait(0.4);
  return h.track();
}

gyrax::Track column() {
  gyrax::testing::Hands h(23);
  h.wait_until(0.6).push("stick.left.y", 0.3, 0.1).push("stick.left.y", 0, 0.1, 0.2);
  h.tap("menu.right").wait(0.3).down("shoulder.right").wait(0.3);
  // Slowly, and to no place: nobody knows where it is.
  h.push("stick.left.y", -1, 0.2, 1.0).push("stick.left.y", 0, 0.1, 0.3);
  h.down("face.west").wait(0.4).up("face.west").wait(0.3);
  // Home; then at full speed to its end, to a place, and an exact step.
  h.tap("face.north").wait(10.0).push("stick.left.y", 1, 0.2, 1.0).push("stick.left.y", 0, 0.1, 0.5);
  h.down("face.west").wait(1.8).up("face.west").wait(0.3).tap("hat.up").wait(0.5).up("shoulder.right").wait(0.4);
  return h.track();
}

struct Named {
  const char* file;
  gyrax::Track (*make)();
};
const Named tracks[] = {{"pad.evemu", demo_track},
                        {"fine_pad.evemu", fine_pad},
                        {"fine_wheel.evemu", fine_wheel},
                        {"home_pad.evemu", home},
                        {"column_pad.evemu", column},
                        {"desk_pad.evemu", desk_pad},
                        {"desk_dial.evemu", desk_dial},
                        {"desk_keypad.evemu", desk_keypad},
                        {"six_keys.evemu", six_keys},
                        {"one_hand.evemu", one_hand},
                        {"teach.evemu", teach},
                        {"two_stick_pad.evemu", use_pad},
                        {"worn_pad.evemu", use_worn_pad},
                        {"joystick.evemu", use_joystick},
                        {"dial.evemu", use_dial},
                        {"keypad.evemu", use_keypad},
                        {"hand_stick.evemu", use_hand_stick},
                        {"hand_stick_tilt.evemu", use_hand_stick_tilt},
                        {"knob_box.evemu", use_knob_box},
                        {"digital_stick.evemu", use_digital_stick}};

/// What `gyrax calibrate` is shown: the same handset, by its seed, as above.
gyrax::Track shown(std::uint32_t seed, const gyrax::testing::HandsetModel& model) {
  return Hands(seed, model).show_everything().track();
}
const Named shows[] = {{"two_stick_pad.show.evemu", [] { return shown(31, models::pad()); }},
                       {"worn_pad.show.evemu", [] { return shown(32, models::worn_pad()); }},
                       {"joystick.show.evemu", [] { return shown(33, models::joystick()); }},
                       {"dial.show.evemu", [] { return shown(34, models::detent_dial()); }},
                       {"keypad.show.evemu", [] { return shown(35, models::keypad()); }},
                       {"hand_stick.show.evemu", [] { return shown(36, models::hand_stick()); }},
                       {"hand_stick_tilt.show.evemu", [] { return shown(37, models::hand_stick_tilt()); }},
                       {"knob_box.show.evemu", [] { return shown(38, models::knob_box()); }},
                       {"digital_stick.show.evemu", [] { return shown(39, models::digital_stick()); }}};

}  // namespace

int main(int argc, char** argv) {
  const std::string name = argc == 2 ? std::filesystem::path(argv[1]).filename().string() : "";
  for (const std::span<const Named> list : {std::span<const Named>(tracks), std::span<const Named>(shows)})
    for (const Named& one : list) {
      if (name != one.file) continue;
      const auto error = gyrax::write_text(argv[1], gyrax::write_track(one.make()));
      if (error) std::fprintf(stderr, "%s: %s\n", argv[1], error.message().c_str());
      return error ? 3 : 0;
    }
  std::fputs("usage: make_track FILE, where FILE is one of\n", stderr);
  for (const std::span<const Named> list : {std::span<const Named>(tracks), std::span<const Named>(shows)})
    for (const Named& one : list) std::fprintf(stderr, "  %s\n", one.file);
  return 2;
}
