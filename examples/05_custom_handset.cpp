// A handset of your own: anything that can say what it is and what changed. Here a box with one lever on an analogue
// converter (0 … 1023) and four keys, on the demo's rig.
#include <gyrax/engine/engine.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/link/simulated.hpp>

#include <cstdio>

int main(int, char** argv) {
  using namespace std::chrono_literals;
  gyrax::Device box;
  box.absolute[0] = {0, 1023, 0, 0, 0};  // ABS_X: the left stick's x
  for (const std::uint16_t code : std::initializer_list<std::uint16_t>{1, 3, 4}) box.absolute[code] = box.absolute[0];
  const gyrax::Rig rig = gyrax::fit(gyrax::load_rig(argv[1]), {{"pad", box}});
  gyrax::SimulatedLinks machine(rig);
  gyrax::Engine engine(rig.setup);
  gyrax::TickBuffers out(rig.setup);

  std::vector<gyrax::Reading> readings;
  std::uint32_t sequence = 0;
  gyrax::Time now;
  const auto say = [&](gyrax::ControlId control, int raw) {
    readings.push_back({gyrax::HandsetId{0}, control, ++sequence, now, now, raw});
  };
  const auto key = [&](const char* name, int raw) { say(gyrax::find_control(name)->id, raw); };
  for (int tick = 0; tick <= 1000; ++tick, now += rig.period) {
    if (tick == 0) {  // plugged in, and every control says where it is
      say(gyrax::ControlId::presence, 1);
      for (const gyrax::ControlSetup& c : rig.setup.controls)
        say(c.control, c.calibration.kind() == gyrax::ControlKind::key ? 0 : 512);
    }
    if (tick == 50) key("menu.right", 1);
    if (tick == 100) key("shoulder.right", 1);
    if (tick == 150) key("stick.left.x", 1023);
    if (tick == 800) key("stick.left.x", 512);
    engine.tick({now, readings, machine.reports(now)}, out.view());
    machine.send(out.frames);
    readings.clear();
    if (tick % 200 == 0)
      std::printf("%.1f s: x %.2f mm at %.0f mm/s\n", gyrax::to_seconds(now), out.commands[0].p, out.commands[0].v);
  }
}
