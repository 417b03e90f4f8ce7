// A handset of your own: anything that can say what it is and what changed. Here a box with one lever on an analogue
// converter (0 … 1023) and four keys, on the demo's rig.
#include <gyrax/engine/engine.hpp>
#include <gyrax/link/simulated.hpp>
#include <gyrax/rig/own_handset.hpp>
#include <gyrax/rig/words.hpp>

#include <cstdio>

int main(int, char** argv) {
  gyrax::Device converter;
  for (const std::uint16_t code : std::initializer_list<std::uint16_t>{0, 1, 3, 4})  // ABS_X: the left stick's x …
    converter.absolute[code] = {0, 1023, 0, 0, 0};
  const gyrax::Rig rig = gyrax::fit(gyrax::load_rig(argv[1]), {{"pad", converter}});
  gyrax::SimulatedLinks machine(rig);
  gyrax::Engine engine(rig.setup);
  gyrax::TickBuffers out(rig.setup);
  gyrax::OwnHandset box(rig, "pad");

  gyrax::Time now;
  for (int tick = 0; tick <= 1000; ++tick, now += rig.period) {
    if (tick == 0) box.plug(now);
    if (tick == 50) box.key("menu.right", true, now);
    if (tick == 60) box.share("stick.left.x", 0.5, now);  // too early: enable is not held
    if (tick == 61) std::printf("x does not move: %s\n", say(rig, out.why[0]).c_str());
    if (tick == 70) box.share("stick.left.x", 0, now);
    if (tick == 100) box.key("shoulder.right", true, now);
    if (tick == 150) box.share("stick.left.x", 1, now);
    if (tick == 800) box.share("stick.left.x", 0, now);
    engine.tick({now, box.readings(), machine.reports(now)}, out.view());
    machine.send(out.frames);
    box.clear();
    if (tick % 200 == 0)
      std::printf("%.1f s: x %.2f mm at %.0f mm/s\n", gyrax::to_seconds(now), out.commands[0].p, out.commands[0].v);
  }
}
