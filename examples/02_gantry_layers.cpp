// The demo's gantry and its layer: with the left shoulder held, the right stick tilts the lamp instead of focusing. A
// stick that is deflected while the layer changes does nothing in the new one until it has been at neutral.
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include <cstdio>

int main(int, char** argv) {
  gyrax::testing::Stand bench(gyrax::load_rig(argv[1]));  // demo/bench.toml
  const auto tell = [&](const char* what) {
    std::printf("%-38s z %6.2f mm  lamp %6.2f deg  lamp: %s\n", what, bench.command("z").p,
                bench.command("lamp_tilt").p, gyrax::say(bench.rig(), bench.why("lamp_tilt").blocked).c_str());
  };
  bench.make_live().move("stick.right.y", 1).run(0.5);
  tell("stick pushed:");
  bench.press("shoulder.left").run(0.5);
  tell("layer pressed, stick still pushed:");
  bench.move("stick.right.y", 0).run(0.1).move("stick.right.y", 1).run(0.5);
  tell("stick let go and pushed again:");
  bench.release("shoulder.left").run(0.5);
  tell("layer released, stick still pushed:");
}
