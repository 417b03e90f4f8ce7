// One servo and a keypad: from a held key to whole microseconds of pulse.
#include <gyrax/testing/stand.hpp>

#include <cstdio>

int main() {
  const gyrax::Rig rig = gyrax::parse_rig(R"(gyrax = 1
    [link.board]
    kind = "simulated"
    [axis.tilt]
    unit = "deg"
    travel = [-45, 45]
    speed = 90
    accel = 400
    servo = { ends = [-60, 60], pulse_us = [900, 2100] }
    [handset.keypad.bind]
    "key.kp8" = { jog = "tilt" }
    "key.kp2" = { jog = "-tilt" }
    "key.kp_enter" = "ready"
    "key.kp0" = "enable"
    "key.kp5" = "stop"
    "key.kp_plus" = "reset"
  )",
                                          "keypad.toml");
  gyrax::testing::Stand keypad(rig);

  const auto tell = [&](const char* what) {
    std::printf("%-34s %4lld us\n", what, static_cast<long long>(keypad.frames()[0].axes[0].position));
  };
  keypad.press("key.kp8").run(0.5);
  tell("8 held, but stowed:");
  keypad.release("key.kp8").tick().make_live().press("key.kp8").run(0.2).release("key.kp8").run(0.3);
  tell("8 tapped (first move, slow):");
  keypad.press("key.kp8").run(2);
  tell("8 held to the end of travel:");
  keypad.release("key.kp8").press("key.kp2").run(0.4).release("key.kp0").run(0.5);
  tell("2 held until enable was let go:");
}
